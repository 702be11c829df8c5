"""What the demo clinic's patients are due for again: recall types, a recall for everybody who was here for
one, and three months of following them up: tried, paused, ended, with an interval of their own.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, timedelta
from typing import Any

from sqlalchemy import Connection, insert, text

from zax.core.followup.recall import Interval, PlannedTry, RecallType, Unit, read_tries
from zax.core.json import Json
from zax.demo.world import TYPE_ID
from zax.store import schema
from zax.store.followup.recalls import keep_type

_YEARLY: Sequence[PlannedTry] = read_tries("email -30, text 0, call 30, letter 90")
RECALL_TYPES = (
    RecallType(
        id=0, name="Cleaning and exam", every=Interval(6, Unit.MONTH), type_id=TYPE_ID["Hygiene"], youngest=3
    ),
    RecallType(
        id=0,
        name="Gum care",
        every=Interval(4, Unit.MONTH),
        type_id=TYPE_ID["Gum care"],
        after=21,
        youngest=18,
    ),
    RecallType(
        id=0,
        name="Yearly physical",
        every=Interval(1, Unit.YEAR),
        type_id=TYPE_ID["Physical"],
        before=30,
        after=60,
        youngest=18,
        tries=tuple(_YEARLY),
    ),
    RecallType(
        id=0,
        name="Vaccines",
        every=Interval(1, Unit.YEAR),
        type_id=TYPE_ID["Vaccines"],
        before=30,
        after=60,
        oldest=17,
        tries=tuple(_YEARLY),
    ),
    RecallType(
        id=0,
        name="After an extraction",
        every=Interval(3, Unit.DAY),
        type_id=TYPE_ID["Toothache"],
        before=0,
        after=4,
        starts=("D7140",),
        repeats=False,
        tries=read_tries("call 0, call 2"),
        text="Hi {first}, how is it healing? Call us at {phone} if anything feels wrong. {clinic}",
    ),
)
_BY_VISITS = text(
    """
    INSERT INTO recall (patient_id, recall_type_id, due_day, made_at, visit_id)
    SELECT d.patient_id, d.recall_type_id,
      CASE d.unit
        WHEN 'month' THEN DATE_ADD(d.day, INTERVAL d.count MONTH)
        WHEN 'year' THEN DATE_ADD(d.day, INTERVAL d.count YEAR)
        ELSE DATE_ADD(d.day, INTERVAL d.count DAY)
      END, :now, d.visit_id
    FROM (
      SELECT v.patient_id, t.id AS recall_type_id, t.count, t.unit, t.youngest, t.oldest, MAX(v.day) AS day,
        MAX(v.id) AS visit_id
      FROM visit v
      JOIN recall_type t ON t.type_id = v.type_id AND JSON_LENGTH(t.starts) = 0
      WHERE v.state IN ('settled', 'left')
      GROUP BY v.patient_id, t.id, t.count, t.unit, t.youngest, t.oldest
    ) d
    JOIN patient p ON p.id = d.patient_id
    WHERE p.birth IS NULL OR (
      TIMESTAMPDIFF(YEAR, p.birth, d.day) >= d.youngest
      AND (d.oldest = 0 OR TIMESTAMPDIFF(YEAR, p.birth, d.day) < d.oldest)
    )
    """
)
_BY_SERVICES = text(
    """
    INSERT INTO recall (patient_id, recall_type_id, due_day, made_at, visit_id)
    SELECT v.patient_id, t.id, DATE_ADD(MAX(v.day), INTERVAL t.count DAY), :now, MAX(v.id)
    FROM charge_line l
    JOIN visit v ON v.id = l.visit_id AND v.state IN ('settled', 'left') AND v.day >= :lately
    JOIN service s ON s.id = l.service_id
    JOIN recall_type t ON JSON_CONTAINS(t.starts, JSON_QUOTE(s.code))
    WHERE l.removed_at IS NULL
    GROUP BY v.patient_id, t.id, t.count
    """
)
_OVERDUE = text(
    """
    SELECT r.id, r.patient_id, DATEDIFF(:today, r.due_day) AS days
    FROM recall r
    JOIN patient p ON p.id = r.patient_id AND p.status = 'active'
    WHERE r.ended_at IS NULL AND r.due_day BETWEEN :first AND :last
      AND NOT EXISTS (SELECT 1 FROM visit v WHERE v.patient_id = r.patient_id AND v.day >= :today)
    ORDER BY r.due_day DESC, r.id
    """
)
_LONG_AGO = text("SELECT id FROM recall WHERE ended_at IS NULL AND due_day < :last ORDER BY id")
_GAVE_UP = (
    "no answer to four tries and a letter",
    "goes to a clinic near work",
    "moved away",
    "will call when they want to come",
)
# How people were tried one after the other: days after the due day, how, with what outcome.
_TRIED: Sequence[Sequence[tuple[int, str, str]]] = (
    (),
    ((-12, "text", "sent"),),
    ((-12, "text", "sent"), (8, "text", "sent")),
    ((-12, "text", "sent"), (8, "text", "sent"), (22, "call", "message")),
    ((-10, "text", "sent"), (21, "call", "none"), (24, "call", "none")),
    ((7, "text", "sent"), (23, "call", "again")),
)
_DESK = (1, 2)  # Juno Park and Ravi Teller


def write_recalls(connection: Connection, now: datetime, lately: date) -> None:
    """The types, and a recall of each type for everybody who was here for it."""
    for kind in RECALL_TYPES:
        keep_type(connection, kind)
    connection.execute(_BY_VISITS, {"now": now})
    connection.execute(_BY_SERVICES, {"now": now, "lately": lately})


def follow_up(connection: Connection, today: date, now: datetime) -> None:
    """Three months of it: most of those that fell due were tried, a few are paused, ended or different."""
    spans = {"today": today, "first": today - timedelta(days=92), "last": today + timedelta(days=10)}
    rows = list(connection.execute(_OVERDUE, spans))
    tries = [
        {
            "patient_id": row.patient_id,
            "how": how,
            "outcome": outcome,
            "note": "after work" if outcome == "again" else "",
            "about": [f"recall-{row.id}"],
            "at": now - timedelta(days=row.days - after, minutes=37 * place % 420),
            "by_id": _DESK[place % 2],
        }
        for place, row in enumerate(rows)
        for after, how, outcome in _TRIED[place % len(_TRIED)]
        if after < row.days
    ]
    if tries:
        connection.execute(insert(schema.contact_try), tries)
    spoken = _spoken(rows, now)
    if spoken:
        connection.execute(insert(schema.contact_try), spoken)
    recall = schema.recall
    for place, row in enumerate(connection.execute(_LONG_AGO, {"last": spans["first"]}).all()):
        if place % 60:
            values = {
                "ended_at": now - timedelta(days=45 + place % 40),
                "ended_by": _DESK[place % 2],
                "ended_how": _GAVE_UP[place % len(_GAVE_UP)],
            }
            connection.execute(recall.update().where(recall.c.id == row.id).values(**values))
    for place, row in enumerate(rows[5::17][:4]):
        values = {"paused_until": today + timedelta(days=20 + 9 * place), "note": "back from a trip then"}
        connection.execute(recall.update().where(recall.c.id == row.id).values(**values))
    for row in rows[9::23][:3]:
        values = {"own_count": 3, "own_unit": "month", "note": "Dr. Calloway wants to see them sooner"}
        connection.execute(recall.update().where(recall.c.id == row.id).values(**values))
    for row in rows[12::29][:3]:
        values = {
            "ended_at": now - timedelta(days=4),
            "ended_by": _DESK[0],
            "ended_how": "goes to a clinic near work",
        }
        connection.execute(recall.update().where(recall.c.id == row.id).values(**values))


def _spoken(rows: Sequence[Any], now: datetime) -> list[Json]:
    """Calls of the last year that were picked up or not, each person at hours of their own."""
    return [
        {
            "patient_id": row.patient_id,
            "how": "call",
            "outcome": "reached" if each != place % 3 else "none",
            "note": "",
            "about": [],
            "at": now - timedelta(days=70 + 40 * each) + timedelta(hours=place % 7 + each % 2 - 2),
            "by_id": _DESK[each % 2],
        }
        for place, row in enumerate(rows)
        if place % 3
        for each in range(4)
    ]
