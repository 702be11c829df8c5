"""The made-up clinic in processes of its own, whose parts can be struck down one by one.

It runs exactly as `zax demo` does, by the same supervisor, but for its longest pause: what dies many times a
minute on purpose is started again at once. Lines on its standard input move the clock of whatever starts
from then on, by so many seconds.
"""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

import httpx
from sqlalchemy import Engine

from zax.demo.run import run_demo
from zax.settings import ROOT
from zax.store.engine import connect
from zax.store.server import url_of

READY_SECONDS, WELL_SECONDS = 240.0, 120.0
DATABASE = "database"
# Each part by where its standard output leads.
LOGS = {
    "web": "serve.log",
    "worker": "worker.log",
    "worker for long runs": "long-runs.log",
    "stand-in": "standin.log",
}
PORTS = ("ZAX_PORT", "ZAX_DB_PORT", "ZAX_STANDIN_PORT", "ZAX_SMTP_PORT", "ZAX_POP_PORT")


class NotWell(RuntimeError):
    """The clinic was not back in time."""


@dataclass(slots=True)
class Clinic:
    """`var` is its folder, `ports` the five of PORTS in that order."""

    var: Path
    ports: Mapping[str, int]
    process: subprocess.Popen[str] | None = None
    shift: int = 0  # seconds that its clock was moved so far
    _client: httpx.Client = field(default_factory=lambda: httpx.Client(trust_env=False, timeout=5))

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.ports['ZAX_PORT']}"

    @property
    def standin_url(self) -> str:
        return f"http://127.0.0.1:{self.ports['ZAX_STANDIN_PORT']}"

    def engine(self) -> Engine:
        """As the owner of the database, for whoever looks from outside."""
        return connect(url_of(self.var / "db", self.ports["ZAX_DB_PORT"]))

    def start(self) -> None:
        """Seeded and well, or NotWell."""
        more = {name: str(port) for name, port in self.ports.items()}
        paths = {"ZAX_VAR": str(self.var), "PYTHONPATH": str(ROOT / "src")}
        self.var.mkdir(parents=True, exist_ok=True)
        with (self.var / "console.log").open("w") as out:
            self.process = subprocess.Popen(
                [sys.executable, "-m", __name__],
                env=os.environ | more | paths | {"ZAX_DEMO_SIZE": "short", "ZAX_STANDIN_PAY_SECONDS": "0"},
                stdin=subprocess.PIPE,
                stdout=out,
                stderr=out,
                text=True,
            )
        self._until(self.is_well, READY_SECONDS)

    def stop(self) -> None:
        if self.process is None:
            return
        self.process.terminate()
        self.process.wait(60)
        self.process = None
        self._client.close()

    def pid(self, part: str) -> int | None:
        """That of the part's process now; None while it is down."""
        assert self.process is not None
        children = Path(f"/proc/{self.process.pid}/task/{self.process.pid}/children")
        for child in children.read_text().split():
            if _is(Path("/proc") / child, part):
                return int(child)
        return None

    def strike(self, part: str, number: signal.Signals = signal.SIGKILL) -> bool:
        """Whether there was somebody to strike; who is killed is gone when this returns."""
        found = self.pid(part)
        if found is None:
            return False
        os.kill(found, number)
        if number == signal.SIGKILL:
            self._until(lambda: self.pid(part) != found, WELL_SECONDS)
        return True

    def jump(self, seconds: int) -> None:
        """The clock of web and workers is another from now on: they are killed and start with it."""
        assert self.process is not None and self.process.stdin is not None
        self.process.stdin.write(f"{seconds}\n")
        self.process.stdin.flush()
        self.shift += seconds
        for part in ("web", "worker", "worker for long runs"):
            self.strike(part)

    def is_well(self) -> bool:
        """Every part is there, and the web says so of database and worker."""
        assert self.process is not None
        if self.process.poll() is not None:
            raise NotWell(f"the clinic ended by itself: {(self.var / 'console.log').read_text()[-600:]}")
        if any(self.pid(part) is None for part in (DATABASE, *LOGS)):
            return False
        try:
            answers = [self._client.get(self.url + "/healthz"), self._client.get(self.standin_url + "/mail")]
        except httpx.TransportError:
            return False  # not up again yet
        return all(each.status_code == 200 for each in answers)

    def until_well(self) -> float:
        """Seconds that it took."""
        began = time.monotonic()
        self._until(self.is_well, WELL_SECONDS)
        return time.monotonic() - began

    def _until(self, condition: Callable[[], bool], seconds: float) -> None:
        if not within(seconds, condition):
            raise NotWell(f"the clinic was not well within {seconds:.0f} s; see {self.var / 'log'}")


def within(seconds: float, condition: Callable[[], bool], pause: float = 0.1) -> bool:
    """Whether the condition came true in time; it is asked at least once, and again after each pause."""
    deadline = time.monotonic() + seconds
    while not condition():
        if time.monotonic() > deadline:
            return False
        time.sleep(pause)
    return True


def _is(process: Path, part: str) -> bool:
    try:
        if (process / "stat").read_text().rpartition(")")[2].split()[0] == "Z":
            return False
        if part == DATABASE:
            return (process / "comm").read_text().strip() == "mariadbd"
        return (process / "fd" / "1").readlink().name == LOGS[part]
    except OSError:
        return False  # it has just ended


def _follow_clock() -> None:
    """Each line is a jump, in seconds, of the clock that the parts to come are started with. Read without
    Python's own buffer: a part forked meanwhile would wait forever for the lock on it.
    """
    while line := os.read(0, 64):
        shift = float(os.environ.get("ZAX_CLOCK_SHIFT", "0")) + float(line)
        os.environ["ZAX_CLOCK_SHIFT"] = str(shift)


if __name__ == "__main__":
    threading.Thread(target=_follow_clock, daemon=True).start()
    sys.exit(run_demo(fresh=False, longest_pause=1.0))
