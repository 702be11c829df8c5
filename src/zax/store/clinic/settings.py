"""The clinic's settings by name, among them the version of its setup, which every act compares with what its
process has read.
"""

from __future__ import annotations

from sqlalchemy import Connection, select, update
from sqlalchemy.dialects.mysql import insert

from zax.core.json import Json
from zax.store.clinic.tables import setting

VERSION = "setup_version"
_VERSION = select(setting.c.value).where(setting.c.name == VERSION)


def settings(connection: Connection) -> Json:
    """The clinic's own names, numbers and habits by name."""
    return {row.name: row.value for row in connection.execute(select(setting))}


def setup_version(connection: Connection) -> int | None:
    """None in a database without a clinic."""
    value = connection.execute(_VERSION).scalar()
    return None if value is None else int(value)


def set_version(connection: Connection, version: int) -> None:
    connection.execute(update(setting).where(setting.c.name == VERSION).values(value=version))


def keep_setting(connection: Connection, name: str, value: object) -> None:
    connection.execute(insert(setting).values(name=name, value=value).on_duplicate_key_update(value=value))


def hold(connection: Connection, name: str) -> None:
    """Hold a name until the transaction ends: of two that ask for it, one waits. Locking what a query found
    locks nothing where it found nothing, so the name has a row of its own.
    """
    kept = insert(setting).values(name=f"hold_{name}", value=0)
    connection.execute(kept.on_duplicate_key_update(value=0))
