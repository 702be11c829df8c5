"""The shelf: visits taken off the Book by somebody who is about to place them again. Each has its owner; a shared one anybody may place.

Nothing on the shelf is lost: it keeps everything about the visit, says where it was and since when, and goes back with one key.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import Connection, delete, select, update

from zax.core.book.hours import clock_words
from zax.core.book.track import ON_THE_BOOK, Stop
from zax.core.errors import Refused
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.moving import check_day_open
from zax.desk.book.placing import check_still_free
from zax.desk.book.track import locked_visit, step
from zax.desk.book.undo import Memo
from zax.store import schema
from zax.store.book import queries as visits

_SHELF = (
    select(
        schema.shelf, schema.user.c.name.label("who"), schema.visit.c.day, schema.visit.c.start_min, schema.visit.c.minutes, schema.visit.c.type_id,
        schema.visit.c.provider_id, schema.visit.c.site_id, schema.visit.c.version, schema.visit.c.patient_id, schema.patient.c.first, schema.patient.c.last,
    )
    .join(schema.visit, schema.visit.c.id == schema.shelf.c.visit_id)
    .join(schema.patient, schema.patient.c.id == schema.visit.c.patient_id)
    .join(schema.user, schema.user.c.id == schema.shelf.c.user_id)
    .order_by(schema.shelf.c.at, schema.shelf.c.visit_id)
)  # fmt: skip


def on_shelf(connection: Connection, user_id: int | None) -> Sequence[Any]:
    """What this person has on the shelf, and what is shared, oldest first."""
    return connection.execute(_SHELF.where((schema.shelf.c.user_id == user_id) | schema.shelf.c.shared)).all()


@act("book")
def shelve(
    tx: Transaction, visit_ids: Sequence[int], words: str = "", shared: bool = False, version: int | None = None
) -> None:
    """Take visits off the Book onto the shelf; their time is free at once."""
    memo = Memo(tx)
    taken = [locked_visit(tx, number, version) for number in sorted(set(visit_ids))]
    if not taken:
        raise Refused("Choose at least one visit.")
    for visit in taken:
        lift(tx, visit, words, shared, memo)
    more = f" and {len(taken) - 1} more" if len(taken) > 1 else ""
    memo.write(f"shelved {taken[0].first} {taken[0].last}{more}")


def lift(tx: Transaction, visit: Any, words: str, shared: bool, memo: Memo) -> None:
    check_day_open(tx, visit)
    if visit.state not in ON_THE_BOOK:
        raise Refused(f"{visit.first} {visit.last} is not expected any more, so the visit cannot be taken up.")
    memo.look_at(visit)
    step(tx, visit, Stop.SHELF)
    tx.connection.execute(
        schema.shelf.insert().values(
            visit_id=visit.id,
            user_id=tx.actor.id,
            shared=shared,
            was=visit.state,
            words=words.strip()[:120],
            at=tx.now,
        )
    )
    tx.audit("visit.shelved", patient_id=visit.patient_id, visit_id=visit.id, said="put it on the shelf")
    tx.tell("shelf", site_id=visit.site_id)


@act("book")
def put_back(tx: Transaction, visit_id: int) -> None:
    """Back to where it was, if that is still free; Conflict, naming who has the time, if not."""
    visit = locked_visit(tx, visit_id)
    row = tx.one(select(schema.shelf).where(schema.shelf.c.visit_id == visit_id))
    if row is None:
        raise Refused("This visit is not on the shelf any more.")
    if visit.day < tx.business_day(visit.site_id):
        raise Refused("That day is over. Place the visit on a day to come.")
    s = schema.staff_slot
    slots = tx.rows(
        select(s.c.provider_id, s.c.day, s.c.start_min, s.c.end_min, s.c.words).where(s.c.visit_id == visit.id)
    )
    visits.lock_days(tx.connection, {(slot.provider_id, slot.day) for slot in slots}, {(visit.room_id, visit.day)})
    check_still_free(tx, visit, dict(visit._mapping) | {"state": row.was}, slots, {visit.id})
    memo = Memo(tx)
    memo.look_at(visit)
    tx.connection.execute(delete(schema.shelf).where(schema.shelf.c.visit_id == visit_id))
    step(tx, visit, Stop(row.was))
    memo.write(f"put {visit.first} {visit.last} back to {clock_words(visit.start_min)}")


@act("book")
def share(tx: Transaction, visit_id: int, shared: bool) -> None:
    """Let everybody place it, or only its owner see it."""
    done = tx.connection.execute(
        update(schema.shelf).where(schema.shelf.c.visit_id == visit_id).values(shared=shared)
    )
    if (
        not done.rowcount
        and tx.one(select(schema.shelf.c.visit_id).where(schema.shelf.c.visit_id == visit_id)) is None
    ):
        raise Refused("This visit is not on the shelf any more.")
    tx.tell("shelf")
