"""Making a message ready to go: everything is looked at again at that moment, since what was planned
yesterday may not hold today. A visit that was moved since is said as it is now, or not at all; one that has
begun isn't reminded of; whoever opted out meanwhile gets nothing. Why nothing went is kept with the message.
"""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime

from zax.clock import local, to_utc
from zax.core.book.track import EXPECTED, Stop
from zax.core.messages.channel import Channel
from zax.core.messages.language import Language
from zax.core.messages.message import Sort, State
from zax.core.messages.reach import Known, way
from zax.core.notices.events import EVENTS, Event
from zax.core.notices.originals import Variant, Words, original
from zax.core.notices.words import MessageFacts, filled
from zax.desk.acts.transaction import Transaction
from zax.desk.arrivals.facts import Asking
from zax.desk.clinic.clinic import Clinic
from zax.desk.followup.reaching import reachable
from zax.desk.messages.addresses import known_of
from zax.desk.messages.quiet_hours import quiet_hours
from zax.desk.notices.door_rates import door_free_at
from zax.desk.notices.facts import addresses_of, facts_for, reader_of, visit_facts
from zax.desk.notices.fill_in import page_of, registration_for
from zax.desk.notices.forms import with_forms
from zax.desk.notices.planning import time_mark
from zax.desk.notices.rules import WordBook, habits_of, rules_of, word_book
from zax.store.acts.outbox import Errand, finish_errand, put_off_errand
from zax.store.book.queries import visits_by_id
from zax.store.book.records import Visit
from zax.store.messages.messages import Message, change_message, hold_message
from zax.store.notices.told import Told, say_about, still_open, told_of
from zax.store.patients.patients import guarantors_of, known_patient, patients_of

# What answers somebody doesn't wait for the morning and isn't weighed again.
_ANSWERS = frozenset({Sort.STOPPED, Sort.ANSWER, Sort.TEST})


@dataclass(frozen=True, slots=True)
class Ready:
    """A message whose words stand. `before` are those of an earlier try that may have gone."""

    message: Message
    visits: Sequence[Visit] = ()
    before: str = ""


def make_ready(tx: Transaction, errand: Errand) -> Ready | None:
    """None when it doesn't go, or not yet; the message says why and the errand is settled."""
    message = hold_message(tx.connection, errand.request_key)
    if message is None or message.state not in {State.WAITING, State.SENDING}:
        finish_errand(tx.connection, errand.id, tx.now)
        return None
    by_rule = message.event in list(Event) and not message.by_id
    if message.paper:
        found: Ready | str | None = _with_paper(tx, message)
    else:
        found = _by_rule(tx, errand, message) if by_rule else _by_hand(tx, message)
    if isinstance(found, str):
        _skip(tx, errand, message, found)
        return None
    return found


def _by_hand(tx: Transaction, message: Message) -> Ready | str:
    """What somebody wrote goes as it is, unless they may not be written to anymore."""
    why_not = _hand_written_why_not(tx, message)
    if why_not:
        return why_not
    change_message(tx.connection, message.id, state=State.SENDING, state_at=tx.now)
    return Ready(message, before=message.words if message.state == State.SENDING else "")


_ATTACHED = {
    Language.ENGLISH: "it’s attached to this email.",
    Language.SPANISH: "va adjunto a este correo.",
}


def _with_paper(tx: Transaction, message: Message) -> Ready | str:
    """A paper that somebody sent, with the clinic's words around it: at once, whatever the hour, since it was
    asked for.
    """
    event, channel = Event(message.event), Channel(message.channel)
    if not rules_of(tx.connection).general(event, channel).runs:
        return "this message was switched off before it went"
    why_not = _hand_written_why_not(tx, message)
    if why_not:
        return why_not
    if not message.attached and not link_of(tx.clinic, message.link, PAPER_PAGE):
        return "its link was stopped before it went"
    assert message.patient_id is not None
    patient = known_patient(tx.connection, message.patient_id)
    guarantor = guarantors_of(tx.connection, [patient.household_id]).get(patient.household_id)
    reader = reader_of(patient, guarantor, tx.clinic_day)
    facts = facts_for(tx.clinic, reader)
    paper = _ATTACHED[facts.language] if message.attached else link_of(tx.clinic, message.link, PAPER_PAGE)
    words, _ = word_book(tx.connection).find(event, channel, facts.language, Variant.USUAL)
    said = filled(words, replace(facts, paper=paper))
    before = message.words if message.state == State.SENDING else ""
    kept = replace(message, subject=said.subject, words=said.body, language=facts.language)
    change_message(
        tx.connection,
        message.id,
        state=State.SENDING,
        state_at=tx.now,
        language=kept.language,
        subject=kept.subject,
        **({} if before else {"words": kept.words}),
    )
    return Ready(kept, before=before)


