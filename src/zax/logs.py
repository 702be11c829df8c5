"""How Zax logs: a line each, and for a defect where it happened and of what kind it was. What may come
thousands of times while something is down is written once a minute.

Values are never written, neither those of local variables nor the message of an error, which may quote them:
they hold patients' data. The same holds for what the libraries below us log by themselves.
"""

from __future__ import annotations

import io
import logging
import os
import time
import traceback
from pathlib import Path
from threading import Lock
from typing import BinaryIO, TextIO

import structlog
from structlog.typing import ExcInfo

SELDOM_SECONDS = 60.0


def configure() -> None:
    """For every process, before it logs anything."""
    handler = logging.StreamHandler()
    handler.setFormatter(_Plain("%(asctime)s [%(levelname)s] %(name)s: %(message)s"))
    logging.basicConfig(level=logging.WARNING, handlers=[handler], force=True)
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="%Y-%m-%d %H:%M:%S", utc=False),
            structlog.dev.ConsoleRenderer(colors=False, exception_formatter=where_it_happened),
        ]
    )


def open_log(path: Path) -> BinaryIO:
    """To be written at its end, for its owner's eyes alone."""
    return os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600), "ab", buffering=0)


class _Plain(logging.Formatter):
    """What libraries log, errors as ours are."""

    def formatException(self, ei: object) -> str:  # noqa: N802 - the name is logging's
        out = io.StringIO()
        where_it_happened(out, ei)  # type: ignore[arg-type]
        return out.getvalue().rstrip()


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
