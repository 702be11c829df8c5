"""The shelf: visits taken off the Book by somebody who is about to place them again. Each has its owner; a
shared one anybody may place.

Nothing on the shelf is lost: it keeps everything about the visit, says where it was and since when, and goes
back with one key.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zax.core.book.track import ON_THE_BOOK, Stop
from zax.core.errors import Refused
from zax.core.wording import clock_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.moving import check_day_open
from zax.desk.book.placing import check_still_free
from zax.desk.book.track import locked_visit, step
from zax.desk.book.undo import Memo
from zax.store.book import queries as visits
from zax.store.book import shelf as stored
from zax.store.book.records import Visit


@act("book")
def shelve(
    tx: Transaction,
    visit_ids: Sequence[int],
    words: str = "",
    shared: bool = False,
    version: int | None = None,
) -> None:
    """Take visits off the Book onto the shelf; their time is free at once."""
    memo = Memo(tx=tx)
    taken = [locked_visit(tx, number, version) for number in sorted(set(visit_ids))]
    if not taken:
        raise Refused("Choose at least one visit.")
    for visit in taken:
        lift(tx, visit, words, shared, memo)
    more = f" and {len(taken) - 1} more" if len(taken) > 1 else ""
    memo.write(f"shelved {taken[0].first} {taken[0].last}{more}")


def lift(tx: Transaction, visit: Visit, words: str, shared: bool, memo: Memo) -> None:
    check_day_open(tx, visit)
    if visit.state not in ON_THE_BOOK:
        raise Refused(f"{visit.first} {visit.last} isn’t expected anymore, so the visit can’t be picked up.")
    memo.look_at(visit)
    step(tx, visit, Stop.SHELF)
    stored.put_on_shelf(
        tx.connection,
        visit.id,
        user_id=tx.actor.id,
        shared=shared,
        was=visit.state,
        words=words.strip(),
        at=tx.now,
    )
    tx.audit("visit.shelved", patient_id=visit.patient_id, visit_id=visit.id, said="put it on the shelf")
    tx.tell("shelf", site_id=visit.site_id)


@act("book")
def put_back(tx: Transaction, visit_id: int) -> None:
    """Back to where it was, if that is still free; Conflict, naming who has the time, if not."""
    visit = locked_visit(tx, visit_id)
    row = stored.shelf_row(tx.connection, visit_id)
    if row is None:
        raise Refused("This visit isn’t on the shelf anymore.")
    if visit.day < tx.business_day(visit.site_id):
        raise Refused("That day is over. Place the visit on a later day.")
    slots = visits.slots_of(tx.connection, visit.id)
    visits.lock_days(
        tx.connection, {(slot.provider_id, slot.day) for slot in slots}, {(visit.room_id, visit.day)}
    )
    check_still_free(tx, visit, replace(visit.place, state=row.was), slots, {visit.id})
    memo = Memo(tx=tx)
    memo.look_at(visit)
    stored.off_shelf(tx.connection, visit_id)
    step(tx, visit, Stop(row.was))
    memo.write(f"put {visit.first} {visit.last} back to {clock_words(visit.start_min)}")


@act("book")
def share(tx: Transaction, visit_id: int, shared: bool) -> None:
    """Let everybody place it, or only its owner see it."""
    if not stored.set_shared(tx.connection, visit_id, shared):
        raise Refused("This visit isn’t on the shelf anymore.")
    tx.tell("shelf")
