"""The visit sheet: everything about one visit, with its next act."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime

from zax.clock import local
from zax.core.arrivals.stages import Whereabouts
from zax.core.book.track import ON_THE_BOOK, STOP_WORDS, Moved, Stop, minutes_since, reached
from zax.core.clinic.places import Room
from zax.core.clinic.providers import Provider
from zax.core.errors import NotFound
from zax.core.money.journal import balance
from zax.core.record.gaps import Gap, record_gaps
from zax.core.wording import day_words, time_words
from zax.desk.arrivals.facts import Asking, Known, known_of
from zax.desk.book.placing import stands_outside
from zax.desk.book.web_requests import held_words
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.eligibility import cover_mark
from zax.desk.money.ledger import Bill, bill_of, off_of
from zax.desk.record.record_gaps import visit_facts
from zax.store.book import queries as visits
from zax.store.book.records import TrackRow, Visit
from zax.store.day import screens
from zax.store.day.screens import Helper, InHand, NextVisit, SheetClaim
from zax.store.engine import Connection
from zax.store.money import queries as money

LINE = (Stop.BOOKED, Stop.CONFIRMED, Stop.HERE, Stop.ROOM, Stop.CHECKOUT, Stop.SETTLED)


@dataclass(frozen=True, slots=True)
class TrackStop:
    """One stop of the large line: `how` is done, now, open or coming."""

    stop: Stop
    words: str
    how: str
    under: str


@dataclass(slots=True)
class Sheet:
    """`due` is the patient's open part of this visit, `off` what their flags take off their estimated part,
    by its words; cents. `known` is what is on file of the patient. `begun`: its time has come.
    """

    visit: Visit
    type_name: str
    dental: bool
    provider: Provider
    room: Room
    helpers: list[tuple[Provider, int, str]]
    stop: Stop
    track: list[TrackStop]
    history: list[TrackRow]
    waited: int
    bill: Bill
    off: dict[str, int]
    due: int
    insurer_open: int
    known: Known
    gaps: list[Gap]
    claims: Sequence[SheetClaim]
    whereabouts: Sequence[Whereabouts]
    next_visit: NextVisit | None
    today: date
    mark: str
    outside: str
    held: str
    shelf: InHand | None
    begun: bool


def visit_of(connection: Connection, visit_id: int) -> Visit:
    """The visit alone; NotFound for an unknown id."""
    visit = visits.one_visit(connection, visit_id)
    if visit is None:
        raise NotFound("That visit doesn’t exist. The link may be old; look up the patient instead.")
    return visit


def sheet_of(connection: Connection, clinic: Clinic, now: datetime, visit_id: int) -> Sheet:
    """Read and compute one visit; NotFound for an unknown id."""
    visit = visit_of(connection, visit_id)
    zone = clinic.sites[visit.site_id].timezone
    history = list(visits.track(connection, visit_id))
    moved = [Moved(Stop(row.to_stop), row.at) for row in history]
    stop = Stop(visit.state)
    kind = clinic.types[visit.type_id]
    sums = balance(money.visit_entries(connection, visit_id))
    wall = local(now, zone)
    today = wall.date()
    beside = screens.with_visit(connection, visit_id, visit.patient_id, today)
    asked = Asking(visit.patient_id, visit.type_id, visit.provider_id, visit.id)
    known = known_of(connection, clinic, [asked], today)[0]
    bill = bill_of(connection, clinic, visit, known.coverages)
    return Sheet(
        visit,
        kind.name,
        kind.dental,
        clinic.providers[visit.provider_id],
        clinic.rooms[visit.room_id],
        _helpers(clinic, beside.helpers),
        stop,
        large_line(moved, stop, zone, today),
        history,
        minutes_since(moved, Stop.HERE, now) or 0,
        bill,
        _off(clinic, bill, known.about.flags, visit),
        sums.patient,
        sums.insurer,
        known,
        record_gaps(visit_facts(clinic, visit, bill.coverages, known.patient.own)),
        beside.claims,
        beside.whereabouts,
        beside.next_visit,
        today,
        cover_mark(clinic, bill.coverage, now),
        stands_outside(clinic, visit) if stop in ON_THE_BOOK else "",
        held_words(visit, zone),
        screens.in_whose_hand(connection, visit_id) if stop == Stop.SHELF else None,
        (visit.day, visit.start_min) <= (today, wall.hour * 60 + wall.minute),
    )


def _off(clinic: Clinic, bill: Bill, flags: frozenset[int], visit: Visit) -> dict[str, int]:
    made: dict[str, int] = {}
    for each in off_of(clinic, bill, flags, visit.day).values():
        made[each.words] = made.get(each.words, 0) + each.cents
    return made


def large_line(moved: list[Moved], stop: Stop, zone: str, today: date) -> list[TrackStop]:
    """The six stops with words and, under those passed, when: the time for today, the day for others."""
    at = 5 if stop in {Stop.LEFT, Stop.SETTLED} else LINE.index(stop) if stop in LINE else -1
    made = []
    for number, each in enumerate(LINE):
        when = reached(moved, Stop.LEFT if each == Stop.SETTLED and stop == Stop.LEFT else each)
        how = "done" if number < at else "coming"
        if number == at:
            how = "open" if stop == Stop.LEFT else "now"
        under = (
            _when(local(when, zone), today)
            if when and how != "coming"
            else "next"
            if number == at + 1 and at >= 0
            else ""
        )
        words = "Left" if how == "open" else STOP_WORDS[each].capitalize()
        made.append(TrackStop(each, words, how, under))
    return made


def _when(moment: datetime, today: date) -> str:
    return time_words(moment) if moment.date() == today else day_words(moment)


def _helpers(clinic: Clinic, rows: Sequence[Helper]) -> list[tuple[Provider, int, str]]:
    return [(clinic.providers[row.provider_id], row.start_min, row.words) for row in rows]
