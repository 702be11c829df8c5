"""The connection to MariaDB, and the one way to read: without a transaction, each statement seeing what is
committed.

Days and moments are handed over in words ('2026-11-24'). The driver prepares, runs and closes a statement
that is given a date as such, and each of these is a way to the server and back; in words it is one.
"""

from __future__ import annotations

import time
from collections.abc import Sequence
from datetime import date
from decimal import Decimal
from functools import lru_cache
from typing import Any

import mariadb
import structlog
from mariadb.constants import FIELD_TYPE
from sqlalchemy import URL, Connection, Engine, ExceptionContext, create_engine, event
from sqlalchemy.exc import (
    DataError,
    DBAPIError,
    DisconnectionError,
    IntegrityError,
    InterfaceError,
    InternalError,
    OperationalError,
    SQLAlchemyError,
    TimeoutError,
)
from sqlalchemy.pool import ConnectionPoolEntry, QueuePool

from zax.metrics import SLOW_STATEMENTS
from zax.store.acts.setup_log import note_made, note_rows
from zax.store.room import NoRoom, says_full

# The floors above name these types from here, so that this floor alone knows the database library.
__all__ = [
    "NOT_TAKEN",
    "TROUBLE",
    "UNREACHABLE",
    "Connection",
    "DBAPIError",
    "Engine",
    "NoRoom",
    "SQLAlchemyError",
    "connect",
    "error_number",
    "reader",
]
# The database went away, broke a deadlock, let go of a lock or has no room on the disk, or we have none; the
# driver calls a lost connection the second, and most that goes wrong inside the database the third.
TROUBLE = (OperationalError, InterfaceError, InternalError, NoRoom)
# What a request meets when the database is down or has no connection left.
UNREACHABLE = (*TROUBLE, TimeoutError)
# The database does not take a value as it is.
NOT_TAKEN = (DataError, IntegrityError)


def error_number(error: Exception) -> int:
    """MariaDB's number of an error, such as 1213 for a deadlock; 0 when it has none."""
    number = getattr(getattr(error, "orig", None), "errno", 0)
    return number if isinstance(number, int) else 0


def out_of_room(error: Exception) -> bool:
    """Whether it is for a full disk, ours or the database's."""
    return isinstance(error, NoRoom) or says_full(error_number(error), str(getattr(error, "orig", "")))


def _whole(value: Decimal | None) -> int | Decimal | None:
    """MariaDB adds whole numbers up to a DECIMAL. Cents are whole, so their sum comes back as the int that
    the records say; a fraction stays one, and a sum of nothing is None.
    """
    if value is None:
        return None
    return int(value) if value == int(value) else value


# A connection that nobody used for longer is asked whether it still stands.
PAUSE_SECONDS = 2.0
# How both pools read the server's values.
SLOW_SECONDS = 0.5
_log = structlog.get_logger()
_VALUES = {"converter": {FIELD_TYPE.NEWDECIMAL: _whole}}


def _days_in_words(
    _connection: Connection, _cursor: object, statement: str, values: Any, _context: object, many: bool
) -> tuple[str, Any]:
    """Before a statement runs. Many rows at once go in bulk, which takes dates as they are."""
    if many or not isinstance(values, Sequence):
        return statement, values
    return statement, tuple(str(value) if isinstance(value, date) else value for value in values)


def _note_begin(
    _connection: Connection, _cursor: object, _statement: str, _values: Any, context: Any, _m: bool
) -> None:
    context.zax_began = time.perf_counter()


def _note_slow(
    _connection: Connection, _cursor: object, statement: str, _values: Any, context: Any, _m: bool
) -> None:
    """A statement that takes long is worth a line: as it is written, without what it was given."""
    seconds = time.perf_counter() - context.zax_began
    if seconds >= SLOW_SECONDS:
        SLOW_STATEMENTS.inc()
        _log.warning("statement.slow", ms=round(seconds * 1000), statement=" ".join(statement.split())[:400])


class _Doubt:
    """Whether a pooled connection must be asked if it still stands, before it is used again. One that was
    used a moment ago is not asked: a page takes two, and each question is a way to the server and back. But
    one lost connection puts all in doubt, those of the other pool too, since the server may have died.
    """

    lost_at = 0.0

    def note_use(self, _connection: object, record: ConnectionPoolEntry) -> None:
        record.info["used"] = time.monotonic()

    def note_loss(self, context: ExceptionContext) -> None:
        if context.is_disconnect:
            self.lost_at = time.monotonic()

    def ask(self, connection: Any, record: ConnectionPoolEntry, _proxy: object) -> None:
        used = record.info.get("used", 0.0)
        if used > max(self.lost_at, time.monotonic() - PAUSE_SECONDS):
            return
        try:
            connection.ping()
        except mariadb.Error as error:
            raise DisconnectionError from error


_DOUBT = _Doubt()


def _made(engine: Engine) -> Engine:
    event.listen(engine, "before_cursor_execute", _days_in_words, retval=True)
    event.listen(engine, "before_cursor_execute", _note_begin)
    event.listen(engine, "after_cursor_execute", _note_slow)
    event.listen(engine, "before_execute", note_rows)
    event.listen(engine, "after_execute", note_made)
    event.listen(engine, "handle_error", _DOUBT.note_loss)
    event.listen(engine, "checkin", _DOUBT.note_use)
    event.listen(engine, "checkout", _DOUBT.ask)
    return engine


def connect(url: URL, pool_size: int = 20) -> Engine:
    """READ COMMITTED, so that what is read after a lock is what the lock protects."""
    made = create_engine(
        url,
        pool_size=pool_size,
        max_overflow=40,
        pool_recycle=1800,
        isolation_level="READ COMMITTED",
        connect_args=_VALUES,
        hide_parameters=True,  # an error never quotes a patient's data
    )
    return _made(made)


@lru_cache(maxsize=8)
def reader(engine: Engine) -> Engine:
    """A pool of its own for questions of one statement, such as who is signed in: nothing begins, so nothing
    has to be ended, which would be a way to the server and back.
    """
    return _for_reading(engine, isolation_level="AUTOCOMMIT", skip_autocommit_rollback=True)


@lru_cache(maxsize=8)
def snapshots(engine: Engine) -> Engine:
    """A pool of its own for pages. All that one page reads is of one moment (REPEATABLE READ): a payment that
    arrives between two of its statements is on it with everything that follows from it, or not at all.
    """
    return _for_reading(engine, isolation_level="REPEATABLE READ")


def pools_of(engine: Engine) -> dict[str, tuple[int, int]]:
    """(connections in use, idle ones) of the pools that belong to this engine."""
    pools = {"acts": engine.pool, "pages": snapshots(engine).pool, "questions": reader(engine).pool}
    return {
        name: (pool.checkedout(), pool.checkedin())
        for name, pool in pools.items()
        if isinstance(pool, QueuePool)
    }


def _for_reading(engine: Engine, **how: Any) -> Engine:
    """Switching one connection to and fro would cost four statements a page."""
    made = create_engine(
        engine.url,
        pool_size=20,
        max_overflow=40,
        pool_recycle=1800,
        connect_args=_VALUES,
        hide_parameters=True,  # an error never quotes a patient's data
        **how,
    )
    return _made(made)