def _hand_written_why_not(tx: Transaction, message: Message) -> str:
    if message.event in _ANSWERS or message.patient_id is None:
        return ""
    trouble = known_of(tx.connection, [message.address]).get(message.address, Known()).trouble
    if message.event == Event.RECEIPT:
        # Whoever paid gets it, also for somebody who isn't a patient anymore.
        return trouble
    patient = patients_of(tx.connection, [message.patient_id]).get(message.patient_id)
    # Whoever asked online is told what became of it.
    if patient is None or patient.status not in {"active", "asked"}:
        return "not an active patient anymore"
    return trouble


def _skip(tx: Transaction, errand: Errand, message: Message, why: str) -> None:
    change_message(tx.connection, message.id, state=State.SKIPPED, state_words=why[:200], state_at=tx.now)
    finish_errand(tx.connection, errand.id, tx.now)
    tx.tell("message", patient_id=message.patient_id)


def _by_rule(tx: Transaction, errand: Errand, message: Message) -> Ready | str | None:
    """Everything is looked at again: what was planned yesterday may not hold today."""
    event, channel = Event(message.event), Channel(message.channel)
    told = told_of(tx.connection, message.id)
    visits = _visits(tx, told) if message.visit_id else []
    site_id = visits[0].site_id if visits else tx.clinic.first_site.id
    zone = tx.clinic.sites[site_id].timezone
    wall = local(tx.now, zone)
    quiet = quiet_hours(tx.clinic)
    if quiet.is_quiet(wall):
        opens = to_utc(quiet.over_at(wall), zone)
        put_off_errand(tx.connection, errand.id, opens)
        change_message(tx.connection, message.id, due_at=opens)
        return None
    free_at = door_free_at(tx, event, channel)
    if free_at is not None:
        put_off_errand(tx.connection, errand.id, free_at)
        return None
    type_id = visits[0].type_id if visits else 0
    rule = rules_of(tx.connection).rule_for(event, channel, type_id, site_id)
    if not habits_of(tx.clinic).runs or not rule.runs:
        return "this message was switched off before it went"
    # A second try is for who has not said yes.
    asking = message.try_no > 0 or message.request_key.endswith("+")
    standing = [
        visit
        for visit in visits
        if _still_holds(event, visit, told, wall) and not (asking and visit.state == Stop.CONFIRMED)
    ]
    if event is Event.FORM and standing:
        standing = _with_forms(tx, standing, wall.date())
        if not standing:
            return "the form was filled in before this went"
    if message.visit_id and not standing:
        return _why_gone(visits, wall)
    if not message.visit_id and not still_open(tx.connection, event, [each.subject_id for each in told]):
        return "it was settled before this went"
    return _filled(tx, message, standing, told)


def _still_holds(event: Event, visit: Visit, told: Sequence[Told], wall: datetime) -> bool:
    """Whether this visit still stands as the message would say. A booking tells the time there is by now."""
    mark = time_mark(visit.day, visit.start_min)
    same = event in {Event.BOOKED, Event.MOVED} or any(
        each.subject_id == visit.id and each.about == mark for each in told
    )
    match event:
        case Event.CANCELED:
            return visit.state == Stop.CANCELED
        case Event.THANKS | Event.REVIEW:
            return visit.state not in {Stop.CANCELED, Stop.MISSED}
        case Event.UNCONFIRMED:
            return same and visit.state == Stop.BOOKED and not _has_begun(visit, wall)
        case Event.LATE:
            return same and visit.state in EXPECTED
        case _:
            return same and visit.state in EXPECTED and not _has_begun(visit, wall)


def _with_forms(tx: Transaction, visits: Sequence[Visit], today: date) -> list[Visit]:
    asked = [Asking(each.patient_id, each.type_id, 0, each.id) for each in visits]
    found = with_forms(tx.connection, tx.clinic, asked, today)
    return [each for each in visits if each.id in found]


