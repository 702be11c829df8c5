"""Taking visits off the Book: one with its reason, or a provider's whole day in one act with one note.

Planned services go back to planned; whoever wants another time is put on the waitlist with the visit's type,
length, note and value.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date

from zax.core.book.cancellation import OFF, OffWhy, check_off
from zax.core.book.hours import Span
from zax.core.book.track import ON_THE_BOOK, PRESENT, Stop
from zax.core.book.waitlist import WaitWhy
from zax.core.errors import Conflict, Refused, ZaxError
from zax.core.wording import clock_words, day_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.moving import check_day_open
from zax.desk.book.placing import Spot, find_place, lock_spots, provider_of
from zax.desk.book.track import check_correction, locked_visit, step
from zax.desk.book.undo import Memo
from zax.desk.book.waitlist import add_wait, end_waits_of_visit
from zax.store.book import acts, changes, planned, shelf
from zax.store.book import queries as visits
from zax.store.book.records import Visit


@act("book")
def take_off(tx: Transaction, visit_id: int, why: str, note: str = "", version: int | None = None) -> None:
    """Off the Book, or off the shelf, with the reason that decides what follows."""
    cancel(tx, visit_id, why, note, version)


def cancel(tx: Transaction, visit_id: int, why: str, note: str = "", version: int | None = None) -> int:
    """The same, as a part of an act; the id by which it can be taken back, 0 for a no-show."""
    visit = locked_visit(tx, visit_id, version)
    chosen = check_off(why, note)
    if chosen == OffWhy.MISSED:
        _miss(tx, visit, note)
        return 0
    check_day_open(tx, visit)
    memo = Memo(tx=tx)
    memo.look_at(visit)
    drop(tx, visit, chosen, note, memo)
    return memo.write(
        f"canceled {visit.first} {visit.last}, {day_words(visit.day)}, {clock_words(visit.start_min)}"
    )


@act("arrivals")
def did_not_come(tx: Transaction, visit_id: int, version: int | None = None, reason: str = "") -> None:
    _miss(tx, locked_visit(tx, visit_id, version), reason)


@act("arrivals")
def left_unseen(tx: Transaction, visit_id: int, note: str = "", version: int | None = None) -> None:
    """The patient was here and left before anybody saw them: counted as that, nothing is billed, and they
    wait for another time. What was planned for the visit is planned again.
    """
    visit = locked_visit(tx, visit_id, version)
    if visit.state not in PRESENT:
        raise Conflict("Only someone who is here can leave without being seen.", "note")
    memo = Memo(tx=tx)
    memo.look_at(visit)
    drop(tx, visit, OffWhy.UNSEEN, note, memo)
    memo.write(f"marked {visit.first} {visit.last} as left without being seen")


def _miss(tx: Transaction, visit: Visit, reason: str) -> None:
    """A no-show: possible once the visit has begun; for a past day with a reason."""
    now = tx.local_now(visit.site_id)
    if (visit.day, visit.start_min) > (now.date(), now.hour * 60 + now.minute):
        raise Refused("The visit hasn’t started yet, so it can’t be a no-show.", "why")
    check_correction(visit, now.date(), reason)
    memo = Memo(tx=tx)
    memo.look_at(visit)
    planned.free_planned(tx.connection, visit.id)
    step(tx, visit, Stop.MISSED, reason, after=replace(visit, off_why=OffWhy.MISSED))
    memo.waits_made += add_wait(tx, visit.id, WaitWhy.LOST, reason)
    tx.audit("visit.missed", patient_id=visit.patient_id, visit_id=visit.id)
    memo.write(f"marked {visit.first} {visit.last} as a no-show")


def drop(tx: Transaction, visit: Visit, why: OffWhy, note: str, memo: Memo) -> None:
    """Off with it: planned work back, waitlist where the reason says so, the shelf emptied, everything
    told.
    """
    shelf.off_shelf(tx.connection, visit.id)
    memo.waits_ended += end_waits_of_visit(tx, visit.id, "the visit was canceled")
    if OFF[why].waits:
        memo.waits_made += add_wait(tx, visit.id, WaitWhy.LOST, note)
    _plan_again(tx, visit)
    words = OFF[why].words + (f": {note.strip()}" if note.strip() else "")
    step(tx, visit, Stop.CANCELED, words, after=replace(visit, off_why=why))
    tx.audit(
        "visit.taken_off",
        patient_id=visit.patient_id,
        visit_id=visit.id,
        why=why,
        note=note.strip(),
        said="canceled it",
    )


def _plan_again(tx: Transaction, visit: Visit) -> None:
    """What was to be done stays planned for the patient: planned services are free again, those added by hand
    become planned.
    """
    usual = tx.clinic.types[visit.type_id].services
    lines = planned.lines_to_do(tx.connection, visit.id)
    for line in lines:
        if line.planned_id is None and (line.service_id not in usual or line.tooth):
            made = planned.add_planned(
                tx.connection,
                patient_id=visit.patient_id,
                service_id=line.service_id,
                tooth=line.tooth,
                surfaces=line.surfaces,
                area=line.area,
                visit_id=visit.id,
                made_at=tx.now,
            )
            planned.tie_line(tx.connection, line.id, made)
    planned.free_planned(tx.connection, visit.id)


@act("book")
def take_day_off(tx: Transaction, provider_id: int, day: date, note: str) -> dict[str, list[str]]:
    """A provider's whole day off: everybody of theirs on the waitlist with one note, exams given to others
    where possible, all undoable.

    Says who was canceled, whose exam somebody else does, and who is here already and stays.
    """
    provider = provider_of(tx.clinic, provider_id)
    if not note.strip():
        raise Refused("Say briefly why. The patients will be told.", "note")
    if day < min(tx.business_day(site) for site in tx.clinic.sites):
        raise Refused("That day is over.", "day")
    done: dict[str, list[str]] = {"off": [], "others": [], "stay": []}
    memo = Memo(tx=tx)
    away = acts.add_day_off(tx.connection, provider.id, day, note.strip())
    memo.exceptions.append(away)
    tx.change_setup("hours.day_off", provider=provider.id, day=day.isoformat(), note=note.strip())
    for visit in _visits_with(tx, provider.id, day):
        memo.look_at(visit)
        name = f"{clock_words(visit.start_min)} {visit.first} {visit.last}"
        if visit.state not in ON_THE_BOOK:
            done["stay"].append(name)
            memo.before.pop(visit.id)
        elif visit.provider_id != provider.id and _other_helper(tx, visit, provider.id):
            done["others"].append(name)
        else:
            drop(tx, visit, OffWhy.CLINIC, note, memo)
            done["off"].append(name)
    memo.write(f"took {provider.short}’s {day_words(day)} off, {len(done['off'])} visits to the waitlist")
    return done


def _visits_with(tx: Transaction, provider_id: int, day: date) -> list[Visit]:
    """Every visit of the day that needs this person, locked, in order of time."""
    ids = visits.visits_needing(tx.connection, provider_id, day)
    return sorted((locked_visit(tx, number) for number in ids), key=lambda visit: (visit.start_min, visit.id))


def _other_helper(tx: Transaction, visit: Visit, away: int) -> bool:
    """Let somebody else step in where the absent one would have; False when nobody can."""
    kind, lead = tx.clinic.types[visit.type_id], tx.clinic.providers[visit.provider_id]
    span = Span(visit.start_min, visit.start_min + visit.minutes)
    spot = Spot(
        site_id=visit.site_id,
        day=visit.day,
        span=span,
        provider=lead,
        kind=kind,
        room_id=visit.room_id,
        leaving=frozenset({visit.id}),
    )
    lock_spots(tx, [spot])
    try:
        placed = find_place(tx, spot)
    except ZaxError:
        return False
    changes.write_slots(tx.connection, visit.id, visit.day, placed.staff)
    changes.touch_visit(tx.connection, visit.id)
    helper = next((each.provider_id for each in placed.staff if each.words), lead.id)
    planned.hand_lines(tx.connection, visit.id, away, helper)
    tx.audit(
        "visit.helper_changed",
        patient_id=visit.patient_id,
        visit_id=visit.id,
        said=f"asked {tx.clinic.providers[helper].short} to step in",
    )
    tx.tell("visit", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)
    return True
