"""The outbox: what is to be sent or done outside a transaction, written in the act's own transaction and
leased by workers.

Any number of workers share it: a row is taken with FOR UPDATE SKIP LOCKED and is its worker's until the lease
ends. Taking it counts as a failure until its worker says otherwise, so an errand that ends its worker counts
like one that raises; whoever fails too often is set aside for a person, and the rest goes on.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from sqlalchemy import Connection, and_, func, literal_column, or_, select, update
from sqlalchemy.dialects.mysql import insert

from zax.core.json import KeptJson
from zax.store.acts.tables import outbox
from zax.store.rows import many, one


class ErrandState(StrEnum):
    """WAITING: to be carried out once it is due. WITHDRAWN: it will not be. ASIDE: it failed again and again,
    a person decides; DISMISSED: a person decided that it need not be done.
    """

    WAITING = "waiting"
    DONE = "done"
    WITHDRAWN = "withdrawn"
    ASIDE = "aside"
    DISMISSED = "dismissed"


@dataclass(frozen=True, slots=True, kw_only=True)
class Errand:
    """A row of the outbox. `request_key` makes it count once on the other side; `attempts` were made before
    this one, `failures` of them since the last that ended as it should.
    """

    id: int
    kind: str
    request_key: str
    payload: KeptJson
    attempts: int
    failures: int


@dataclass(frozen=True, slots=True, kw_only=True)
class SetAside:
    """An errand that a person decides about. `last_error` says why it failed, `done_at` since when it
    waits.
    """

    id: int
    kind: str
    payload: KeptJson
    attempts: int
    last_error: str | None
    made_at: datetime
    done_at: datetime


@dataclass(frozen=True, slots=True)
class Pauses:
    """The longest pause between two tries, and how long an errand is lent to a worker."""

    between: timedelta
    lease: timedelta


@dataclass(frozen=True, slots=True)
class Delayed:
    """Errands of a kind that the outside could not take, how many and the last reason."""

    kind: str
    n: int
    why: str


def put_errand(
    connection: Connection,
    *,
    kind: str,
    request_key: str,
    payload: KeptJson,
    due_at: datetime,
    made_at: datetime,
) -> None:
    """Something for the outside; with a key that is there before it is on its way already, or, when it was
    withdrawn, on its way again.
    """
    errand = insert(outbox).values(
        kind=kind,
        request_key=request_key,
        payload=payload,
        due_at=due_at,
        made_at=made_at,
        state=ErrandState.WAITING,
    )
    again = outbox.c.state == ErrandState.WITHDRAWN
    # In this order: the state decides about the others, so it is changed last.
    renewed = [
        ("payload", func.if_(again, errand.inserted.payload, outbox.c.payload)),
        ("due_at", func.if_(again, errand.inserted.due_at, outbox.c.due_at)),
        ("done_at", func.if_(again, None, outbox.c.done_at)),
        ("state", func.if_(again, ErrandState.WAITING, outbox.c.state)),
    ]
    connection.execute(errand.on_duplicate_key_update(renewed))


def lease_errand(
    connection: Connection,
    now: datetime,
    until: datetime,
    *,
    kinds: frozenset[str],
    others: bool,
    last: frozenset[str],
) -> Errand | None:
    """The next due errand of these kinds (`others`: of every other kind), ours until then; those in `last`
    only when nothing else waits. None when nothing is due.
    """
    mine = outbox.c.kind.notin_(kinds) if others else outbox.c.kind.in_(kinds)
    free = or_(outbox.c.leased_until.is_(None), outbox.c.leased_until < now)
    query = (
        select(outbox)
        .where(outbox.c.state == ErrandState.WAITING, outbox.c.due_at <= now, free, mine)
        .order_by(outbox.c.kind.in_(sorted(last)), outbox.c.due_at, outbox.c.id)
        .limit(1)
        .with_for_update(skip_locked=True)
    )
    errand = one(connection, query, Errand)
    if errand is not None:
        taken = {"attempts": errand.attempts + 1, "failures": errand.failures + 1}
        _set(connection, errand.id, leased_until=until, **taken)
    return errand


def renew_lease(connection: Connection, errand_id: int, until: datetime) -> None:
    """Its worker is still at it."""
    _set(connection, errand_id, leased_until=until)


def finish_errand(connection: Connection, errand_id: int, now: datetime) -> None:
    _set(connection, errand_id, state=ErrandState.DONE, done_at=now, last_error=None)


def postpone_errand(connection: Connection, errand_id: int, due_at: datetime, why: str) -> None:
    """The outside could not take it now, which is no failure of the errand; `why` is kept."""
    _set(connection, errand_id, leased_until=None, due_at=due_at, last_error=why[:1000], failures=0)


def fail_errand(connection: Connection, errand_id: int, due_at: datetime, why: str) -> None:
    """It failed for a reason of its own and is tried again at `due_at`."""
    _set(connection, errand_id, leased_until=None, due_at=due_at, last_error=why[:1000])


def set_errand_aside(connection: Connection, errand_id: int, now: datetime, why: str) -> None:
    """It failed too often; a person decides."""
    aside = {"state": ErrandState.ASIDE, "done_at": now, "leased_until": None}
    _set(connection, errand_id, last_error=why[:1000], **aside)


def try_errand_again(connection: Connection, errand_id: int, now: datetime) -> None:
    """What was set aside waits its turn again, with nothing counted against it."""
    fresh = {"attempts": 0, "failures": 0, "done_at": None}
    _set(connection, errand_id, state=ErrandState.WAITING, due_at=now, **fresh)


def dismiss_errand(connection: Connection, errand_id: int, now: datetime) -> None:
    _set(connection, errand_id, state=ErrandState.DISMISSED, done_at=now)


def requeue_errand(connection: Connection, errand_id: int, now: datetime) -> None:
    """A part of it is done: what is left waits its turn again, with no try counted."""
    _set(connection, errand_id, leased_until=None, due_at=now, attempts=0, failures=0)


def put_off_errand(connection: Connection, errand_id: int, due_at: datetime) -> None:
    """Looked at once, and it isn't its time yet, however often that is said. Should the clock have been
    wrong, it is looked at again: see bring_forward.
    """
    _set(connection, errand_id, leased_until=None, due_at=due_at, last_error=None, attempts=1, failures=0)


def bring_forward(connection: Connection, now: datetime, pauses: Pauses) -> int:
    """After a clock that was ahead: what it put off is due now, what it lent out is lent no longer than
    usual. How many errands.
    """
    waits = outbox.c.state == ErrandState.WAITING
    tried = and_(outbox.c.attempts > 0, outbox.c.due_at > now + pauses.between)
    # Made by that clock for right away or a little later.
    after = func.timestampdiff(literal_column("SECOND"), outbox.c.made_at, outbox.c.due_at)
    made = and_(outbox.c.made_at > now, after <= int(pauses.between.total_seconds()))
    late = connection.execute(update(outbox).where(waits, or_(tried, made)).values(due_at=now))
    until = now + pauses.lease
    held = update(outbox).where(waits, outbox.c.leased_until > until).values(leased_until=until)
    return late.rowcount + connection.execute(held).rowcount


def errands_aside(connection: Connection, most: int) -> list[SetAside]:
    """What was set aside, the oldest first."""
    query = select(outbox).where(outbox.c.state == ErrandState.ASIDE).order_by(outbox.c.done_at, outbox.c.id)
    return many(connection, query.limit(most), SetAside)


def errand_aside_for_update(connection: Connection, errand_id: int) -> SetAside | None:
    """None when it is not set aside, or not anymore."""
    query = select(outbox).where(outbox.c.id == errand_id, outbox.c.state == ErrandState.ASIDE)
    return one(connection, query.with_for_update(), SetAside)


def delayed_errands(connection: Connection, tries: int) -> list[Delayed]:
    """What the outside could not take in so many tries, by kind."""
    query = (
        select(outbox.c.kind, func.count().label("n"), func.max(outbox.c.last_error).label("why"))
        .where(
            outbox.c.state == ErrandState.WAITING,
            outbox.c.attempts >= tries,
            outbox.c.last_error.is_not(None),
        )
        .group_by(outbox.c.kind)
        .order_by(outbox.c.kind)
    )
    return many(connection, query, Delayed)


def due_by_kind(connection: Connection, now: datetime) -> list[tuple[str, int, float]]:
    """(kind, how many are due, for how many seconds the oldest is)."""
    query = (
        select(outbox.c.kind, func.count(), func.min(outbox.c.due_at))
        .where(outbox.c.state == "waiting", outbox.c.due_at <= now)
        .group_by(outbox.c.kind)
    )
    return [(kind, count, (now - first).total_seconds()) for kind, count, first in connection.execute(query)]


def errand_exists(connection: Connection, request_key: str) -> bool:
    query = select(func.count()).where(outbox.c.request_key == request_key)
    return bool(connection.execute(query).scalar_one())


def _set(connection: Connection, errand_id: int, **values: object) -> None:
    connection.execute(update(outbox).where(outbox.c.id == errand_id).values(**values))
