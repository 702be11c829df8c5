"""What the demo clinic's people handed each other: a deposit to take, a question, something done."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, timedelta

from sqlalchemy import Connection, insert, text

from zax.core.wording import day_words
from zax.store import schema

# Who gave it, to whom (a person or a role), for which of today's visits, what, cents, days until it is due,
# and how it went (None: still open).
_GIVEN: Sequence[tuple[int, int | None, str, int, str, int, int | None, str | None]] = (
    (5, None, "receptionist", 0, "take a deposit before we order the crown", 40_000, 0, None),
    (1, 3, "", 1, "she asks why the second claim was sent", 0, 1, None),
    (3, None, "receptionist", 2, "new card, photograph both sides", 0, 0, None),
    (4, 1, "", 3, "call about Thursday, the room is closed", 0, 2, None),
    (1, 5, "", 4, "why does this picture need repeating?", 0, None, "the tip was cut off; done again"),
)
_TODAY = text(
    "SELECT v.id, v.patient_id, CONCAT(p.first, ' ', p.last) AS name FROM visit v JOIN"
    " patient p ON p.id = v.patient_id WHERE v.day = :today AND v.state IN ('checkout', 'room', 'here',"
    " 'confirmed') ORDER BY v.state, v.id LIMIT 20"
)


def write_hand_overs(connection: Connection, today: date, now: datetime) -> None:
    """About today's visits, given this morning or yesterday."""
    visits = connection.execute(_TODAY, {"today": today}).all()
    for giver, to_user, to_role, place, words, cents, due, went in _GIVEN[: len(visits)]:
        visit = visits[place]
        values = {
            "about": "visit",
            "about_id": visit.id,
            "patient_id": visit.patient_id,
            "title": f"{visit.name}, {day_words(today, year=True)}",
            "words": words,
            "cents": cents,
            "to_user_id": to_user,
            "to_role": to_role,
            "due_day": None if due is None else today + timedelta(days=due),
            "made_at": now - timedelta(hours=2 + 20 * (went is not None)),
            "made_by": giver,
            "done_at": now - timedelta(hours=1) if went is not None else None,
            "done_by": to_user if went is not None else None,
            "done_words": went or "",
        }
        connection.execute(insert(schema.hand_over).values(**values))
