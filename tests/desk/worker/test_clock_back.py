"""A clock that was an hour ahead and was set right: nothing waits for it to be that late again."""

from __future__ import annotations

from datetime import timedelta

import pytest
from sqlalchemy import insert, select

from tests.conftest import add_patient
from tests.desk.paying import pay
from tests.fakes import FakeTerminal
from zax.clock import ShiftedClock
from zax.desk.acts.transaction import Desk
from zax.desk.money.payments import Item
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside, Sale
from zax.store import schema
from zax.web.money.documents import receipt_pdf

HOUR = timedelta(hours=1)


def waiting(desk: Desk, **more: object) -> None:
    now = desk.clock.now()
    row = {"kind": "message", "payload": {"message_id": 0}, "state": "waiting", "due_at": now, "made_at": now}
    with desk.engine.begin() as connection:
        connection.execute(insert(schema.outbox).values(**row | more))


def due(desk: Desk) -> dict[str, object]:
    with desk.engine.connect() as connection:
        rows = connection.execute(select(schema.outbox.c.request_key, schema.outbox.c.due_at))
        return {row.request_key: row.due_at.replace(microsecond=0) for row in rows}


@pytest.mark.parametrize("back", [HOUR, timedelta(seconds=30)])
def test_what_a_clock_that_was_ahead_put_off_is_tried_now_and_the_rest_stays(
    desk: Desk, clock: ShiftedClock, outside: Outside, back: timedelta
) -> None:
    right = clock.now().replace(microsecond=0)
    clock.set_to(right + back)
    run_once(desk, outside, receipt_pdf, limit=0)
    ahead = right + back
    later = ahead + timedelta(seconds=15)
    waiting(desk, request_key="put off", made_at=right - HOUR, due_at=later, attempts=2)
    waiting(desk, request_key="just made", due_at=later)
    waiting(desk, request_key="lent", made_at=right, due_at=right, attempts=1, leased_until=ahead + back)
    waiting(desk, request_key="tomorrow", due_at=ahead + 20 * HOUR)
    waiting(desk, request_key="made before, for tonight", made_at=right - HOUR, due_at=right + 6 * HOUR)
    before = due(desk)
    clock.set_to(right)
    run_once(desk, outside, receipt_pdf, limit=0)
    after, moved = due(desk), {"put off": right, "just made": right}
    assert after == (before | moved if back == HOUR else before)
    with desk.engine.connect() as connection:
        lent = connection.execute(
            select(schema.outbox.c.leased_until).where(schema.outbox.c.request_key == "lent")
        ).scalar_one()
    assert lent <= (right + timedelta(minutes=1) if back == HOUR else ahead + back)


def test_a_card_that_was_asked_by_the_wrong_clock_is_cleared_up_right_away(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    right, terminal = clock.now(), outside.terminal
    assert isinstance(terminal, FakeTerminal)
    clock.set_to(right + HOUR)
    run_once(desk, outside, receipt_pdf)
    silent = FakeTerminal(answers=[Sale(state="unknown", words="no response")])
    taken = pay(desk, add_patient(desk), [Item(None, None, 1_200)], ("card", "12"), terminal=silent)
    assert not taken.whole
    clock.set_to(right)
    run_once(desk, outside, receipt_pdf)
    with desk.engine.connect() as connection:
        states = connection.execute(select(schema.payment.c.state)).scalars().all()
    assert states == ["declined"]  # the terminal never heard of it


def test_duties_go_on_by_the_clock_that_is_right(desk: Desk, clock: ShiftedClock, outside: Outside) -> None:
    right = clock.now()
    clock.set_to(right + HOUR)
    run_once(desk, outside, receipt_pdf, limit=0)
    clock.set_to(right)
    run_once(desk, outside, receipt_pdf, limit=0)
    with desk.engine.connect() as connection:
        beats = connection.execute(select(schema.beat.c.name, schema.beat.c.clock_at)).all()
    assert len(beats) > 10 and all(each.clock_at < right + timedelta(seconds=1) for each in beats)
