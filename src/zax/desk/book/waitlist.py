"""The waitlist as the desk works it: read with tallies and wishes, added to by acts on the Book, asked again,
left with a reason.

A booking settles whatever it answers, so that nobody is called for a time they already have.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime

from zax.clock import local, local_date
from zax.core.book.hours import Span
from zax.core.book.minutes import free_spans
from zax.core.book.track import ON_THE_BOOK
from zax.core.book.waitlist import WAIT_WORDS, Entry, Gap, Waits, WaitWhy, weightiest_first
from zax.core.errors import NotFound, Refused
from zax.core.patients.wishes import Wishes
from zax.core.wording import weekday_day
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.placing import people_taken
from zax.desk.clinic.clinic import Clinic
from zax.store.book import queries as visits
from zax.store.book import waitlist as stored
from zax.store.book.planned import value_of_visit
from zax.store.book.records import OpenWait, WaitRow
from zax.store.engine import Connection

LEAST_GAP = 30


def entries(connection: Connection, clinic: Clinic, site_id: int) -> list[Entry]:
    """Everybody who waits at the site, once each; one read."""
    rows = stored.open_waits(connection, site_id)
    zone = clinic.sites[site_id].timezone
    reasons: dict[int, list[Waits]] = defaultdict(list)
    people: dict[int, OpenWait] = {}
    for row in rows:
        people[row.patient_id] = row
        reasons[row.patient_id].append(_waits(row, clinic, zone))
    return [
        Entry(
            patient_id=number,
            name=f"{p.first} {p.last}",
            phone=p.phone,
            wishes=Wishes(p.likes, p.never),
            missed=p.missed,
            reasons=weightiest_first(reasons[number]),
            last_try=p.last_try,
        )
        for number, p in people.items()
    ]


def _waits(row: OpenWait, clinic: Clinic, zone: str) -> Waits:
    kind = clinic.types[row.type_id]
    since = local_date(row.since_at, zone)
    leaves = row.why == WaitWhy.SOONER and row.visit_state in ON_THE_BOOK
    return Waits(
        id=row.id,
        why=WaitWhy(row.why),
        since=since,
        asked=since if row.asked_at == row.since_at else local_date(row.asked_at, zone),
        ask_after=kind.ask_after,
        type_id=kind.id,
        type_words=kind.name,
        role=kind.role,
        minutes=row.minutes,
        provider_id=row.provider_id or 0,
        value=row.value_cents,
        site_id=row.site_id,
        note=row.note,
        visit_id=row.visit_id or 0,
        booked=row.booked if leaves else None,
    )


@dataclass(frozen=True, slots=True)
class OpenTime:
    """A gap to sell, and the room names free for it."""

    gap: Gap
    room: str


def open_times(
    connection: Connection,
    clinic: Clinic,
    site_id: int,
    days: Iterable[date],
    now: datetime,
    least: int = LEAST_GAP,
) -> list[OpenTime]:
    """The free stretches of everybody on these days, of `least` minutes or more, not yet over. `now` is
    UTC.
    """
    wall = local(now, clinic.sites[site_id].timezone)
    rooms = [room for room in clinic.rooms.values() if room.site_id == site_id]
    fitting = {
        kind.id: {room.id for room in rooms if kind.may_use(room)}
        for kind in clinic.types.values()
        if kind.active
    }
    found = []
    for day in days:
        people = clinic.hours.columns(site_id, day)
        taken = people_taken(connection, clinic, people, site_id, day)
        held = [
            (row.room_id, row.start_min, row.start_min + row.minutes)
            for row in visits.busy_rooms(connection, site_id, day)
        ]
        for person in people:
            free = free_spans(
                clinic.hours.windows(person.id, site_id, day),
                [each.span for each in taken[person.id]],
                least,
            )
            for span in free:
                open_now = _still_open(span, day, wall, clinic.sites[site_id].grid, least)
                if open_now:
                    busy = {
                        room for room, start, end in held if start < open_now.end and open_now.start < end
                    }
                    found.append(
                        _open_time(
                            clinic,
                            Gap(
                                site_id,
                                day,
                                open_now.start,
                                open_now.minutes,
                                person.id,
                                person.role,
                                frozenset(),
                            ),
                            busy,
                            fitting,
                        )
                    )
    return [each for each in found if each.gap.types]


def _still_open(span: Span, day: date, wall: datetime, grid: int, least: int) -> Span | None:
    if day > wall.date():
        return span
    start = max(span.start, -(-(wall.hour * 60 + wall.minute) // grid) * grid)
    return Span(start, span.end) if day == wall.date() and span.end - start >= least else None


def time_at(
    connection: Connection,
    clinic: Clinic,
    site_id: int,
    provider_id: int,
    day: date,
    start: int,
    now: datetime,
    minutes: int = 0,
) -> OpenTime | None:
    """A provider's free time from `start` on, of so many minutes or as long as it is free; None when it isn't
    free. `now` is UTC.
    """
    for each in open_times(connection, clinic, site_id, [day], now, least=1):
        gap = each.gap
        left = gap.start + gap.minutes - start
        if gap.provider_id == provider_id and gap.start <= start and left >= max(minutes, 1):
            return replace(each, gap=replace(gap, start=start, minutes=minutes or left))
    return None


def _open_time(clinic: Clinic, gap: Gap, busy: set[int], fitting: Mapping[int, set[int]]) -> OpenTime:
    """The gap with the types that some room, free for all of it, can hold; and such a room, the person's own
    if it is one.
    """
    kinds = {number: fitting[number] - busy for number in fitting if clinic.types[number].role == gap.role}
    usable = sorted(
        {room for rooms in kinds.values() for room in rooms},
        key=lambda room: room != clinic.providers[gap.provider_id].room_id,
    )
    room = clinic.rooms[usable[0]].name if usable else ""
    return OpenTime(replace(gap, types=frozenset(number for number, rooms in kinds.items() if rooms)), room)


def add_wait(tx: Transaction, visit_id: int, why: WaitWhy, note: str = "") -> list[int]:
    """Put a visit's patient on the waitlist for what the visit was for; nothing if they wait for that
    already. The ids made.
    """
    row = visits.one_visit(tx.connection, visit_id)
    assert row is not None
    known = stored.open_wait_for_update(tx.connection, row.patient_id, why, row.type_id)
    if known is not None:
        stored.turn_wait(tx.connection, known.id, visit_id, tx.now)
        return []
    made = stored.add_wait(
        tx.connection,
        patient_id=row.patient_id,
        why=why,
        site_id=row.site_id,
        visit_id=visit_id,
        type_id=row.type_id,
        minutes=row.minutes,
        provider_id=row.provider_id if why == WaitWhy.LOST else None,
        value_cents=value_of_visit(tx.connection, visit_id),
        note=note,
        now=tx.now,
    )
    tx.tell("waitlist", site_id=row.site_id, patient_id=row.patient_id)
    return [made]


def settle_waits(
    tx: Transaction, patient_id: int, type_id: int, wait_id: int, moved_visit: int = 0
) -> list[int]:
    """End the reasons that a booking answers: those for the same type, and the one it was made from. The ids
    ended.

    A visit that only moved to an earlier day (`moved_visit`) settles the wish to come sooner for that visit
    alone.
    """
    if moved_visit:
        found = stored.waits_about(tx.connection, patient_id, moved_visit)
    else:
        found = stored.waits_answered_by(tx.connection, patient_id, type_id, wait_id)
    return _end(tx, found, "booked")


def end_waits_of_visit(tx: Transaction, visit_id: int, why: str) -> list[int]:
    """Somebody whose visit is off no longer waits to leave it for a sooner one."""
    return _end(tx, stored.waits_to_leave(tx.connection, visit_id), why)


def _end(tx: Transaction, rows: Sequence[WaitRow], why: str) -> list[int]:
    ids = [row.id for row in rows]
    stored.end_waits(tx.connection, ids, tx.now, tx.actor.id, why)
    for site_id in {row.site_id for row in rows}:
        tx.tell("waitlist", site_id=site_id)
    return ids


def _locked(tx: Transaction, wait_id: int) -> WaitRow:
    row = stored.wait_for_update(tx.connection, wait_id)
    if row is None:
        raise NotFound("That waitlist entry no longer exists.")
    if row.ended_at is not None:
        raise Refused(f"This entry has left the waitlist: {row.ended_why}.")
    return row


@act("book")
def still_waits(tx: Transaction, wait_id: int) -> None:
    """Asked, and they still wait: they are asked again only after the type's days have passed once more."""
    row = _locked(tx, wait_id)
    stored.note_asked(tx.connection, wait_id, tx.now)
    tx.audit("waitlist.still_waits", patient_id=row.patient_id, wait=wait_id)
    tx.tell("waitlist", site_id=row.site_id, patient_id=row.patient_id)


