"""The connection to MariaDB, and the one way to read: without a transaction, each statement seeing what is
committed.
"""

from __future__ import annotations

from decimal import Decimal
from functools import lru_cache

from mariadb.constants import FIELD_TYPE
from sqlalchemy import URL, Connection, Engine, create_engine
from sqlalchemy.exc import (
    DataError,
    DBAPIError,
    IntegrityError,
    InterfaceError,
    OperationalError,
    SQLAlchemyError,
    TimeoutError,
)

# The floors above name these types from here, so that this floor alone knows the database library.
__all__ = [
    "NOT_TAKEN",
    "TROUBLE",
    "UNREACHABLE",
    "Connection",
    "DBAPIError",
    "Engine",
    "SQLAlchemyError",
    "connect",
    "error_number",
    "reader",
]
# The database went away, broke a deadlock or let go of a lock; the driver calls a lost connection the second.
TROUBLE = (OperationalError, InterfaceError)
# What a request meets when the database is down or has no connection left.
UNREACHABLE = (OperationalError, InterfaceError, TimeoutError)
# The database does not take a value as it is.
NOT_TAKEN = (DataError, IntegrityError)


def error_number(error: DBAPIError) -> int:
    """MariaDB's number of an error, such as 1213 for a deadlock; 0 when it has none."""
    number = getattr(error.orig, "errno", 0)
    return number if isinstance(number, int) else 0


def _whole(value: Decimal) -> int | Decimal:
    """MariaDB adds whole numbers up to a DECIMAL. Cents are whole, so their sum comes back as the int that
    the records say; a fraction stays one.
    """
    return int(value) if value == int(value) else value


# How both pools read the server's values.
_VALUES = {"converter": {FIELD_TYPE.NEWDECIMAL: _whole}}


def connect(url: URL, pool_size: int = 20) -> Engine:
    """READ COMMITTED, so that what is read after a lock is what the lock protects."""
    return create_engine(
        url,
        pool_size=pool_size,
        max_overflow=40,
        pool_pre_ping=True,
        pool_recycle=1800,
        isolation_level="READ COMMITTED",
        connect_args=_VALUES,
        hide_parameters=True,  # an error never quotes a patient's data
    )


@lru_cache(maxsize=8)
def reader(engine: Engine) -> Engine:
    """A pool of its own for pages that only read: switching one connection to and fro would cost four
    statements a page.
    """
    return create_engine(
        engine.url,
        pool_size=20,
        max_overflow=40,
        pool_pre_ping=True,
        pool_recycle=1800,
        isolation_level="AUTOCOMMIT",
        skip_autocommit_rollback=True,
        connect_args=_VALUES,
        hide_parameters=True,  # an error never quotes a patient's data
    )
