"""What ends is started again, what hangs is ended first, and the rest runs on meanwhile."""

from __future__ import annotations

import os
import signal
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest

from zax.store.server import ServerTrouble
from zax.supervisor import LONGEST_PAUSE, SILENT_SECONDS, STEADY_SECONDS, Process, Supervisor


@dataclass
class FakePart:
    name: str = "worker"
    up: bool = True
    quiet: float = 0.0
    starts: int = 0
    trouble: Exception | None = None
    looked_at_log: bool = False

    def start(self) -> None:
        self.starts += 1
        if self.trouble:
            raise self.trouble
        self.up, self.quiet = True, 0.0

    def alive(self) -> bool:
        return self.up

    def silent(self) -> float:
        return self.quiet

    def keep_log_small(self) -> None:
        self.looked_at_log = True

    def end(self) -> None:
        self.up = False


class Time:
    at = 1000.0

    def __call__(self) -> float:
        return self.at


@pytest.fixture
def time() -> Time:
    return Time()


def test_a_part_that_ends_is_started_again_after_a_pause_that_grows(time: Time) -> None:
    part, other, said = FakePart(), FakePart("web"), list[str]()
    supervisor = Supervisor([part, other], said.append, time)
    pauses = []
    for _ in range(9):
        part.up = False
        supervisor.look()
        began, before = time.at, part.starts
        while part.starts == before:
            time.at += 0.5
            supervisor.look()
        pauses.append(time.at - began)
    assert pauses == [1, 2, 4, 8, 16, 32, LONGEST_PAUSE, LONGEST_PAUSE, LONGEST_PAUSE]
    assert other.starts == 0 and other.looked_at_log
    assert said[0] == "The worker ended by itself. It starts again in 1 s."
    time.at += STEADY_SECONDS + 1
    part.up = False
    supervisor.look()
    assert said[-1].endswith("in 1 s.")  # it has run well for a while


def test_a_part_that_hangs_is_ended_and_started_again(time: Time) -> None:
    part, said = FakePart(), list[str]()
    supervisor = Supervisor([part], said.append, time)
    part.quiet = SILENT_SECONDS - 1
    supervisor.look()
    assert part.up and said == []
    part.quiet = SILENT_SECONDS + 1
    supervisor.look()
    assert not part.up and said == ["The worker hung and was ended. It starts again in 1 s."]
    time.at += 1
    supervisor.look()
    assert part.up and part.starts == 1


@pytest.mark.parametrize("trouble", [ServerTrouble("Port 8401 is taken."), OSError(12, "no memory")])
def test_a_part_that_cannot_start_is_tried_again(time: Time, trouble: Exception) -> None:
    part, said = FakePart("database", up=False, trouble=trouble), list[str]()
    supervisor = Supervisor([part], said.append, time)
    for _ in range(6):
        supervisor.look()
        time.at += 1
    assert part.starts == 2 and "could not start" in said[-1]
    part.trouble = None
    time.at += 10
    supervisor.look()
    assert part.up


# --- real processes
def _beating(note: Callable[[], None]) -> None:
    stop = threading.Event()
    signal.signal(signal.SIGTERM, lambda *_: stop.set())
    while not stop.wait(0.05):
        note()


def _hanging(note: Callable[[], None]) -> None:
    note()
    signal.signal(signal.SIGTERM, signal.SIG_IGN)
    threading.Event().wait()


@pytest.fixture
def started(tmp_path: Path) -> Iterator[Callable[..., Process]]:
    made: list[Process] = []

    def start(work: Callable[[Callable[[], None]], None]) -> Process:
        made.append(Process("worker", work, tmp_path / "worker.log", beats=True))
        made[-1].start()
        return made[-1]

    yield start
    for part in made:
        part.end()


def until(condition: Callable[[], bool]) -> None:
    waited = threading.Event()
    for _ in range(400):
        if condition():
            return
        waited.wait(0.05)
    raise AssertionError("waited in vain")


def test_a_killed_process_comes_back_and_its_pulse_is_seen(started: Callable[..., Process]) -> None:
    part = started(_beating)
    supervisor = Supervisor([part], lambda _: None)
    assert part.alive() and part.silent() < 5 and part.child is not None
    first = part.child.pid
    assert first is not None
    os.kill(first, signal.SIGKILL)
    until(lambda: not part.alive())
    until(lambda: supervisor.look() is None and part.alive())
    assert part.child is not None and part.child.pid != first


def test_a_hanging_process_that_heeds_no_signal_is_ended(
    started: Callable[..., Process], monkeypatch: pytest.MonkeyPatch
) -> None:
    part = started(_hanging)
    assert part.child is not None
    first = part.child.pid
    monkeypatch.setattr("zax.supervisor.SILENT_SECONDS", 0.2)
    supervisor = Supervisor([part], lambda _: None)
    until(lambda: supervisor.look() is None and part.child is not None and part.child.pid != first)
    assert first is not None
    with pytest.raises(ProcessLookupError):
        os.kill(first, 0)
