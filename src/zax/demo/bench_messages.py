"""What an evening of reminders costs: fifty thousand visits of one day, each of a patient of their own,
planned in one go, beside the rows alone written by hand. Afterwards everything is as it was.
"""

from __future__ import annotations

import time
from dataclasses import asdict, replace
from datetime import datetime, timedelta

from sqlalchemy import URL, Engine, text

from zax.clock import to_utc
from zax.core.json import Json
from zax.core.messages.channel import Channel
from zax.core.notices.events import EVENTS, Event
from zax.core.notices.rule import shipped_rule
from zax.demo.bench_data import desk_at_opening
from zax.demo.bench_memory import largest_mb, now_mb
from zax.demo.world import ZONE
from zax.desk.notices.planning import plan_messages
from zax.desk.notices.rules import SETTING, Habits
from zax.store.clinic import settings
from zax.store.engine import connect
from zax.store.notices.rules import keep_rule

MANY = 50_000
FIRST = 1_000
NOTE = "bench-reminders"
_VISITS = text(
    "INSERT INTO visit (site_id, patient_id, provider_id, room_id, type_id, day, start_min, minutes, note,"
    " state,"
    " made_at) SELECT 1, p.id, 1, 1, 1, :day, 480 + MOD(p.id, 96) * 5, 30, :note, 'booked', :made FROM"
    " patient p WHERE"
    " p.status = 'active' AND p.phone <> '' AND p.texts_to = 'phone' AND p.birth < '2000-01-01' AND p.id >"
    " :after"
    " ORDER BY p.id LIMIT :many"
)
_FLOOR = (
    "CREATE TEMPORARY TABLE bench_message LIKE message",
    "CREATE TEMPORARY TABLE bench_told LIKE notice_told",
    "CREATE TEMPORARY TABLE bench_outbox LIKE outbox",
)
_FLOOR_ROWS = (
    "INSERT INTO bench_message SELECT * FROM message WHERE event = 'reminder' AND made_at >= :since",
    "INSERT INTO bench_told SELECT * FROM notice_told WHERE event = 'reminder' AND at >= :since",
    "INSERT INTO bench_outbox SELECT * FROM outbox WHERE kind = 'message' AND made_at >= :since",
)


def planning_cost(url: URL, many: int) -> Json:
    """Seconds to plan so many reminders, megabytes more than the first thousand took, and the seconds in
    which the database copies the same rows.
    """
    engine = connect(url)
    desk, clock, opens = desk_at_opening(engine)
    day = opens.date() + timedelta(days=90)
    _take_away(engine)
    try:
        with engine.begin() as connection:
            habits = Habits(runs=True, since=opens.isoformat(), texts_a_minute=6_000)
            settings.keep_setting(connection, SETTING, asdict(habits))
            for event, kind in EVENTS.items():
                for channel in kind.by:
                    rule = shipped_rule(event, channel)
                    runs = (event, channel) == (Event.REMINDER, Channel.TEXT)
                    keep_rule(connection, replace(rule, runs=runs, again=None), opens)
            settings.set_version(connection, desk.clinic.version + 1)
        evening = to_utc(datetime(day.year, day.month, day.day, 16) - timedelta(days=2), ZONE)
        after = _book(engine, day, opens, FIRST, 0)
        clock.set_to(evening)
        assert plan_messages(desk) > 0
        first = now_mb()
        _book(engine, day, opens, many, after)
        began = time.monotonic()
        made = plan_messages(desk)
        seconds = time.monotonic() - began
        again = plan_messages(desk)
        floor = _floor(engine, evening)
        return {
            "visits": many,
            "messages": made,
            "seconds": round(seconds, 1),
            "again": again,
            "mb": round(largest_mb() - first, 1),
            "floor_s": round(floor, 1),
            "ratio": round(seconds / floor, 2),
        }
    finally:
        _take_away(engine)
        engine.dispose()


def _book(engine: Engine, day: object, made: datetime, many: int, after: int) -> int:
    """So many visits, each of another patient; the last patient."""
    with engine.begin() as connection:
        connection.execute(_VISITS, {"day": day, "note": NOTE, "made": made, "after": after, "many": many})
        last = text("SELECT MAX(patient_id) FROM visit WHERE note = :note")
        return int(connection.execute(last, {"note": NOTE}).scalar_one())


def _floor(engine: Engine, since: datetime) -> float:
    with engine.connect() as connection:
        for statement in _FLOOR:
            connection.execute(text(statement))
        began = time.monotonic()
        for statement in _FLOOR_ROWS:
            connection.execute(text(statement), {"since": since - timedelta(hours=1)})
        connection.commit()
        return time.monotonic() - began


def _take_away(engine: Engine) -> None:
    mine = "(SELECT id FROM visit WHERE note = 'bench-reminders')"
    with engine.begin() as connection:
        connection.execute(text("SET foreign_key_checks=0"))
        for statement in (
            f"DELETE o FROM outbox o JOIN message m ON m.request_key = o.request_key WHERE m.visit_id IN"
            f" {mine}",
            f"DELETE FROM notice_told WHERE event = 'reminder' AND subject_id IN {mine}",
            f"DELETE FROM message WHERE visit_id IN {mine}",
            "DELETE FROM visit WHERE note = 'bench-reminders'",
            "DELETE FROM notice_rule",
            f"DELETE FROM setting WHERE name = '{SETTING}'",
        ):
            connection.execute(text(statement))
        connection.execute(text("SET foreign_key_checks=1"))
