"""One act, one transaction: read, let the core decide, write, and put what must be told into feed, audit and outbox.

`@act("right")` makes a function an act: it checks the actor's right, opens the transaction, and tries again when the database breaks a
deadlock. That is the only place where anything is tried again.
"""

from __future__ import annotations

import functools
import random
import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any, Concatenate, ParamSpec, TypeVar

from sqlalchemy import Connection, Engine, func, insert, select, update
from sqlalchemy.dialects.mysql import insert as mysql_insert
from sqlalchemy.exc import OperationalError

from zax.clock import Clock, local
from zax.core.errors import NotFound, Stale
from zax.core.setup.roles import Role, require
from zax.desk.clinic import VERSION, Clinic, load
from zax.store import schema

P = ParamSpec("P")
T = TypeVar("T")
TRIES = 8
_DEADLOCK, _LOCK_TIMEOUT = 1213, 1205
_SETUP_VERSION = select(schema.setting.c.value).where(schema.setting.c.name == VERSION)


@dataclass(frozen=True, slots=True)
class Actor:
    """Who acts: a signed-in person, or the worker (`id` None)."""

    id: int | None
    name: str
    role: Role
    initials: str = ""


WORKER = Actor(None, "Zax", Role.MANAGER)


@dataclass(slots=True)
class Desk:
    """What every act works with: the database, the clock and the clinic's setup, which is read again when it has changed."""

    engine: Engine
    clock: Clock
    clinic: Clinic

    def read_setup(self) -> None:
        with self.engine.connect() as connection:
            self.clinic = load(connection)


@dataclass(slots=True)
class Unit:
    """One running act. `now` is UTC and stays the same for the whole act; `books` are the books days it has asked for, by site."""

    connection: Connection
    desk: Desk
    actor: Actor
    now: datetime
    changed_clinic: Clinic | None = None
    books: dict[int, date] = field(default_factory=dict)

    @property
    def clinic(self) -> Clinic:
        """The setup as this act sees it, its own changes included."""
        return self.changed_clinic or self.desk.clinic

    def local_now(self, site_id: int) -> datetime:
        return local(self.now, self.clinic.sites[site_id].timezone)

    def business_day(self, site_id: int) -> date:
        return self.local_now(site_id).date()

    def rows(self, statement: Any, **values: Any) -> Any:
        return self.connection.execute(statement, values).all()

    def one(self, statement: Any, **values: Any) -> Any:
        return self.connection.execute(statement, values).first()

    def add(self, table: Any, **values: Any) -> int:
        return int(self.connection.execute(insert(table).values(**values)).inserted_primary_key[0])

    def keep_row(self, table: Any, row_id: int, version: int, values: dict[str, Any], what: str) -> int:
        """A row of the setup as it is kept now; `row_id` 0 makes one, at the end where rows have an order. Its id.

        Raises NotFound, and Stale when its version is no longer the one that the form was filled in from. `what` is its word for people.
        """
        if not row_id:
            if "position" in table.c:
                values = values | {
                    "position": self.connection.execute(
                        select(func.coalesce(func.max(table.c.position), 0) + 1)
                    ).scalar_one()
                }
            return self.add(table, **values)
        row = self.one(select(table.c.version).where(table.c.id == row_id).with_for_update())
        if row is None:
            raise NotFound(f"There is no such {what}.")
        if row.version != version:
            raise Stale(f"Somebody has changed this {what} since you opened it. Look at it again, then save.")
        self.connection.execute(update(table).where(table.c.id == row_id).values(**values, version=row.version + 1))
        return row_id

    def audit(self, act: str, *, patient_id: int | None = None, visit_id: int | None = None, **detail: Any) -> None:
        self.connection.execute(
            insert(schema.audit).values(
                at=self.now, by_id=self.actor.id, act=act, patient_id=patient_id, visit_id=visit_id, detail=detail
            )
        )

    def tell(self, what: str, *, site_id: int | None = None, day: date | None = None, visit_id: int | None = None,
             patient_id: int | None = None) -> None:  # fmt: skip
        """Let every open screen know that something about this day or patient changed."""
        self.connection.execute(
            insert(schema.feed).values(
                at=self.now, what=what, site_id=site_id, day=day, visit_id=visit_id, patient_id=patient_id
            )
        )

    def change_setup(self, act: str, **detail: Any) -> None:
        """Note that the setup changed, once it is written: every process reads it again before its next act, every screen soon after."""
        s = schema.setting
        self.connection.execute(update(s).where(s.c.name == VERSION).values(value=self.clinic.version + 1))
        self.audit(act, **detail)
        self.tell("setup")
        self.changed_clinic = load(self.connection)

    def keep_setting(self, name: str, value: Any) -> None:
        """One of the clinic's settings; `change_setup` follows once all are kept."""
        self.connection.execute(
            mysql_insert(schema.setting).values(name=name, value=value).on_duplicate_key_update(value=value)
        )

    def send(self, kind: str, key: str, payload: dict[str, Any], due_at: datetime | None = None) -> None:
        """Put something for the outside into the outbox; the key makes it go out once."""
        self.connection.execute(
            insert(schema.outbox).values(
                kind=kind,
                request_key=key,
                payload=payload,
                due_at=due_at or self.now,
                made_at=self.now,
                state="waiting",
            )
        )


def act(right: str) -> Callable[[Callable[Concatenate[Unit, P], T]], Callable[Concatenate[Desk, Actor, P], T]]:
    """Make `f(unit, ...)` an act called as `f(desk, actor, ...)`; errors of the core roll everything back."""

    def wrap(function: Callable[Concatenate[Unit, P], T]) -> Callable[Concatenate[Desk, Actor, P], T]:
        @functools.wraps(function)
        def run(desk: Desk, actor: Actor, *args: P.args, **kwargs: P.kwargs) -> T:
            require(actor.role, right)
            return in_transaction(desk, actor, lambda unit: function(unit, *args, **kwargs))

        return run

    return wrap


def in_transaction(desk: Desk, actor: Actor, work: Callable[[Unit], T]) -> T:
    """Run `work` in a transaction; again on a deadlock, with a short random pause so that two do not meet again."""
    for attempt in range(1, TRIES + 1):
        try:
            return _once(desk, actor, work)
        except OperationalError as error:
            code = error.orig.args[0] if error.orig and error.orig.args else 0
            if code not in {_DEADLOCK, _LOCK_TIMEOUT} or attempt == TRIES:
                raise
            _pause(attempt)
    raise AssertionError("unreachable")


def _once(desk: Desk, actor: Actor, work: Callable[[Unit], T]) -> T:
    with desk.engine.begin() as connection:
        version = connection.execute(_SETUP_VERSION).scalar()
        if version is not None and int(version) != desk.clinic.version:
            desk.clinic = load(connection)
        unit = Unit(connection, desk, actor, desk.clock.now())
        done = work(unit)
    if unit.changed_clinic is not None:
        desk.clinic = unit.changed_clinic
    return done


def _pause(attempt: int) -> None:
    threading.Event().wait(random.uniform(0.005, 0.03) * attempt)
