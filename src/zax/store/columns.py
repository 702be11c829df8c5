"""The kinds of columns that the tables are made of, and the one collection of all tables.

Money is integer cents; `*_at` is UTC; `day` and `*_min` (minutes from midnight) are the site's wall clock.
"""

from __future__ import annotations

from sqlalchemy import JSON, BigInteger, Boolean, Column, ForeignKey, Integer, MetaData, SmallInteger, String
from sqlalchemy.dialects.mysql import DATETIME

metadata = MetaData(
    naming_convention={
        "ix": "ix_%(table_name)s_%(column_0_N_name)s",
        "uq": "uq_%(table_name)s_%(column_0_N_name)s",
        "fk": "fk_%(table_name)s_%(column_0_N_name)s",
        "pk": "pk_%(table_name)s",
    }
)
Moment = DATETIME(fsp=6)


def id_column() -> Column[int]:
    return Column("id", Integer, primary_key=True, autoincrement=True)


def ref(name: str, target: str, nullable: bool = False) -> Column[int]:
    return Column(name, Integer, ForeignKey(f"{target}.id"), nullable=nullable)


def text_column(name: str, length: int, default: str | None = "") -> Column[str]:
    return Column(name, String(length), nullable=False, server_default=default)


def flag_column(name: str, default: str = "0") -> Column[bool]:
    return Column(name, Boolean, nullable=False, server_default=default)


def cents_column(name: str) -> Column[int]:
    return Column(name, BigInteger, nullable=False, server_default="0")


def number_column(name: str, default: str = "0") -> Column[int]:
    return Column(name, SmallInteger, nullable=False, server_default=default)


def words_list(name: str) -> Column:  # type: ignore[type-arg]
    """A small list of the setup, read and written as a whole."""
    return Column(name, JSON, nullable=False, server_default="[]")


def words_map(name: str) -> Column:  # type: ignore[type-arg]
    """A small object, read and written as a whole."""
    return Column(name, JSON, nullable=False, server_default="{}")


def version_column() -> Column[int]:
    """Counts up with every change, so that a form can say which state it was filled in from."""
    return Column("version", Integer, nullable=False, server_default="1")


def moment(name: str, nullable: bool = False) -> Column:  # type: ignore[type-arg]
    return Column(name, Moment, nullable=nullable)
