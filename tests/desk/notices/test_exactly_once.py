"""Each message goes out once, as the other side counts, wherever a worker dies; and the log says what really
went.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import timedelta

import pytest

from tests.conftest import add_patient, at, scalar
from tests.desk.notices.made import log, only, told
from tests.desk.notices.test_planning import DAY, REMINDER, TEXT, move_to, visit, works
from tests.fakes import FakeTexts
from zax.clock import ShiftedClock
from zax.core.notices.events import Event
from zax.desk.acts.transaction import Desk
from zax.desk.notices import planning, sending
from zax.desk.worker.errands import LEASE
from zax.outside.doors import Outside

PEOPLE = 4


@dataclass
class Dying(FakeTexts):
    """Its worker dies at the `at`-th text, before or after the gateway has it."""

    at: int = 0
    after: bool = False
    calls: int = 0

    def send(self, key: str, to: str, words: str) -> None:
        self.calls += 1
        dies = self.calls == self.at
        if dies and not self.after:
            raise KeyboardInterrupt
        if key in self.sent:
            raise AssertionError(f"{key} was handed over twice")
        FakeTexts.send(self, key, to, words)
        if dies:
            raise KeyboardInterrupt


def until_it_dies(desk: Desk, outside: Outside) -> None:
    try:
        works(desk, outside)
    except KeyboardInterrupt:
        return


def booked(desk: Desk) -> list[int]:
    return [
        visit(desk, add_patient(desk, first=f"P{n}", phone=f"360555010{n}"), f"{8 + n}:00")
        for n in range(PEOPLE)
    ]


@pytest.mark.parametrize("after", [False, True])
@pytest.mark.parametrize("number", range(1, PEOPLE + 1))
def test_a_worker_that_dies_at_any_text_sends_none_twice_and_forgets_none(
    desk: Desk, clock: ShiftedClock, outside: Outside, number: int, after: bool
) -> None:
    only(desk, REMINDER)
    booked(desk)
    gateway = Dying(at=number, after=after)
    outside = replace(outside, texts=gateway)
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    for minute in range(6):
        clock.set_to(at(16, minute, DAY - timedelta(days=2)))
        until_it_dies(desk, outside)
    assert sorted(to for to, _ in gateway.sent.values()) == [f"360555010{n}" for n in range(PEOPLE)]
    for row in log(desk):
        assert (row["state"], row["words"]) == ("sent", gateway.sent[row["request_key"]][1])


@pytest.mark.parametrize("after", [False, True])
def test_a_visit_that_moves_between_dying_and_trying_again(
    desk: Desk, clock: ShiftedClock, outside: Outside, after: bool
) -> None:
    """What had gone is logged as it went; what had not doesn't go with the old time."""
    only(desk, REMINDER, (Event.MOVED, TEXT, "at once"))
    (first, *_) = booked(desk)
    gateway = Dying(at=1, after=after)
    outside = replace(outside, texts=gateway)
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    until_it_dies(desk, outside)
    move_to(desk, first, DAY + timedelta(days=1), "15:00")
    clock.set_to(at(16, 5, DAY - timedelta(days=2)) + LEASE)
    works(desk, outside)
    said = [words for to, words in gateway.sent.values() if to == "3605550100"]
    assert ["Tue, Dec 1, 8:00 am" in words for words in said] == ([True, False] if after else [False])
    assert "has moved. It's now Wed, Dec 2, 3:00 pm" in said[-1]


def test_a_planner_that_dies_in_the_middle_leaves_nothing_half_done(
    desk: Desk, clock: ShiftedClock, outside: Outside, monkeypatch: pytest.MonkeyPatch
) -> None:
    only(desk, REMINDER)
    booked(desk)
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    for name in ("put_messages", "write_told"):

        def dies(*_: object) -> None:
            raise KeyboardInterrupt

        with monkeypatch.context() as patch:
            patch.setattr(planning, name, dies)
            with pytest.raises(KeyboardInterrupt):
                planning.plan_messages(desk)
        assert log(desk) == [] and told(desk) == []
    assert planning.plan_messages(desk) == PEOPLE
    assert planning.plan_messages(desk) == 0


def test_a_worker_that_dies_before_it_has_noted_it_asks_before_it_sends_again(
    desk: Desk, clock: ShiftedClock, outside: Outside, monkeypatch: pytest.MonkeyPatch
) -> None:
    only(desk, REMINDER)
    visit(desk, add_patient(desk))
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    gateway = Dying()
    outside = replace(outside, texts=gateway)

    def dies(*_: object) -> None:
        raise KeyboardInterrupt

    with monkeypatch.context() as patch:
        patch.setattr(sending, "_sent", dies)
        until_it_dies(desk, outside)
    assert gateway.calls == 1 and log(desk)[0]["state"] == "sending"
    clock.set_to(at(16, 5, DAY - timedelta(days=2)))
    works(desk, outside)
    assert gateway.calls == 1 and log(desk)[0]["state"] == "sent"
    assert scalar(desk, "SELECT COUNT(*) FROM outbox WHERE state = 'waiting'") == 0
