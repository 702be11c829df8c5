"""The connection to MariaDB, and the one way to read: without a transaction, each statement seeing what is committed."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import URL, Connection, Engine, Executable, Row, create_engine


def connect(url: URL, pool_size: int = 20) -> Engine:
    """READ COMMITTED, so that what is read after a lock is what the lock protects."""
    return create_engine(
        url,
        pool_size=pool_size,
        max_overflow=40,
        pool_pre_ping=True,
        pool_recycle=1800,
        isolation_level="READ COMMITTED",
    )


def reader(engine: Engine) -> Engine:
    """The same pool for pages that only read."""
    return engine.execution_options(isolation_level="AUTOCOMMIT")


def rows(connection: Connection, statement: Executable, **values: Any) -> Sequence[Row[Any]]:
    return connection.execute(statement, values).all()


def one(connection: Connection, statement: Executable, **values: Any) -> Row[Any] | None:
    return connection.execute(statement, values).first()
