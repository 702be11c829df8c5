"""What tests of the Book share: booking in a line, reading a visit, undoing the last act."""

import json
import random
from datetime import date, timedelta
from typing import Any

from tests.conftest import JUNO, TODAY, add_patient, order
from zax.core.money.journal import balance, faults
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import check_in
from zax.desk.book.booking import book_visit
from zax.desk.book.moving import MoveOrder
from zax.desk.book.track import take_to_room
from zax.desk.book.undo import last_act, undo_act
from zax.desk.book.waitlist import entries
from zax.store.book import queries as visits
from zax.store.money import queries as money

STROKES = json.dumps([[[20 + n * 10, 90 + n % 4 * 15] for n in range(30)]])  # a signature
TOMORROW = TODAY + timedelta(days=1)
NOON = (TODAY.isoformat(), 10 * 60 + 42)


def booked(desk: Desk, start: str = "14:00", provider: int = 5, kind: str = "Sick visit", **more: Any) -> int:
    name = more.pop("first", f"P{random.randrange(10**6)}")
    return book_visit(desk, JUNO, order(add_patient(desk, first=name), provider, start, kind, **more))


def row(desk: Desk, visit_id: int) -> Any:
    with desk.engine.connect() as connection:
        return visits.one_visit(connection, visit_id)


def to(
    start: str, provider: int = 5, day: date = TODAY, minutes: str = "", site: int = 1, room: int = 0
) -> MoveOrder:
    return MoveOrder(site_id=site, day=day, at=start, provider_id=provider, minutes=minutes, room_id=room)


def undo(desk: Desk, actor: Any = JUNO) -> str:
    with desk.engine.connect() as connection:
        found = last_act(connection, actor.id, desk.clock.now())
    assert found is not None
    return undo_act(desk, actor, found.id)


def waiting(desk: Desk) -> list[tuple[str, str]]:
    with desk.engine.connect() as connection:
        return [(e.name, "+".join(r.why for r in e.reasons)) for e in entries(connection, desk.clinic, 1)]


def in_room(desk: Desk, patient: int, dental: bool = False, start: str = "14:00") -> int:
    wanted = order(patient, 1, start, "Filling") if dental else order(patient, 5, start, "Sick visit")
    visit_id = book_visit(desk, JUNO, wanted)
    check_in(desk, JUNO, visit_id)
    take_to_room(desk, JUNO, visit_id)
    return visit_id


def lines(desk: Desk, visit_id: int) -> list[Any]:
    with desk.engine.connect() as connection:
        return list(money.visit_lines(connection, visit_id))


def nothing_is_wrong(desk: Desk, visit_id: int) -> bool:
    with desk.engine.connect() as connection:
        return (
            faults(money.visit_entries(connection, visit_id), money.visit_allocations(connection, visit_id))
            == []
        )


def patient_open(desk: Desk, visit_id: int) -> int:
    with desk.engine.connect() as connection:
        return balance(money.visit_entries(connection, visit_id)).patient


ROOMS = """
SELECT COUNT(*) FROM visit v JOIN visit w ON v.room_id = w.room_id AND v.day = w.day AND v.id < w.id
AND v.start_min < w.start_min + w.minutes AND w.start_min < v.start_min + v.minutes
WHERE v.state NOT IN ('missed', 'canceled', 'shelf') AND w.state NOT IN ('missed', 'canceled', 'shelf')
"""