def _has_begun(visit: Visit, wall: datetime) -> bool:
    return (visit.day, visit.start_min) <= (wall.date(), wall.hour * 60 + wall.minute)


def _why_gone(visits: Sequence[Visit], wall: datetime) -> str:
    if any(visit.state == Stop.CANCELED for visit in visits):
        return "the visit was canceled before this went"
    if any(_has_begun(visit, wall) for visit in visits):
        return "the visit had begun"
    return "the visit was moved or confirmed before this went"


def _filled(tx: Transaction, message: Message, visits: Sequence[Visit], told: Sequence[Told]) -> Ready | str:
    """Its address and words as they are now; what an earlier try may have sent is kept beside."""
    event, channel = Event(message.event), Channel(message.channel)
    people = patients_of(tx.connection, {each.patient_id for each in told})
    patient = people.get(message.patient_id or 0)
    if patient is None:
        return "not an active patient anymore"
    guarantor = guarantors_of(tx.connection, [patient.household_id]).get(patient.household_id)
    today = tx.business_day(visits[0].site_id) if visits else tx.clinic_day
    known = known_of(tx.connection, [*addresses_of(patient), *(addresses_of(guarantor) if guarantor else ())])
    found = way(reachable(patient, guarantor), channel, today, EVENTS[event].topic, known)
    if not found.to:
        return found.why_not
    reader = reader_of(patient, guarantor, today)
    link = message.link or (secrets.token_urlsafe(15) if visits else None)
    facts = facts_for(
        tx.clinic,
        reader,
        [visit_facts(tx.clinic, visit, people[visit.patient_id]) for visit in visits],
        visits[0].site_id if visits else 0,
        _day_meant(event, told),
        reader != patient,
        link_of(tx.clinic, link),
    )
    if event is Event.FORM and patient.birth:
        row = registration_for(tx, patient.id, visits[0].id, found.to if channel is Channel.TEXT else "")
        facts = replace(facts, forms=page_of(tx.clinic, row))
    words = words_of(word_book(tx.connection), event, channel, facts, visits, message.try_no)
    for each in told:
        for visit in visits:
            if each.subject_id == visit.id:
                say_about(tx.connection, each.id, time_mark(visit.day, visit.start_min))
    before = message.words if message.state == State.SENDING else ""
    kept = replace(
        message,
        address=found.to,
        subject=words.subject,
        words=words.body,
        language=facts.language,
    )
    change_message(
        tx.connection,
        message.id,
        state=State.SENDING,
        state_at=tx.now,
        address=kept.address,
        language=kept.language,
        subject=kept.subject,
        link=link,
        **({} if before else {"words": kept.words}),
    )
    return Ready(kept, visits, before)


def _visits(tx: Transaction, told: Sequence[Told]) -> list[Visit]:
    """In the order of their times."""
    found = visits_by_id(tx.connection, [each.subject_id for each in told]).values()
    return sorted(found, key=lambda visit: (visit.day, visit.start_min, visit.id))


VISIT_PAGE, PAPER_PAGE = "v", "p"


def link_of(clinic: Clinic, link: str | None, page: str = VISIT_PAGE) -> str:
    """Where the message's own page is; empty where there is none, or patients can't reach our pages."""
    address = habits_of(clinic).address
    return f"{address}/{page}/{link}" if address and link else ""


def _day_meant(event: Event, told: Sequence[Told]) -> date | None:
    """The day that a message without a visit names."""
    return date.fromisoformat(told[0].mark) if event is Event.PLAN_DUE and told else None


def words_of(
    book: WordBook,
    event: Event,
    channel: Channel,
    facts: MessageFacts,
    visits: Sequence[Visit],
    try_no: int,
) -> Words:
    """The clinic's words, filled. Several visits, or a child's, are listed with their names."""
    types = {visit.type_id for visit in visits}
    type_id = types.pop() if len(types) == 1 else 0
    variant = variant_of(event, channel, facts.language, len(visits), facts.for_another, try_no)
    words, _ = book.find(event, channel, facts.language, variant, type_id)
    return filled(words, facts)


def variant_of(
    event: Event, channel: Channel, language: Language, visits: int, for_another: bool, try_no: int
) -> Variant:
    listed = visits > 1 or (visits and for_another)
    if listed and original(event, channel, language, Variant.SEVERAL) is not None:
        return Variant.SEVERAL
    return Variant.AGAIN if try_no else Variant.USUAL
