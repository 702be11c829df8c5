"""The outbox: what is to be sent or done outside a transaction, written in the act's own transaction and
leased by workers.

Any number of workers share it: a row is taken with FOR UPDATE SKIP LOCKED and is its worker's until the lease
ends.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from sqlalchemy import Connection, func, or_, select, update
from sqlalchemy.dialects.mysql import insert

from zax.core.json import KeptJson
from zax.store.acts.tables import outbox
from zax.store.rows import many, one


class ErrandState(StrEnum):
    """WAITING: to be carried out once it is due. WITHDRAWN: it will not be."""

    WAITING = "waiting"
    DONE = "done"
    WITHDRAWN = "withdrawn"


@dataclass(frozen=True, slots=True, kw_only=True)
class Errand:
    """A row of the outbox. `request_key` makes it count once on the other side; `attempts` were made before
    this one.
    """

    id: int
    kind: str
    request_key: str
    payload: KeptJson
    attempts: int


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
    connection: Connection, now: datetime, until: datetime, last: frozenset[str]
) -> Errand | None:
    """The next due errand, ours until then; kinds in `last` only when nothing else waits. None when nothing
    is due.
    """
    free = or_(outbox.c.leased_until.is_(None), outbox.c.leased_until < now)
    query = (
        select(outbox)
        .where(outbox.c.state == ErrandState.WAITING, outbox.c.due_at <= now, free)
        .order_by(outbox.c.kind.in_(sorted(last)), outbox.c.due_at, outbox.c.id)
        .limit(1)
        .with_for_update(skip_locked=True)
    )
    errand = one(connection, query, Errand)
    if errand is not None:
        _set(connection, errand.id, leased_until=until, attempts=errand.attempts + 1)
    return errand


def finish_errand(connection: Connection, errand_id: int, now: datetime) -> None:
    _set(connection, errand_id, state=ErrandState.DONE, done_at=now, last_error=None)


def postpone_errand(connection: Connection, errand_id: int, due_at: datetime, why: str) -> None:
    """It could not be carried out; `why` is kept."""
    _set(connection, errand_id, leased_until=None, due_at=due_at, last_error=why[:1000])


def requeue_errand(connection: Connection, errand_id: int, now: datetime) -> None:
    """A part of it is done: what is left waits its turn again, with no try counted."""
    _set(connection, errand_id, leased_until=None, due_at=now, attempts=0)


def withdraw_errand(connection: Connection, errand_id: int, now: datetime) -> None:
    """It is not to be carried out any more."""
    _set(connection, errand_id, state=ErrandState.WITHDRAWN, done_at=now)


def withdraw_by_key(connection: Connection, request_keys: Sequence[str]) -> None:
    """Those of these keys that still wait."""
    waiting = (outbox.c.request_key.in_(list(request_keys)), outbox.c.state == ErrandState.WAITING)
    connection.execute(update(outbox).where(*waiting).values(state=ErrandState.WITHDRAWN))


def waiting_errands(connection: Connection, kind: str) -> list[Errand]:
    """All that still wait, held for update."""
    query = (
        select(outbox).where(outbox.c.kind == kind, outbox.c.state == ErrandState.WAITING).with_for_update()
    )
    return many(connection, query, Errand)


def errand_exists(connection: Connection, request_key: str) -> bool:
    query = select(func.count()).where(outbox.c.request_key == request_key)
    return bool(connection.execute(query).scalar_one())


def _set(connection: Connection, errand_id: int, **values: object) -> None:
    connection.execute(update(outbox).where(outbox.c.id == errand_id).values(**values))