@act("book")
def leave_waitlist(tx: Transaction, wait_id: int, reason: str) -> None:
    """Nobody leaves silently: the reason stays on record."""
    row = _locked(tx, wait_id)
    if not reason.strip():
        raise Refused("Say why they’re leaving the waitlist.", "reason")
    _end(tx, [row], reason.strip())
    tx.audit("waitlist.left", patient_id=row.patient_id, wait=wait_id, reason=reason.strip())


@act("book")
def note_try(tx: Transaction, wait_id: int, words: str) -> None:
    """What came of calling them, with the day and who called."""
    row = _locked(tx, wait_id)
    if not words.strip():
        raise Refused("Say what happened: left a message, no answer, wants a Friday.", "words")
    today = tx.business_day(row.site_id)
    kept = f"{weekday_day(today)}: {words.strip()} ({tx.actor.initials})"
    stored.note_try(tx.connection, row.patient_id, kept)
    tx.audit("waitlist.tried", patient_id=row.patient_id, wait=wait_id, said=words.strip())
    tx.tell("waitlist", site_id=row.site_id, patient_id=row.patient_id)


@act("book")
def wait_for(
    tx: Transaction, patient_id: int, why: str, type_id: int, provider_id: int, site_id: int, note: str
) -> None:
    """Put somebody on the waitlist without a visit: they called, nothing suited."""
    kind = tx.clinic.types.get(type_id)
    if kind is None or why not in {each.value for each in WaitWhy} or site_id not in tx.clinic.sites:
        raise Refused("Choose what they’re waiting for.", "type_id")
    if visits.person(tx.connection, patient_id) is None:
        raise Refused("Find the patient.", "patient")
    if stored.open_wait_for_update(tx.connection, patient_id, why, type_id) is not None:
        raise Refused(
            f"They’re already on the waitlist for “{kind.name}” ({WAIT_WORDS[WaitWhy(why)]}).", "type_id"
        )
    value = sum(tx.clinic.services[number].fee_cents for number in kind.services)
    stored.add_wait(
        tx.connection,
        patient_id=patient_id,
        why=why,
        site_id=site_id,
        visit_id=None,
        type_id=type_id,
        minutes=kind.minutes,
        provider_id=provider_id or None,
        value_cents=value,
        note=note,
        now=tx.now,
    )
    tx.audit("waitlist.added", patient_id=patient_id, type=type_id)
    tx.tell("waitlist", site_id=site_id, patient_id=patient_id)
