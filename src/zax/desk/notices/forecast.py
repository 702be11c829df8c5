"""What would go out on a day, looked at beforehand: by the same rules, for whom, with which words, and who
gets none and why. Nothing is written. What happens that day (a booking, a move) nobody knows yet, so only
what is already on file is told.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta

from zax.clock import local, to_utc
from zax.core.messages.channel import Channel
from zax.core.messages.length import text_length
from zax.core.notices.deciding import together
from zax.core.notices.events import EVENTS, Event, Seen
from zax.core.notices.rule import Rules
from zax.desk.clinic.clinic import Clinic
from zax.desk.notices.facts import facts_for, reader_of, visit_facts
from zax.desk.notices.forms import NOTHING
from zax.desk.notices.planning import Asked, Decided, asked_of, due_page
from zax.desk.notices.ready import words_of
from zax.desk.notices.rules import WordBook
from zax.store.book.queries import visits_by_id
from zax.store.engine import Connection
from zax.store.patients.patients import guarantors_of, patients_of
from zax.store.patients.records import Patient

MOST = 2_000
STEP = timedelta(minutes=30)


@dataclass(frozen=True, slots=True, kw_only=True)
class Foreseen:
    """One message of that day, or one person who gets none. `names` are those it is about, `at` is UTC."""

    event: Event
    channel: Channel
    try_no: int
    names: Sequence[str]
    patient_id: int
    visit_id: int | None
    to: str
    why_not: str
    at: datetime
    words: str
    messages: int


def foreseen(
    connection: Connection,
    clinic: Clinic,
    rules: Rules,
    book: WordBook,
    day: date,
    only: tuple[Event, Channel] | None = None,
) -> list[Foreseen]:
    """All of the day in the order they go; of one event and channel where it is named."""
    found: list[Foreseen] = []
    for asked in asked_of(clinic, rules):
        if only is not None and (asked.event, asked.channel) != only:
            continue
        if EVENTS[asked.event].seen is Seen.MOMENT:
            continue
        decided = _of_day(connection, clinic, rules, asked, day)
        found += _said(connection, clinic, book, asked, decided)
    return sorted(found, key=lambda each: (each.at, each.event, each.channel, each.names))


def _of_day(connection: Connection, clinic: Clinic, rules: Rules, asked: Asked, day: date) -> list[Decided]:
    """What falls due in the course of the day: looked at whenever something can."""
    zone = asked.site.timezone
    begins = to_utc(datetime.combine(day, time()), zone)
    seen: dict[tuple[int, str], Decided] = {}
    for now in _moments(rules, asked, day, zone):
        page = due_page(connection, clinic, rules, asked, now, 0, MOST)
        for each in page.found:
            if each.due >= begins and each.going.why_not != NOTHING:
                seen.setdefault((each.occasion.subject_id, each.occasion.mark), each)
    return list(seen.values())


def _moments(rules: Rules, asked: Asked, day: date, zone: str) -> Iterable[datetime]:
    """The minutes of the rules that count days; every half hour where one counts hours."""
    leads = rules.leads(asked.event, asked.channel)[asked.try_no]
    if any(not lead.by_days for lead in leads):
        start = datetime.combine(day, time())
        return [to_utc(start + STEP * number, zone) for number in range(49)]
    minutes = sorted({lead.at_min or 0 for lead in leads})
    return [to_utc(datetime.combine(day, time(minute // 60, minute % 60)), zone) for minute in minutes]


def _said(
    connection: Connection, clinic: Clinic, book: WordBook, asked: Asked, decided: Sequence[Decided]
) -> Iterable[Foreseen]:
    if not decided:
        return
    # The indexes are of the moment that found them; here all of the day stand side by side.
    groups = [
        [decided[index] for index in group]
        for group in together(replace(each.going, index=number) for number, each in enumerate(decided))
    ]
    people = patients_of(connection, {each.occasion.patient_id for each in decided})
    guarantors = guarantors_of(connection, {each.occasion.household_id for each in decided})
    visits = visits_by_id(connection, [each.occasion.visit_id for each in decided if each.occasion.visit_id])
    for group in groups:
        first = group[0].occasion
        patient = people[first.patient_id]
        today = local(group[0].due, asked.site.timezone).date()
        reader = reader_of(patient, guarantors.get(first.household_id), today)
        about = sorted(
            (visits[each.occasion.visit_id] for each in group if each.occasion.visit_id),
            key=lambda visit: (visit.day, visit.start_min),
        )
        facts = facts_for(
            clinic,
            reader,
            [visit_facts(clinic, visit, people[visit.patient_id]) for visit in about],
            first.site_id,
            first.day,
            reader != patient,
        )
        words = words_of(book, asked.event, asked.channel, facts, about, asked.try_no)
        yield _row(asked, group, [_name(people[each.occasion.patient_id]) for each in group], words.body)
    for each in decided:
        if not each.going.to:
            yield _row(asked, [each], [_name(people[each.occasion.patient_id])], "")


def _name(patient: Patient) -> str:
    return f"{patient.first} {patient.last}"


def _row(asked: Asked, group: Sequence[Decided], names: Sequence[str], words: str) -> Foreseen:
    first = group[0]
    return Foreseen(
        event=asked.event,
        channel=asked.channel,
        try_no=asked.try_no,
        names=list(dict.fromkeys(names)),
        patient_id=first.occasion.patient_id,
        visit_id=first.occasion.visit_id,
        to=first.going.to,
        why_not=first.going.why_not,
        at=first.due,
        words=words,
        messages=text_length(words).messages if asked.channel is Channel.TEXT else 1,
    )
