"""How Zax logs: a line of JSON each, and for a defect where it happened and of what kind it was. What may
come thousands of times while something is down is written once a minute.

Values are never written, neither those of local variables nor the message of an error, which may quote them:
they hold patients' data. The same holds for what the libraries below us log by themselves. `request` is the
number of the request that a line belongs to; the person who saw an error page can read it there.
"""

from __future__ import annotations

import json
import logging
import os
import sys
import time
import traceback
from collections.abc import MutableMapping
from datetime import UTC, datetime
from pathlib import Path
from threading import Lock
from typing import Any, BinaryIO

import structlog

SELDOM_SECONDS = 60.0


def configure(people: bool = False) -> None:
    """For every process, before it logs anything. Where `people` read what it writes, only what went wrong is
    logged.
    """
    level = logging.ERROR if people else logging.NOTSET
    handler = logging.StreamHandler()
    handler.setFormatter(_OneLine())
    logging.basicConfig(level=max(level, logging.WARNING), handlers=[handler], force=True)
    structlog.configure(
        processors=[
            structlog.contextvars.merge_contextvars,
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True, key="at"),
            _error_by_kind,
            structlog.processors.JSONRenderer(sort_keys=False),
        ],
        wrapper_class=structlog.make_filtering_bound_logger(level),
        logger_factory=structlog.PrintLoggerFactory(_LOG),  # type: ignore[arg-type]
    )


class _Log:
    """Standard output, for lines of which none is worth the work it tells of: on a full disk they are counted
    instead, and once there is room again the log says how many are missing.
    """

    def __init__(self) -> None:
        self.missing = 0

    def write(self, text: str) -> int:
        try:
            if self.missing:
                sys.stdout.write(json.dumps({"event": "log.missing", "lines": self.missing}) + "\n")
                sys.stdout.flush()
                self.missing = 0
            sys.stdout.write(text)
            sys.stdout.flush()
        except OSError:
            self.missing += text.count("\n")
        return len(text)

    def flush(self) -> None:
        """Each line is flushed as it is written."""


_LOG = _Log()


def open_log(path: Path) -> BinaryIO:
    """To be written at its end, for its owner's eyes alone."""
    return os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600), "ab", buffering=0)


class _OneLine(logging.Formatter):
    """What libraries log, as a line of ours."""

    def format(self, record: logging.LogRecord) -> str:
        at = datetime.fromtimestamp(record.created, UTC).isoformat().replace("+00:00", "Z")
        line: dict[str, Any] = {"event": "library", "level": record.levelname.lower(), "at": at}
        line |= {"from": record.name, "says": record.getMessage()}
        if record.exc_info and record.exc_info[1] is not None:
            line["error"] = causes_of(record.exc_info[1])
        return json.dumps(line, ensure_ascii=False)


def _error_by_kind(_logger: object, _method: str, line: MutableMapping[str, Any]) -> MutableMapping[str, Any]:
    """The error of a line as its kinds and places."""
    error = line.pop("exc_info", None)
    if isinstance(error, tuple):
        error = error[1]
    if isinstance(error, BaseException):
        line["error"] = causes_of(error)
    return line


def causes_of(error: BaseException) -> list[dict[str, Any]]:
    """The kind and the frames of an error and of what caused it, the first cause first."""
    chain: list[BaseException] = []
    each: BaseException | None = error
    while each is not None and each not in chain:
        chain.append(each)
        each = each.__cause__ or (None if each.__suppress_context__ else each.__context__)
    return [
        {
            "kind": f"{type(one).__module__}.{type(one).__qualname__}",
            "where": [
                f"{frame.filename}:{frame.lineno} {frame.name}"
                for frame in traceback.extract_tb(one.__traceback__)
            ],
        }
        for one in reversed(chain)
    ]


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
