"""Free times near the one that somebody asks for in a text or a mail, and the answer that says them: read and
changed before it goes.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime

from zax.clock import local
from zax.core.book.track import EXPECTED
from zax.core.errors import Refused
from zax.core.inbox.asked_time import AskedTime, asked_time
from zax.core.messages.language import Language, day_in, language_of
from zax.core.messages.reply import Meaning
from zax.core.wording import clock_words
from zax.desk.book.openings import Part, Request, find_openings
from zax.desk.clinic.clinic import Clinic
from zax.desk.notices.facts import called
from zax.store.book.queries import visits_by_id
from zax.store.book.records import Visit
from zax.store.engine import Connection
from zax.store.inbox.replies import ReplyRow
from zax.store.messages.messages import (
    message_by_id,
)
from zax.store.patients.records import Patient

PROPOSED = 2
# How far from the time asked for is looked, minutes: the very time first.
_AROUND = (0, 30, 90, 180)


@dataclass(frozen=True, slots=True)
class Proposal:
    """A time near what was asked: when, with whom, and the way there in words."""

    day: date
    start: int
    provider_id: int
    site_id: int
    provider: str
    same: bool


def visit_of(connection: Connection, reply: ReplyRow) -> Visit | None:
    """The visit that a text is about: that of our message before it, as long as it is ahead."""
    message = message_by_id(connection, reply.message_id) if reply.message_id else None
    if message is None or not message.visit_id:
        return None
    found = visits_by_id(connection, [message.visit_id]).get(message.visit_id)
    return found if found is not None and found.state in EXPECTED else None


def proposals(connection: Connection, clinic: Clinic, reply: ReplyRow, now: datetime) -> list[Proposal]:
    """Free times near the one that a text asks for; none where it asks for none."""
    visit = visit_of(connection, reply)
    if visit is None or reply.meaning not in {
        Meaning.OTHER_TIME,
        Meaning.UNCLEAR,
        Meaning.QUESTION,
        Meaning.CANCEL,
    }:
        return []
    today = local(now, clinic.sites[visit.site_id].timezone).date()
    asked = asked_time(reply.words, today, visit.day)
    if not asked.is_said or asked.day is None or asked.day < today:
        return []
    made: list[Proposal] = []
    for around in _AROUND if asked.minute is not None else (24 * 60,):
        made += _openings(connection, clinic, visit, asked, around, now)
        if len(dict.fromkeys(made)) >= PROPOSED:
            break
    return list(dict.fromkeys(made))[:PROPOSED]


def _openings(
    connection: Connection, clinic: Clinic, visit: Visit, asked: AskedTime, around: int, now: datetime
) -> list[Proposal]:
    """Free times no further from the one asked for than so many minutes, the nearest first."""
    try:
        found = find_openings(connection, clinic, now, _request(visit, asked, around))
    except Refused:
        return []
    wanted = asked.minute if asked.minute is not None else visit.start_min
    near = sorted(found, key=lambda each: (abs(each.start - wanted), each.lead != visit.provider_id))
    return [
        Proposal(
            each.day,
            each.start,
            each.lead,
            each.site_id,
            clinic.providers[each.lead].short,
            each.lead == visit.provider_id,
        )
        for each in near
        if (each.day, each.start) != (visit.day, visit.start_min)
    ]


def _request(visit: Visit, asked: AskedTime, around: int) -> Request:
    assert asked.day is not None
    first, last = 0, 24 * 60
    if asked.minute is not None:
        first = max(0, asked.minute - around)
        last = min(24 * 60, asked.minute + around + visit.minutes)
    return Request(
        parts=(Part(visit.type_id, visit.minutes),),
        sites=(visit.site_id,),
        first=asked.day,
        last=asked.day,
        from_min=first,
        to_min=last,
        patient_id=visit.patient_id,
        leaving=frozenset({visit.id}),
        limit=20,
    )


def written_answer(clinic: Clinic, patient: Patient, found: Sequence[Proposal]) -> str:
    """What one would most likely write back; read and changed before it goes."""
    spanish = language_of(patient.language) is Language.SPANISH
    name = clinic.about["clinic_name"]
    if not found:
        return ""
    language = Language.SPANISH if spanish else Language.ENGLISH
    times = [
        f"{number}: {day_in(each.day, language)}, {clock_words(each.start)} {'con' if spanish else 'with'}"
        f" {each.provider}"
        for number, each in enumerate(found, 1)
    ]
    if spanish:
        return f"Hola {called(patient)}, tenemos {' o '.join(times)}. Cual prefiere? {name}"
    return f"Hi {called(patient)}, we have {' or '.join(times)}. Which would you like? {name}"
