"""Undoing the last act on the Book: every such act keeps what its visits were like before, and can be taken
back until something else happened to one of them.

`Memo` collects while the act runs and is written with it, in the same transaction. Undoing is an act itself
and takes the same locks.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass, field, replace
from datetime import date, datetime, timedelta

from zax.core.book.track import ON_THE_BOOK, Stop, check_undo
from zax.core.errors import Conflict, NotFound, Refused
from zax.core.json import Json, KeptJson
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.placing import check_still_free
from zax.store.book import acts, changes, planned, shelf, waitlist
from zax.store.book import queries as visits
from zax.store.book.records import LastAct, ShelfRow, StaffSlotRow, Visit, VisitPlace
from zax.store.engine import Connection
from zax.store.messages.messages import take_back

WITHIN = timedelta(hours=12)


@dataclass(frozen=True, slots=True)
class Before:
    """What a visit was like before an act: where it stood, who was needed, what was to be done, in whose hand
    it was.
    """

    place: VisitPlace
    slots: tuple[StaffSlotRow, ...]
    lines: tuple[int, ...]
    planned: tuple[int, ...]
    shelf: ShelfRow | None


@dataclass(slots=True, kw_only=True)
class Memo:
    """What one act on the Book changes."""

    tx: Transaction
    before: dict[int, Before | None] = field(default_factory=dict)
    waits_made: list[int] = field(default_factory=list)
    waits_ended: list[int] = field(default_factory=list)
    exceptions: list[int] = field(default_factory=list)
    messages: list[str] = field(default_factory=list)

    def look_at(self, visit: Visit) -> None:
        """Keep a locked visit as it is now; call before changing it."""
        self.before.setdefault(visit.id, _look(self.tx.connection, visit.id))

    def made(self, visit_id: int) -> None:
        self.before[visit_id] = None

    def write(self, words: str) -> int:
        """Keep it as the actor's last act; `words` say what was done, such as 'moved Victor Lund to 14:00'.
        The act's id.
        """
        after = acts.versions_of(self.tx.connection, self.before)
        detail = {
            "visits": [
                {"id": number, "after": after[number], "before": _kept(before) if before else None}
                for number, before in self.before.items()
            ],
            "waits_made": self.waits_made,
            "waits_ended": self.waits_ended,
            "exceptions": self.exceptions,
            "messages": self.messages,
        }
        return acts.add_act(
            self.tx.connection, by_id=self.tx.actor.id, at=self.tx.now, words=words, detail=detail
        )


def _look(connection: Connection, visit_id: int) -> Before | None:
    visit = visits.one_visit(connection, visit_id)
    if visit is None:
        return None
    lines = planned.lines_to_do(connection, visit_id)
    return Before(
        visit.place,
        tuple(visits.slots_of(connection, visit_id)),
        tuple(line.id for line in lines),
        tuple(line.planned_id for line in lines if line.planned_id),
        shelf.shelf_row(connection, visit_id),
    )


def _kept(before: Before) -> Json:
    """As it is kept: days and moments in ISO form, staff slots as lists."""
    on_shelf = asdict(before.shelf) if before.shelf else None
    if on_shelf is not None:
        del on_shelf["visit_id"]
    return {
        "place": _plain(asdict(before.place)),
        "slots": [[*_plain(asdict(slot)).values()] for slot in before.slots],
        "lines": list(before.lines),
        "planned": list(before.planned),
        "shelf": _plain(on_shelf) if on_shelf else None,
    }


def _plain(values: KeptJson) -> Json:
    return {name: value.isoformat() if isinstance(value, date) else value for name, value in values.items()}


def _read(kept: KeptJson, visit_id: int) -> Before:
    """What `_kept` wrote."""
    place = dict(kept["place"])
    place["day"] = date.fromisoformat(place["day"])
    place["held_until"] = datetime.fromisoformat(place["held_until"]) if place["held_until"] else None
    slots = (
        StaffSlotRow(person, date.fromisoformat(day), start, end, words)
        for person, day, start, end, words in kept["slots"]
    )
    held = kept["shelf"]
    if held:
        held = ShelfRow(visit_id=visit_id, **(held | {"at": datetime.fromisoformat(held["at"])}))
    return Before(
        VisitPlace(**place), tuple(slots), tuple(kept["lines"]), tuple(kept["planned"]), held or None
    )


def last_act(connection: Connection, user_id: int | None, now: datetime) -> LastAct | None:
    """The newest act on the Book of this person that could be undone, or None."""
    found = acts.last_act(connection, user_id, now - WITHIN)
    return found if found is not None and found.undone_at is None else None


@act("book")
def undo_act(tx: Transaction, act_id: int) -> str:
    """Take the act back and say what was undone. Conflict when something else happened since, or its time is
    taken now.
    """
    return take_act_back(tx, act_id, tx.actor.id, WITHIN)


def take_act_back(tx: Transaction, act_id: int, by_id: int | None, within: timedelta) -> str:
    """The same for what `by_id` did no longer ago than that; None is the worker."""
    row = acts.act_for_update(tx.connection, act_id, by_id)
    if row is None:
        raise NotFound("You have nothing to undo.")
    if row.undone_at is not None:
        raise Conflict("This was already undone.")
    if row.at < tx.now - within:
        raise Refused("This was too long ago to undo. Change the visit itself.")
    now = {number: _held(tx, number) for number in sorted(each["id"] for each in row.detail["visits"])}
    for each in row.detail["visits"]:
        if now[each["id"]].version != each["after"]:
            raise Conflict(
                f"{_what_since(tx, now[each['id']])} It can’t be undone anymore. Change the visit itself."
            )
    before = {
        each["id"]: each["before"] and _read(each["before"], each["id"]) for each in row.detail["visits"]
    }
    _lock_back(tx, [each for each in before.values() if each])
    for number, was in before.items():
        if was:
            _check_not_over(tx, was.place)
            check_still_free(tx, now[number], was.place, was.slots, frozenset(now))
    for number, was in before.items():
        _put_back(tx, now[number], was)
    _settle_rest(tx, row.detail)
    acts.mark_undone(tx.connection, act_id, tx.now)
    return row.words


def _held(tx: Transaction, visit_id: int) -> Visit:
    visit = visits.lock_visit(tx.connection, visit_id)
    assert visit is not None
    return visit


def _what_since(tx: Transaction, visit: Visit) -> str:
    who, _, _ = visits.last_change(tx.connection, visit.id)
    return f"{who} has changed the visit of {visit.first} {visit.last} since."


def _check_not_over(tx: Transaction, where: VisitPlace) -> None:
    """Past days stay as they were, also by way of undoing."""
    if where.state in ON_THE_BOOK and where.day < tx.business_day(where.site_id):
        raise Refused("That day is over, so nothing can be put back on it.")


def _lock_back(tx: Transaction, before: list[Before]) -> None:
    rooms = {(was.place.room_id, was.place.day) for was in before}
    people = {(slot.provider_id, slot.day) for was in before for slot in was.slots}
    visits.lock_days(tx.connection, people, rooms)


def _put_back(tx: Transaction, visit: Visit, was: Before | None) -> None:
    place = replace(visit.place, state=Stop.CANCELED, off_why="mistake") if was is None else was.place
    if was is None:
        planned.free_planned(tx.connection, visit.id)
    else:
        changes.put_slots(tx.connection, visit.id, was.slots)
        _put_in_hand(tx, visit.id, was.shelf)
        planned.put_lines_back(tx.connection, visit.id, was.lines, was.planned, tx.now)
    to = Stop(place.state)
    if to != visit.state:
        check_undo(Stop(visit.state), to)
        changes.write_move(
            tx.connection,
            visit.id,
            from_stop=visit.state,
            to_stop=to,
            at=tx.now,
            by_id=tx.actor.id,
            reason="undone",
        )
    changes.place_visit(tx.connection, visit.id, place)
    tx.audit("visit.undone", patient_id=visit.patient_id, visit_id=visit.id, said="undid the last change")
    for day in {visit.day, place.day}:
        tx.tell("visit", site_id=visit.site_id, day=day, visit_id=visit.id, patient_id=visit.patient_id)


def _put_in_hand(tx: Transaction, visit_id: int, held: ShelfRow | None) -> None:
    shelf.off_shelf(tx.connection, visit_id)
    if held:
        shelf.put_on_shelf(
            tx.connection,
            visit_id,
            user_id=held.user_id,
            shared=held.shared,
            was=held.was,
            words=held.words,
            at=held.at,
        )


def _settle_rest(tx: Transaction, detail: KeptJson) -> None:
    """Waitlist, absence and messages as they were."""
    waitlist.end_waits(tx.connection, detail["waits_made"], tx.now, tx.actor.id, "undone")
    for number in detail["waits_ended"]:
        waitlist.reopen_wait(tx.connection, number)
    if detail["exceptions"]:
        acts.end_exceptions(tx.connection, detail["exceptions"], tx.now)
        tx.change_setup("hours.exception_undone")
    take_back(tx.connection, tx.now, keys=detail["messages"])
