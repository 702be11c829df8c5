"""What somebody has in hand that would wait unseen once they have left, and giving it to somebody else.

Each kind is a table and a column that names the person; what they did before keeps their name.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from sqlalchemy import Column, ColumnElement, Connection, Table, and_, delete, func, select, update

from zax.core.claims.states import ClaimState
from zax.store.acts.tables import audit
from zax.store.book.tables import shelf
from zax.store.claims.tables import claim
from zax.store.followup.tables import call_lock, contact_try, hand_over, patient_return
from zax.store.inbox.tables import inbox_lock
from zax.store.remits.tables import remit


@dataclass(frozen=True, slots=True)
class Holding:
    """`one` and `many` are its words; `held` what is still open of it."""

    one: str
    many: str
    table: Table
    column: Column[int]
    held: ColumnElement[bool]


HOLDINGS: Mapping[str, Holding] = {
    "hand_overs": Holding(
        "hand-over to them",
        "hand-overs to them",
        hand_over,
        hand_over.c.to_user_id,
        hand_over.c.done_at.is_(None),
    ),
    "claims": Holding(
        "claim they follow", "claims they follow", claim, claim.c.owner_id, claim.c.state != ClaimState.CLOSED
    ),
    "payments": Holding(
        "insurer payment half placed",
        "insurer payments half placed",
        remit,
        remit.c.worked_by_id,
        remit.c.finished_at.is_(None),
    ),
    "returns": Holding(
        "overdue return that rose to them",
        "overdue returns that rose to them",
        patient_return,
        patient_return.c.holder_id,
        patient_return.c.ended_at.is_(None),
    ),
}


def held_by(connection: Connection, user_id: int) -> dict[str, int]:
    """How many of each kind, those with none left out."""
    found = {}
    for key, each in HOLDINGS.items():
        query = select(func.count()).select_from(each.table).where(each.column == user_id, each.held)
        number = int(connection.execute(query).scalar_one())
        if number:
            found[key] = number
    return found


def give_on(connection: Connection, key: str, from_id: int, to_id: int) -> int:
    """Everything of a kind to somebody else; how many."""
    each = HOLDINGS[key]
    mine = and_(each.column == from_id, each.held)
    return connection.execute(update(each.table).where(mine).values({each.column.name: to_id})).rowcount


def free_rows(connection: Connection, user_id: int) -> int:
    """What they had open is free for everybody: visits on their shelf are on the shared one, nobody is held
    on the phone or in the Inbox by them. How many visits.
    """
    connection.execute(delete(call_lock).where(call_lock.c.user_id == user_id))
    connection.execute(delete(inbox_lock).where(inbox_lock.c.user_id == user_id))
    mine = and_(shelf.c.user_id == user_id, shelf.c.shared.is_(False))
    return connection.execute(update(shelf).where(mine).values(shared=True)).rowcount


def on_own_shelf(connection: Connection, user_id: int) -> int:
    mine = and_(shelf.c.user_id == user_id, shelf.c.shared.is_(False))
    return int(connection.execute(select(func.count()).select_from(shelf).where(mine)).scalar_one())


def calls_again(connection: Connection, user_id: int) -> int:
    """People they said they'd call again: they stay on everybody's call sheet."""
    t = contact_try
    mine = and_(t.c.by_id == user_id, t.c.again_on.isnot(None), t.c.undone_at.is_(None))
    later = select(t.c.patient_id, func.max(t.c.id).label("last")).group_by(t.c.patient_id).subquery()
    query = select(func.count()).select_from(t.join(later, later.c.last == t.c.id)).where(mine)
    return int(connection.execute(query).scalar_one())


def entries_of(connection: Connection, user_id: int) -> int:
    """How many acts they are on record with."""
    query = select(func.count()).select_from(audit).where(audit.c.by_id == user_id)
    return int(connection.execute(query).scalar_one())
