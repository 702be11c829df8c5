"""A door that gives no answer rests, and nothing waits for it meanwhile."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import free_port
from tests.fakes import FakeCalls, FakeClearinghouse, FakeMail, FakeTerminal, FakeTexts
from zax import processes
from zax.outside.adapters import real_outside
from zax.outside.doors import DoorRefused, DoorRests, NoAnswer, Outside, OutsideTrouble, Sale, TextReply
from zax.outside.resting import LONGEST_SECONDS, Rest, next_rest, resting

HANG = 20.0


@dataclass
class Slow(FakeTexts):
    """Each knock takes its time-out while `away`, by a clock of its own."""

    away: bool = True
    now: float = 0.0
    knocks: list[float] = field(default_factory=list)
    says: Exception | None = None

    def send(self, key: str, to: str, words: str) -> None:
        self._knock()
        super().send(key, to, words)

    def replies(self) -> list[TextReply]:
        self._knock()
        return super().replies()

    def _knock(self) -> None:
        self.knocks.append(self.now)
        if self.away:
            self.now += HANG
            raise NoAnswer("The text gateway can’t be reached (ReadTimeout).")
        if self.says:
            raise self.says


def doors(texts: FakeTexts, now: Callable[[], float]) -> Outside:
    return resting(
        Outside(FakeTerminal(), FakeClearinghouse(), FakeMail(), texts, FakeCalls()),
        now,
    )


def test_after_no_answer_calls_fail_at_once_until_the_rest_is_over() -> None:
    gateway = Slow()
    ours = doors(gateway, lambda: gateway.now)
    with pytest.raises(NoAnswer):
        ours.texts.send("a", "3605550101", "Hi")
    for key in "abc":
        with pytest.raises(DoorRests, match="can’t be reached"):
            ours.texts.send(key, "3605550101", "Hi")
    assert gateway.knocks == [0]
    gateway.now += LONGEST_SECONDS
    gateway.away = False
    ours.texts.send("a", "3605550101", "Hi")
    ours.texts.send("b", "3605550101", "Hi")
    assert list(gateway.sent) == ["a", "b"]


@pytest.mark.parametrize(
    "says", [OutsideTrouble("an error (503)"), DoorRefused("no phone"), ValueError("ours")]
)
def test_an_answer_of_any_kind_ends_it(says: Exception) -> None:
    gateway = Slow(says=says)
    ours = doors(gateway, lambda: gateway.now)
    with pytest.raises(NoAnswer):
        ours.texts.send("a", "3605550101", "Hi")
    gateway.away, gateway.now = False, gateway.now + LONGEST_SECONDS
    for _ in range(3):
        with pytest.raises(type(says)):
            ours.texts.send("a", "3605550101", "Hi")
    assert len(gateway.knocks) == 4


def test_a_door_rests_whole_a_payer_for_itself_and_a_card_is_never_kept_from_the_terminal() -> None:
    class Mute(FakeTerminal):
        def look_up(self, key: str) -> Sale:
            raise NoAnswer("The terminal can’t be reached.")

    class SlowPayer(FakeClearinghouse):
        def ask(self, text: str) -> str:
            raise NoAnswer("The clearinghouse didn’t answer in time.")

    gateway = Slow()
    ours = resting(Outside(Mute(), SlowPayer(), FakeMail(), gateway, FakeCalls()), lambda: 0.0)
    calls: list[Callable[[], object]] = [
        lambda: ours.texts.send("a", "3605550101", "Hi"),
        lambda: ours.terminal.look_up("k"),
        lambda: ours.clearinghouse.ask("ISA"),
    ]
    for call in calls:
        with pytest.raises(NoAnswer):
            call()
        with pytest.raises(DoorRests):
            call()
    with pytest.raises(DoorRests):
        ours.texts.replies()
    ours.clearinghouse.deliver("k", "name", "ISA")
    assert ours.clearinghouse.collect() == [] and ours.calls.knows("a") is False
    assert ours.terminal.sell("k1", 100).state == ours.terminal.sell("k2", 100).state == "approved"


@given(st.lists(st.tuples(st.booleans(), st.floats(0, 90)), max_size=60))
def test_whatever_comes_a_resting_door_is_left_alone_and_never_for_long(
    story: list[tuple[bool, float]],
) -> None:
    """Each step: whether the gateway is away, and the seconds until the next call. What is lost to it is one
    time-out in four; an answer is never more than a minute of rest away.
    """
    gateway = Slow()
    ours = doors(gateway, lambda: gateway.now)
    in_vain = -LONGEST_SECONDS
    for away, pause in story:
        gateway.away = away
        began, knocks = gateway.now, len(gateway.knocks)
        try:
            ours.texts.send("a", "3605550101", "Hi")
        except DoorRests:
            assert len(gateway.knocks) == knocks and gateway.now == began < in_vain + LONGEST_SECONDS
        except NoAnswer:
            assert away and began >= in_vain + LONGEST_SECONDS
            in_vain = gateway.now
        else:
            assert not away and began >= in_vain + LONGEST_SECONDS
        gateway.now += pause


@pytest.mark.parametrize(
    "call",
    [
        lambda ours: ours.texts.send("a", "3605550101", "Hi"),
        lambda ours: ours.texts.replies(),
        lambda ours: ours.calls.place("a", "3605550101", "Hi", "en"),
        lambda ours: ours.mail.check(),
        lambda ours: ours.clearinghouse.collect(),
        lambda ours: ours.terminal.look_up("k"),
        lambda ours: ours.pay_page.look_up("k"),
        lambda ours: ours.pay_page.taken_back(),
    ],
)
def test_where_nobody_is_every_door_rests(call: Callable[[Outside], object]) -> None:
    nobody = resting(real_outside(f"http://127.0.0.1:{free_port()}", free_port(), 1.0), lambda: 0.0)
    with pytest.raises(NoAnswer):
        call(nobody)
    with pytest.raises(DoorRests):
        call(nobody)


def test_the_worker_lets_doors_rest(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    nobody = real_outside(f"http://127.0.0.1:{free_port()}", free_port(), 1.0)
    given_to: list[Outside] = []

    class Seen(Exception):
        pass

    def one_round(desk: object, outside: Outside, *_: object, **__: object) -> int:
        given_to.append(outside)
        raise Seen

    monkeypatch.setenv("ZAX_VAR", str(tmp_path))
    for name in ("desk_of", "_give_numbers", "prune_feed"):
        monkeypatch.setattr(processes, name, lambda *_: None)
    monkeypatch.setattr(processes, "_sign_of_life", lambda *_: lambda: None)
    monkeypatch.setattr(processes.signal, "signal", lambda *_: None)
    monkeypatch.setattr(processes, "outside_of", lambda *_: nobody)
    monkeypatch.setattr(processes, "run_once", one_round)
    with pytest.raises(Seen):
        processes.run_worker()
    (ours,) = given_to
    with pytest.raises(NoAnswer):
        ours.mail.check()
    with pytest.raises(DoorRests):
        ours.mail.check()


@pytest.mark.parametrize(
    ("took", "rests"), [(0.0, [2, 4, 8, 16, 32, 60, 60]), (3.0, [9, 9, 9, 16, 32, 60]), (20.0, [60, 60])]
)
def test_the_rest_grows_and_is_longer_where_it_took_long(took: float, rests: list[float]) -> None:
    rest: Rest | None = None
    now = 100.0
    for seconds in rests:
        rest = next_rest(rest, now - took, now, "no answer")
        assert rest.until - now == seconds
