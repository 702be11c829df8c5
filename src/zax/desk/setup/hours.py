"""Changing when people work: weekly hours from a date on, exceptions, closures. Visits that lose their time
are never left hidden.

A change under booked visits is refused first, with the list of them (`Affected`); asked again with a decision
it puts them on the shared shelf, or leaves them on the Book, where they are drawn as outside hours until
somebody moves them.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

import holidays

from zax.core.book.calendar import DAY, Pattern
from zax.core.book.hours import Span
from zax.core.errors import Mendable, NotFound, ProblemCollector, Refused
from zax.core.reading import day_or_none, parse_clock, parse_end, reference
from zax.core.wording import clock_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.placing import provider_of
from zax.desk.book.shelf import lift
from zax.desk.book.track import locked_visit
from zax.desk.book.undo import Memo
from zax.desk.clinic.clinic import Clinic
from zax.store.book.booked import BookedSlot, booked_slots
from zax.store.clinic import hours
from zax.store.clinic.hours import HoursLine, replace_hours
from zax.store.engine import Connection

AHEAD = timedelta(days=430)
WEEKDAYS = frozenset("0123456")


@dataclass(frozen=True, slots=True)
class Outside:
    """A booked visit that would lie outside working hours."""

    visit_id: int
    day: date
    start: int
    name: str
    provider: str


class Affected(Mendable):
    """The change would leave these visits outside working hours; nothing was changed yet."""

    status = 409

    def __init__(self, visits: Sequence[Outside]) -> None:
        self.visits = list(visits)
        super().__init__(
            f"{len(self.visits)} booked visit{'s' if len(self.visits) > 1 else ''} would lie outside working"
            " hours.",
            "affected",
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class HoursRow:
    """One row of the weekly editor, as typed. `counted_from` is the day from whose week every second one
    counts, as it was kept; empty for a new row, which counts from the day the hours apply from.
    """

    weekday: str
    pattern: str
    site_id: str
    start: str
    end: str
    rest: str
    counted_from: str = ""


@act("setup")
def set_hours(
    tx: Transaction, provider_id: int, from_day: date, rows: Sequence[HoursRow], decision: str = ""
) -> None:
    """The provider's weekly hours from a date on; what holds before stays. Problems by row, Affected without
    a decision.
    """
    provider = provider_of(tx.clinic, provider_id)
    if from_day < tx.clinic_day:
        raise Refused("Hours can be changed from today on; the past stays as it was.", "from_day")
    checked = _check_rows(tx.clinic, rows, from_day)
    replace_hours(tx.connection, provider.id, from_day, checked)
    tx.change_setup("hours.changed", provider=provider.id, from_day=from_day.isoformat(), rows=len(checked))
    visits_left_without_hours(tx, [provider.id], from_day, decision, "hours changed")


def _check_rows(clinic: Clinic, rows: Sequence[HoursRow], from_day: date) -> list[HoursLine]:
    checked: list[HoursLine] = []
    with ProblemCollector() as wrong:
        for number, row in enumerate(rows):
            start = wrong.take(parse_clock, row.start, f"start-{number}")
            end = wrong.take(parse_end, row.end, f"end-{number}")
            if row.weekday not in WEEKDAYS or row.pattern not in {p.value for p in Pattern}:
                wrong.add(f"start-{number}", "Choose a weekday and how often.")
            elif reference(row.site_id) not in clinic.sites:
                wrong.add(f"start-{number}", "Choose a site.")
            elif start is not None and end is not None and end <= start:
                wrong.add(f"end-{number}", f"It has to end after {clock_words(start)}.")
            elif start is not None and end is not None:
                checked.append(
                    HoursLine(
                        weekday=int(row.weekday),
                        pattern=row.pattern,
                        site_id=reference(row.site_id),
                        start_min=start,
                        end_min=end,
                        rest=row.rest.strip()[:40],
                        counted_from=_counted_from(row, from_day),
                    )
                )
        _check_two_places(checked, wrong)
    return checked


def _counted_from(row: HoursRow, from_day: date) -> date | None:
    """The week from which every second one counts: as it was, so that changing another row shifts nothing."""
    return (day_or_none(row.counted_from) or from_day) if row.pattern == Pattern.SECOND_WEEK else None


def _check_two_places(lines: Sequence[HoursLine], wrong: ProblemCollector) -> None:
    """Nobody works at two sites at the same minute of the same weeks."""
    work = [(number, line) for number, line in enumerate(lines) if not line.rest]
    for at, (number, line) in enumerate(work):
        if any(_two_places(line, other) for _, other in work[:at]):
            wrong.add(f"start-{number}", "At that time they work at the other site.")


def _two_places(one: HoursLine, other: HoursLine) -> bool:
    meets = Span(one.start_min, one.end_min).overlaps(Span(other.start_min, other.end_min))
    same_weeks = (one.weekday, one.pattern, one.counted_from) == (
        other.weekday,
        other.pattern,
        other.counted_from,
    )
    return meets and same_weeks and one.site_id != other.site_id


@act("setup")
def add_exception(
    tx: Transaction,
    provider_id: int,
    first: date,
    last: date,
    start: str,
    end: str,
    words: str,
    extra: bool,
    site_id: int | None,
    decision: str = "",
) -> None:
    """Away, or working besides, on these dates; without times the whole day. Affected without a decision."""
    provider = provider_of(tx.clinic, provider_id)
    with ProblemCollector() as wrong:
        begins = wrong.take(parse_clock, start, "start") if start.strip() else DAY.start
        ends = wrong.take(parse_end, end, "end") if end.strip() else DAY.end
        if last < first:
            wrong.add("last", "The last day is before the first.")
        if last - first > timedelta(days=366):
            wrong.add("last", "At most a year at a time. Change the weekly hours instead.")
        if last < tx.clinic_day:
            wrong.add("first", "These days are over.")
        if begins is not None and ends is not None and ends <= begins:
            wrong.add("end", "It has to end after it starts.")
        if not words.strip():
            wrong.add("words", "Say what it is: vacation, course, extra clinic.")
        if extra and (site_id not in tx.clinic.sites or not (start.strip() and end.strip())):
            wrong.add("start", "For extra time give the site, from and to.")
    assert begins is not None and ends is not None
    hours.add_exception(
        tx.connection,
        provider_id=provider.id,
        site_id=site_id,
        from_day=first,
        to_day=last,
        start_min=begins,
        end_min=ends,
        extra=extra,
        words=words.strip()[:80],
    )
    tx.change_setup(
        "hours.exception",
        provider=provider.id,
        first=first.isoformat(),
        last=last.isoformat(),
        words=words.strip(),
    )
    visits_left_without_hours(tx, [provider.id], first, decision, words.strip())


@act("setup")
def end_exception(tx: Transaction, exception_id: int, decision: str = "") -> None:
    """Take an exception back; the weekly hours hold again."""
    row = hours.locked_exception(tx.connection, exception_id)
    if row is None:
        raise NotFound("This was already removed.")
    hours.end_exception(tx.connection, exception_id, tx.now)
    tx.change_setup("hours.exception_ended", provider=row.provider_id, words=row.words)
    visits_left_without_hours(tx, [row.provider_id], row.from_day, decision, "hours changed")


@act("setup")
def close_clinic(
    tx: Transaction, starts: datetime, ends: datetime, words: str, site_id: int | None, decision: str = ""
) -> None:
    """Shut one site or all of them from a wall-clock time to another, over midnight if need be. Affected
    without a decision.
    """
    with ProblemCollector() as wrong:
        if ends <= starts:
            wrong.add("ends", "It has to end after it starts.")
        if ends - starts > timedelta(days=90):
            wrong.add("ends", "At most 90 days at once.")
        if starts.date() < tx.business_day(site_id or tx.clinic.first_site.id):
            wrong.add("starts", "A closure can start today or later.")
        if not words.strip():
            wrong.add("words", "Say why. Patients will ask.")
        if site_id is not None and site_id not in tx.clinic.sites:
            wrong.add("site_id", "Choose a site.")
    _close(tx, starts, ends, words, site_id)
    tx.change_setup(
        "closure.added", starts=starts.isoformat(), ends=ends.isoformat(), words=words.strip(), site=site_id
    )
    visits_left_without_hours(tx, list(tx.clinic.providers), starts.date(), decision, words.strip())


@act("setup")
def close_holidays(tx: Transaction, days: Sequence[tuple[date, str]], decision: str = "") -> None:
    """Close the whole clinic on the public holidays chosen."""
    if not days:
        raise Refused("Check at least one holiday.", "days")
    for day, words in days:
        _close(
            tx, datetime.combine(day, time()), datetime.combine(day + timedelta(days=1), time()), words, None
        )
    tx.change_setup("closure.holidays", days=[day.isoformat() for day, _ in days])
    visits_left_without_hours(
        tx, list(tx.clinic.providers), min(day for day, _ in days), decision, "public holiday"
    )


def _close(tx: Transaction, starts: datetime, ends: datetime, words: str, site_id: int | None) -> None:
    hours.add_closure(tx.connection, starts, ends, words.strip()[:80], site_id)


@act("setup")
def open_again(tx: Transaction, closure_id: int) -> None:
    """Take a closure back."""
    if not hours.end_closure(tx.connection, closure_id, tx.now):
        raise NotFound("This closure was already removed.")
    tx.change_setup("closure.ended", closure=closure_id)


def visits_left_without_hours(
    tx: Transaction, people: Sequence[int], first: date, decision: str, words: str
) -> None:
    """List what the change leaves outside hours, or do with it what was decided."""
    outside = newly_outside(
        tx.connection,
        tx.desk.clinic,
        tx.clinic,
        people,
        max(first, tx.clinic_day),
    )
    if not outside or decision == "leave":
        return
    if decision != "shelf":
        raise Affected(outside)
    memo = Memo(tx=tx)
    for visit_id in sorted({each.visit_id for each in outside}):
        lift(tx, locked_visit(tx, visit_id), words, True, memo)
    memo.write(f"shelved {len(memo.before)} visits, {words}")


def newly_outside(
    connection: Connection, before: Clinic, after: Clinic, people: Sequence[int], first: date
) -> list[Outside]:
    """The booked visits that lie inside somebody's hours as they were, and outside as they are to be; one a
    visit, in order of time.
    """
    slots = booked_slots(connection, people, first)
    lost = [slot for slot in slots if _inside(before, slot) and not _inside(after, slot)]
    return _visits_of(lost, after)


def outside_now(connection: Connection, clinic: Clinic, first: date) -> list[Outside]:
    """Every coming visit that lies outside working hours as they are: left there by decision, and not to be
    forgotten.
    """
    slots = booked_slots(connection, clinic.providers, first)
    return _visits_of([slot for slot in slots if not _inside(clinic, slot)], clinic)


def _inside(clinic: Clinic, slot: BookedSlot) -> bool:
    """Whether somebody works in the minutes that a visit needs them; its buffer may run over the end of their
    hours.
    """
    span = Span(slot.start_min, max(slot.start_min + 1, slot.end_min - slot.buffer_min))
    return any(
        span.within(window) for window in clinic.hours.windows(slot.provider_id, slot.site_id, slot.day)
    )


def _visits_of(slots: Iterable[BookedSlot], clinic: Clinic) -> list[Outside]:
    """One a visit, by the first of its slots."""
    found: dict[int, Outside] = {}
    for slot in slots:
        provider = clinic.providers[slot.provider_id].short
        name = f"{slot.first} {slot.last}"
        found.setdefault(slot.visit_id, Outside(slot.visit_id, slot.day, slot.start_min, name, provider))
    return list(found.values())


def public_holidays(clinic: Clinic, site_id: int, today: date) -> list[tuple[date, str]]:
    """The public holidays of the site's state in the coming fourteen months on which the clinic is not closed
    yet.
    """
    state = clinic.sites[site_id].address[2]
    known = holidays.country_holidays(
        str(clinic.about.get("country", "US")),
        subdiv=state or None,
        years=[today.year, today.year + 1, today.year + 2],
    )
    return [
        (day, str(words))
        for day, words in sorted(known.items())
        if today <= day <= today + AHEAD and not clinic.hours.closure_words(site_id, day)
    ]
