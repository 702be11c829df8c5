"""Reading and writing the clearinghouse's list of payers, and how fetching it goes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Row, delete, func, select
from sqlalchemy.dialects.mysql import insert as mysql_insert

from zax.core.coverage.payer_list import ListedPayer
from zax.store.coverage.tables import listed_payer, payer, payer_list_run
from zax.store.rows import add, change, one

_p, _r = listed_payer, payer_list_run
RUNNING, DONE = "running", "done"


@dataclass(frozen=True, slots=True, kw_only=True)
class PayerListRun:
    """`total` is how many the clearinghouse says there are, 0 before it has; `words` what was wrong or
    changed.
    """

    id: int
    state: str
    total: int
    words: str
    at: datetime
    ended_at: datetime | None


def last_run(connection: Connection, state: str = "") -> PayerListRun | None:
    """The last one, of that state alone if one is given."""
    query = select(_r).order_by(_r.c.id.desc()).limit(1)
    return one(connection, query.where(_r.c.state == state) if state else query, PayerListRun)


def run_for_update(connection: Connection, run_id: int) -> PayerListRun | None:
    return one(connection, select(_r).where(_r.c.id == run_id).with_for_update(), PayerListRun)


def add_run(connection: Connection, at: datetime) -> int:
    return add(connection, _r, at=at)


def note_total(connection: Connection, run_id: int, total: int) -> None:
    change(connection, _r, run_id, total=total)


def end_run(connection: Connection, run_id: int, at: datetime, words: str) -> None:
    change(connection, _r, run_id, state=DONE, ended_at=at, words=words[:255])


def keep_payers(connection: Connection, run_id: int, payers: Sequence[ListedPayer]) -> None:
    """Write these, over what was known of the same ids."""
    if not payers:
        return
    put = mysql_insert(_p)
    names = ("run_id", "name", "also", "takes", "enroll")
    put = put.on_duplicate_key_update({name: put.inserted[name] for name in names})
    connection.execute(put, [asdict(each) | {"run_id": run_id} for each in payers])


def last_id(connection: Connection, run_id: int) -> str:
    """The last payer a run has written; empty before the first."""
    return str(connection.execute(select(func.max(_p.c.id)).where(_p.c.run_id == run_id)).scalar() or "")


def count_of(connection: Connection, run_id: int) -> int:
    """How many a run has written."""
    return int(connection.execute(select(func.count()).where(_p.c.run_id == run_id)).scalar_one())


def drop_others(connection: Connection, run_id: int) -> int:
    """Those the run did not find are gone; how many."""
    return connection.execute(delete(_p).where(_p.c.run_id != run_id)).rowcount


def all_payers(connection: Connection) -> list[ListedPayer]:
    return [_entry(row) for row in connection.execute(select(_p).order_by(_p.c.id))]


def _entry(row: Row[Any]) -> ListedPayer:
    also, takes, enroll = tuple(row.also), tuple(row.takes), tuple(row.enroll)
    return ListedPayer(id=row.id, name=row.name, also=also, takes=takes, enroll=enroll)


def listed_for_update(connection: Connection, payer_id: str) -> ListedPayer | None:
    """An entry, held until the transaction ends, so that two who take it over do so one after the other."""
    row = connection.execute(select(_p).where(_p.c.id == payer_id).with_for_update()).first()
    return None if row is None else _entry(row)


def our_payer(connection: Connection, electronic_id: str) -> int | None:
    """The clinic's own payer of that id."""
    return connection.execute(select(payer.c.id).where(payer.c.electronic_id == electronic_id)).scalar()
