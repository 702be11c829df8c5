"""Puts the demo clinic back before each walk, so that no walk finds what another one left: rows, the clock,
and what the stand-in remembers.

The seeded rows are kept in tables of their own. What differs is found by primary key and put back, only in
tables that were written to: a tenth of a second, where seeding anew takes half a minute.
"""

from __future__ import annotations

import shutil
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

from sqlalchemy import Connection, Engine, text

from zax.store import schema


@dataclass
class Kept:
    """The demo clinic as it was seeded."""

    engine: Engine
    standin: Path
    since: datetime | None = None
    tables: list[str] = field(default_factory=list)

    def keep(self) -> None:
        self.tables = list(schema.metadata.tables)
        with self.engine.begin() as connection:
            for name in self.tables:
                connection.execute(text(f"CREATE TABLE `kept_{name}` LIKE `{name}`"))
                columns = ", ".join(_columns(name))
                connection.execute(
                    text(f"INSERT INTO `kept_{name}` ({columns}) SELECT {columns} FROM `{name}`")
                )
            self.since = connection.execute(text("SELECT NOW()")).scalar_one()
        copy = self.standin.with_name("standin-kept")
        if self.standin.exists():
            shutil.copytree(self.standin, copy)

    def put_back(self) -> None:
        with self.engine.begin() as connection:
            connection.execute(text("SET foreign_key_checks=0"))
            now = connection.execute(text("SELECT NOW()")).scalar_one()
            for name in self._written(connection):
                _put_back(connection, name)
            connection.execute(text("SET foreign_key_checks=1"))
        self.since = now
        self._put_standin_back()

    def _written(self, connection: Connection) -> list[str]:
        """The tables with a write since the last time; the server knows it to the second."""
        query = text(
            "SELECT table_name FROM information_schema.tables"
            " WHERE table_schema = DATABASE() AND update_time >= :since"
        )
        rows = connection.execute(query, {"since": self.since})
        return [row[0] for row in rows if row[0] in self.tables]

    def _put_standin_back(self) -> None:
        shutil.rmtree(self.standin, ignore_errors=True)
        copy = self.standin.with_name("standin-kept")
        if copy.exists():
            # The stand-in goes on meanwhile, and may have made a folder again.
            shutil.copytree(copy, self.standin, dirs_exist_ok=True)


def _put_back(connection: Connection, name: str) -> None:
    """New rows go, lost rows come back, changed rows are as they were."""
    ours, kept = f"`{name}`", f"`kept_{name}`"
    columns = _columns(name)
    keys = [f"`{each.name}`" for each in schema.metadata.tables[name].primary_key.columns]
    same_row = " AND ".join(f"a.{key} = b.{key}" for key in keys)
    unchanged = " AND ".join(f"a.{column} <=> b.{column}" for column in columns)
    values = ", ".join(f"a.{column} = b.{column}" for column in columns)
    named, theirs = ", ".join(columns), ", ".join(f"b.{column}" for column in columns)
    for statement in (
        f"DELETE a FROM {ours} a LEFT JOIN {kept} b ON {same_row} WHERE b.{keys[0]} IS NULL",
        f"UPDATE {ours} a JOIN {kept} b ON {same_row} SET {values} WHERE NOT ({unchanged})",
        f"INSERT INTO {ours} ({named}) SELECT {theirs} FROM {kept} b LEFT JOIN {ours} a ON {same_row}"
        f" WHERE a.{keys[0]} IS NULL",
    ):
        connection.execute(text(statement))


def _columns(name: str) -> list[str]:
    """The columns that are written; the server works the others out."""
    return [f"`{each.name}`" for each in schema.metadata.tables[name].columns if not each.computed]
