"""Keeps the parts of Zax running: a part that ends by itself is started again, and so is one that has a pulse
and stopped beating. The other parts run on meanwhile.

The pause before a start grows while a part keeps ending soon after it, so that what cannot run does not keep
the machine busy; a part that has run for a while starts with no pause again.
"""

from __future__ import annotations

import os
import signal
import sys
import threading
import time
from collections.abc import Callable, Sequence
from ctypes import c_double
from dataclasses import dataclass, field
from multiprocessing import get_context
from multiprocessing.context import ForkProcess
from multiprocessing.sharedctypes import RawValue
from pathlib import Path
from typing import Protocol

import structlog

from zax.logs import configure, open_log
from zax.store.server import Server, ServerTrouble, end_with_parent

LONGEST_PAUSE = 60.0
STEADY_SECONDS = 60.0
# Longer than the longest step between two beats: a helper's handful of statements, a file of many claims.
SILENT_SECONDS = 120.0
MOST_LOG_BYTES = 5 * 1024 * 1024
_FORK = get_context("fork")


class Part(Protocol):
    """Something that can be started, looked at and ended."""

    name: str

    def start(self) -> None:
        """Raises OSError or ServerTrouble when it cannot be started now."""

    def alive(self) -> bool: ...

    def silent(self) -> float:
        """Seconds since its last beat; 0 for a part without a pulse."""

    def keep_log_small(self) -> None: ...

    def end(self) -> None:
        """End it, by force if need be; nothing happens when it has ended."""


@dataclass(slots=True)
class Process:
    """A part that is a forked process with a log of its own. `work` is handed what it calls to say that it
    lives; with `beats` it is expected to.
    """

    name: str
    work: Callable[[Callable[[], None]], None]
    log: Path
    beats: bool = False
    child: ForkProcess | None = None
    # Shared with the child: the moment of its last beat.
    _beat: c_double = field(default_factory=lambda: RawValue(c_double), repr=False)

    def start(self) -> None:
        self._note()
        self.child = _FORK.Process(target=self._run, name=self.name)
        self.child.start()

    def _run(self) -> None:
        """In the child: a session of its own, so that Ctrl-C reaches the parent alone; and the parent's end
        is the child's end.
        """
        os.setsid()
        end_with_parent()
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, signal.SIG_DFL)
        with open_log(self.log) as out:
            os.dup2(out.fileno(), 1)
            os.dup2(out.fileno(), 2)
        # Line by line, wherever they led before.
        sys.stdout, sys.stderr = (os.fdopen(n, "w", buffering=1, closefd=False) for n in (1, 2))
        os.umask(0o077)
        configure()
        try:
            self.work(self._note)
        except Exception as error:  # noqa: BLE001
            structlog.get_logger().error("ended", part=self.name, exc_info=error)
            raise SystemExit(1) from None

    def keep_log_small(self) -> None:
        """A log that has grown becomes the one before it; what is written goes on at its beginning."""
        if self.log.exists() and self.log.stat().st_size > MOST_LOG_BYTES:
            with open_log(self.log.with_suffix(".log.1")) as before:
                before.truncate(0)
                before.write(self.log.read_bytes())
            os.truncate(self.log, 0)

    def _note(self) -> None:
        self._beat.value = time.monotonic()

    def alive(self) -> bool:
        return self.child is not None and self.child.is_alive()

    def silent(self) -> float:
        return time.monotonic() - self._beat.value if self.beats else 0.0

    def end(self) -> None:
        if self.child is None:
            return
        self.child.terminate()
        self.child.join(8 if self.silent() < SILENT_SECONDS else 1)
        if self.child.is_alive():
            self.child.kill()
            self.child.join()
        self.child = None


@dataclass(slots=True)
class Database:
    """The database as a part."""

    server: Server
    name: str = "database"

    def start(self) -> None:
        self.server.start()

    def alive(self) -> bool:
        return self.server.process is not None and self.server.process.poll() is None

    def silent(self) -> float:
        return 0.0

    def keep_log_small(self) -> None:
        """The server keeps its own."""

    def end(self) -> None:
        self.server.stop()


@dataclass(slots=True)
class _Watched:
    """A part, when it was started last, how often in a row it ended soon, and when it may start again."""

    part: Part
    started: float
    ends: int = 0
    next_start: float | None = None


class Supervisor:
    """Watches parts that were started before. `say` is told in words what happens, `now` are seconds that
    only grow.
    """

    def __init__(
        self,
        parts: Sequence[Part],
        say: Callable[[str], None],
        now: Callable[[], float] = time.monotonic,
        longest_pause: float = LONGEST_PAUSE,
    ) -> None:
        self.say, self.now, self.longest_pause = say, now, longest_pause
        self.watched = [_Watched(part, now()) for part in parts]

    def watch(self, stop: threading.Event) -> None:
        """Until told to stop."""
        while not stop.wait(0.5):
            self.look()

    def look(self) -> None:
        """Start again what has ended and may start by now; end what is silent."""
        for each in self.watched:
            each.part.keep_log_small()
            if each.next_start is not None:
                if self.now() >= each.next_start:
                    self._start(each)
            elif not each.part.alive():
                self._ended(each, f"The {each.part.name} ended by itself")
            elif each.part.silent() > SILENT_SECONDS:
                each.part.end()
                self._ended(each, f"The {each.part.name} hung and was ended")

    def _ended(self, each: _Watched, what: str) -> None:
        if self.now() - each.started > STEADY_SECONDS:
            each.ends = 0
        pause = min(self.longest_pause, 2.0**each.ends)
        each.ends += 1
        each.next_start = self.now() + pause
        self.say(f"{what}. It starts again in {pause:.0f} s.")

    def _start(self, each: _Watched) -> None:
        each.started, each.next_start = self.now(), None
        try:
            each.part.start()
        except (OSError, ServerTrouble) as trouble:
            self._ended(each, f"The {each.part.name} could not start: {trouble}")
