"""What the demo clinic's clinicians asked patients back for: a list of reasons, and returns in every state,
from visits that really were.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, timedelta
from typing import Any

from sqlalchemy import Connection, insert, text

from zax.core.json import Json
from zax.demo.world import TYPE_ID
from zax.store import schema

# What for, usually by, for whom, urgent, the visit type that does it.
REASONS: Sequence[tuple[str, str, str, bool, str | None]] = (
    ("Blood pressure check", "4 weeks", "nurse", True, "Follow-up"),
    ("Look at the sutures", "10 days", "physician", False, "Toothache"),
    ("Repeat the blood test", "2 weeks", "lab", True, "Follow-up"),
    ("Talk through the results", "1 week", "phone", False, "Follow-up"),
    ("Check the bite", "3 weeks", "physician", False, "Filling"),
    ("Medication review", "3 months", "physician", False, "Physical"),
)
# Days since they were asked, days from then to the due day, the reason's place, what the clinician added, how
# they were tried since (days ago, outcome, note), and what became of it.
_ASKED: Sequence[tuple[int, int, int, str, Sequence[tuple[int, str, str]], str]] = (
    (32, 28, 1, "new tablets", ((4, "none", ""), (3, "message", "with her son")), ""),
    (19, 10, 2, "", ((7, "message", ""),), ""),
    (
        40,
        14,
        3,
        "after the pills",
        ((20, "none", ""), (12, "again", "after work"), (5, "no", "feels fine")),
        "",
    ),
    (6, 21, 5, "", (), ""),
    (12, 91, 6, "", (), ""),
    (3, 7, 4, "", ((1, "message", ""),), ""),
    (20, 28, 1, "", (), "booked"),
    (60, 28, 2, "", ((35, "message", ""),), "moved to another town, records sent"),
)
# Who called: Juno Park.
_DESK = 1
_LATELY = text(
    """
    SELECT v.id, v.patient_id, v.provider_id, t.dental, COALESCE(u.id, v.made_by) AS asker_id,
      MAX(n.id) AS next_id
    FROM visit v
    JOIN visit_type t ON t.id = v.type_id
    JOIN patient p ON p.id = v.patient_id AND p.status = 'active'
    LEFT JOIN `user` u ON u.provider_id = v.provider_id
    LEFT JOIN visit n ON n.patient_id = v.patient_id AND n.day > :today AND n.state IN ('booked', 'confirmed')
    WHERE v.state IN ('settled', 'left') AND v.day BETWEEN :first AND :last
    GROUP BY v.id, v.patient_id, v.provider_id, t.dental, asker_id
    ORDER BY v.day DESC, v.id
    LIMIT 400
    """
)


def write_returns(connection: Connection, today: date, now: datetime) -> None:
    """Returns of people who were here in the last two months; one hangs on a visit that is booked."""
    spans = {"first": today - timedelta(days=62), "last": today - timedelta(days=1), "today": today}
    people = {row.patient_id: row for row in connection.execute(_LATELY, spans)}
    left = list(people.values())
    for asked in _ASKED:
        dental, booked = REASONS[asked[2] - 1][4] in {"Toothache", "Filling"}, asked[5] == "booked"
        fits = (row for row in left if bool(row.dental) == dental and (row.next_id is not None) == booked)
        row = next(fits, None)
        if row is not None:
            left.remove(row)
            _write_one(connection, row, today, now, asked)


def _write_one(connection: Connection, row: Any, today: date, now: datetime, asked: Any) -> None:
    ago, due, place, note, tries, became = asked
    words, _, whom, urgent, kind = REASONS[place - 1]
    made = now - timedelta(days=ago)
    ended = bool(became) and became != "booked"
    values: Json = {
        "patient_id": row.patient_id,
        "reason_id": place,
        "words": words,
        "note": note,
        "due_day": today - timedelta(days=ago - due),
        "for_whom": whom,
        "urgent": urgent,
        "type_id": TYPE_ID[kind] if kind else None,
        "provider_id": row.provider_id,
        "visit_id": row.id,
        "booked_visit_id": row.next_id if became == "booked" else None,
        "made_at": made,
        "made_by": row.asker_id,
        "ended_at": now - timedelta(days=2) if ended else None,
        "ended_by": row.asker_id if ended else None,
        "ended_how": became if ended else "",
    }
    key = connection.execute(insert(schema.patient_return).values(**values)).inserted_primary_key
    assert key is not None
    events = [("asked", f"Asked back for {words}", made)]
    if became == "booked":
        events.append(("booked", "With a visit that was booked already", made + timedelta(days=1)))
    elif ended:
        events.append(("ended", f"Closed: {became}", now - timedelta(days=2)))
    connection.execute(
        insert(schema.return_event),
        [
            {"return_id": key[0], "kind": k, "words": w, "at": at, "by_id": row.asker_id}
            for k, w, at in events
        ],
    )
    for days, outcome, said in tries:
        connection.execute(
            insert(schema.contact_try).values(
                patient_id=row.patient_id,
                how="call",
                outcome=outcome,
                note=said,
                about=[f"return-{key[0]}"],
                at=now - timedelta(days=days),
                by_id=_DESK,
            )
        )
