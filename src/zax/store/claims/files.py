"""Reading and writing the X12 files that went out and came in, and the batches among them: each is known by
its content, those of ours by their control number.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, func, select, update

from zax.core.claims.states import ClaimState
from zax.store.claims.tables import claim, claim_event, x12_file
from zax.store.listing import Listed, Order, Wanted, listed
from zax.store.rows import add, change, many, one

_c, _f, _e = claim, x12_file, claim_event
_CLAIM_FILE = (_f.c.direction == "out", _f.c.kind.startswith("837"))


@dataclass(frozen=True, slots=True, kw_only=True)
class X12File:
    id: int
    direction: str
    kind: str
    name: str
    control: str
    text: str
    at: datetime
    outcome: str


def sent_file(connection: Connection, claim_id: int) -> X12File | None:
    """The last file the claim went out in."""
    query = select(_f).join(_e, _e.c.file_id == _f.c.id).where(_e.c.claim_id == claim_id, *_CLAIM_FILE)
    return one(connection, query.order_by(_e.c.id.desc()).limit(1), X12File)


def last_answer(connection: Connection, claim_id: int) -> X12File | None:
    """The last payment file (835) that spoke of the claim."""
    query = select(_f).join(_e, _e.c.file_id == _f.c.id).where(_e.c.claim_id == claim_id)
    query = query.where(_f.c.kind == "835").order_by(_e.c.id.desc()).limit(1)
    return one(connection, query, X12File)


def add_file_out(connection: Connection, *, kind: str, draft_digest: str, at: datetime) -> int:
    """A file that is about to be written: its control number is its id."""
    return add(connection, _f, direction="out", kind=kind, digest=draft_digest, text="", at=at)


def keep_file_out(connection: Connection, file_id: int, *, text: str, name: str, digest: str) -> None:
    values = {"text": text, "control": str(file_id), "name": name, "digest": digest}
    connection.execute(update(_f).where(_f.c.id == file_id).values(**values))


def add_file_in(
    connection: Connection, *, kind: str, name: str, digest: str, text: str, at: datetime, outcome: str = ""
) -> int:
    return add(
        connection,
        _f,
        direction="in",
        kind=kind,
        name=name[:80],
        digest=digest,
        text=text,
        at=at,
        outcome=outcome[:255],
    )


def set_outcome(connection: Connection, file_id: int, words: str) -> None:
    change(connection, _f, file_id, outcome=words[:255])


def file_of(connection: Connection, file_id: int) -> X12File | None:
    return one(connection, select(_f).where(_f.c.id == file_id), X12File)


def every_file(connection: Connection) -> Iterator[X12File]:
    """Each file that came or went, one at a time, the oldest first."""
    for file_id in connection.execute(select(_f.c.id).order_by(_f.c.id)).scalars().all():
        found = file_of(connection, file_id)
        assert found is not None, "files are never deleted"
        yield found


def file_by_digest_for_update(connection: Connection, digest: str) -> X12File | None:
    """The file of this content; the digest is held either way."""
    return one(connection, select(_f).where(_f.c.digest == digest).with_for_update(), X12File)


def file_sent_as(connection: Connection, control: str) -> X12File | None:
    """The file we sent under this control number."""
    return one(connection, select(_f).where(_f.c.direction == "out", _f.c.control == control), X12File)


def files_in(connection: Connection, most: int) -> list[X12File]:
    """The last files from insurers, the newest first."""
    query = select(_f).where(_f.c.direction == "in").order_by(_f.c.id.desc()).limit(most)
    return many(connection, query, X12File)


def listed_files(connection: Connection, wanted: Wanted) -> Listed[X12File]:
    """Every file that came or went."""
    orders = {Order.OLDEST: (_f.c.id,), Order.NEWEST: (_f.c.id.desc(),)}
    return listed(connection, select(_f), X12File, wanted, (_f.c.name, _f.c.kind, _f.c.outcome), orders)


@dataclass(frozen=True, slots=True, kw_only=True)
class Batch(X12File):
    """A claim file that went out: how many claims of how many cents, and how many still wait for the door."""

    claims: int
    cents: int
    waiting: int


def batch_of(connection: Connection, file_id: int) -> X12File | None:
    """A file of claims that went out; None for any other file."""
    return one(connection, select(_f).where(_f.c.id == file_id, *_CLAIM_FILE), X12File)


def listed_batches(connection: Connection, wanted: Wanted) -> Listed[Batch]:
    """The files of claims that went out, the latest first."""
    within = select(_e.c.claim_id).where(_e.c.file_id == _f.c.id).distinct().correlate(_f)
    own = select(_c).where(_c.c.id.in_(within)).correlate(_f)
    query = select(
        _f,
        own.with_only_columns(func.count()).scalar_subquery().label("claims"),
        own.with_only_columns(func.coalesce(func.sum(_c.c.cents), 0)).scalar_subquery().label("cents"),
        own.where(_c.c.state == ClaimState.GOING)
        .with_only_columns(func.count())
        .scalar_subquery()
        .label("waiting"),
    ).where(*_CLAIM_FILE)
    orders = {Order.NEWEST: (_f.c.id.desc(),), Order.OLDEST: (_f.c.id,)}
    return listed(connection, query, Batch, wanted, (_f.c.name, _f.c.kind, _f.c.outcome), orders)
