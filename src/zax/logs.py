"""How Zax logs: a line each, and for a defect where it happened and of what kind it was. What may come
thousands of times while something is down is written once a minute.

Values are never written, neither those of local variables nor the message of an error, which may quote them:
they hold patients' data.
"""

from __future__ import annotations

import time
import traceback
from threading import Lock
from typing import TextIO

import structlog
from structlog.typing import ExcInfo

SELDOM_SECONDS = 60.0


def configure() -> None:
    """For every process, before it logs anything."""
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="%Y-%m-%d %H:%M:%S", utc=False),
            structlog.dev.ConsoleRenderer(colors=False, exception_formatter=where_it_happened),
        ]
    )


def where_it_happened(out: TextIO, exc_info: ExcInfo) -> None:
    """The frames and the kind of an error and of what caused it, the first cause first."""
    chain: list[BaseException] = []
    error: BaseException | None = exc_info[1]
    while error is not None and error not in chain:
        chain.append(error)
        error = error.__cause__ or (None if error.__suppress_context__ else error.__context__)
    for each in reversed(chain):
        for frame in traceback.extract_tb(each.__traceback__):
            out.write(f"  {frame.filename}:{frame.lineno} in {frame.name}: {frame.line}\n")
        out.write(f"{type(each).__module__}.{type(each).__qualname__}\n")


class Seldom:
    """Warnings of one kind, written at most once a minute, with how many there were since the last."""

    def __init__(self, event: str) -> None:
        self.event = event
        self._turn = Lock()
        self._last: float | None = None
        self._held = 0

    def warn(self, **values: object) -> None:
        with self._turn:
            self._held += 1
            now = time.monotonic()
            if self._last is not None and now - self._last < SELDOM_SECONDS:
                return
            times, self._held, self._last = self._held, 0, now
        structlog.get_logger().warning(self.event, times=times, **values)
