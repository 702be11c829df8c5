"""What is due is planned: a message row and its errand for each, and a row that says whom the rule has told.
Planning again changes nothing. The words are filled when it goes (zax.desk.notices.sending), so whatever
changes until then counts.

Any number of workers may plan; they take turns, a page at a time. An occasion is read until it was told or
skipped, never by where somebody stopped, so a worker that dies forgets nobody.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from functools import partial

from zax.clock import local, to_utc
from zax.core.clinic.places import Site
from zax.core.messages.channel import Channel
from zax.core.messages.language import language_of
from zax.core.messages.reach import Known, way
from zax.core.notices.deciding import SECOND_THOUGHTS_MINUTES, Going, in_time, moment_of, together
from zax.core.notices.events import EVENTS, Event, Seen
from zax.core.notices.lead import Lead, last_anchor_due
from zax.core.notices.rule import Rules
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.arrivals.facts import Asking
from zax.desk.clinic.clinic import Clinic
from zax.desk.followup.reaching import reachable
from zax.desk.messages.addresses import known_of
from zax.desk.messages.quiet_hours import quiet_hours
from zax.desk.notices.facts import addresses_of, reader_of
from zax.desk.notices.forms import NOTHING, with_forms
from zax.desk.notices.installments import installments_due
from zax.desk.notices.rules import habits_of, rules_of
from zax.store.clinic.settings import hold
from zax.store.engine import Connection
from zax.store.messages.messages import NewMessage, ids_of, put_messages
from zax.store.notices.occasions import Occasion, Window, occasions
from zax.store.notices.told import last_due, last_placed, last_told, write_told
from zax.store.patients.patients import guarantors_of, patients_of
from zax.store.patients.records import Patient

PAGE = 5_000
_AT_LEAST = timedelta(minutes=SECOND_THOUGHTS_MINUTES)
BEGINNING = datetime(1970, 1, 1)


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """One try of one event by one channel at one site."""

    event: Event
    channel: Channel
    try_no: int
    site: Site


def plan_messages(desk: Desk) -> int:
    """Everything that is due by now; how many messages. For the worker."""
    rules = in_transaction(desk, WORKER, lambda tx: rules_of(tx.connection))
    if not habits_of(desk.clinic).runs:
        return 0
    return sum(_plan(desk, rules, asked) for asked in asked_of(desk.clinic, rules))


def asked_of(clinic: Clinic, rules: Rules) -> Iterable[Asked]:
    """Each try that some rule makes. What belongs to no site is asked of the first alone."""
    for event, kind in EVENTS.items():
        for channel in kind.by if kind.seen is not Seen.HAND else ():
            everywhere = kind.seen is Seen.DAY or event in {Event.STATEMENT, Event.CARD_FAILED}
            sites = [clinic.first_site] if everywhere else list(clinic.sites.values())
            for try_no in range(len(rules.leads(event, channel))):
                for site in sites:
                    yield Asked(event=event, channel=channel, try_no=try_no, site=site)


def _plan(desk: Desk, rules: Rules, asked: Asked) -> int:
    """Page after page, each a transaction of its own."""
    made, after = 0, 0
    while True:
        done, after, more = in_transaction(
            desk, WORKER, partial(_plan_page, rules=rules, asked=asked, after=after)
        )
        made += done
        if not more:
            return made


def _plan_page(tx: Transaction, *, rules: Rules, asked: Asked, after: int) -> tuple[int, int, bool]:
    """How many messages, the last household that was looked at, and whether there are more."""
    hold(tx.connection, "notices")
    page = due_page(tx.connection, tx.clinic, rules, asked, tx.now, after)
    made = _write(tx, asked, page.found)
    return made, page.after, page.more


@dataclass(frozen=True, slots=True)
class Page:
    """What is due of some households: each occasion with where it goes or why not."""

    found: Sequence[Decided]
    after: int
    more: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Decided:
    occasion: Occasion
    going: Going
    lead: Lead
    due: datetime


def due_page(
    connection: Connection,
    clinic: Clinic,
    rules: Rules,
    asked: Asked,
    now: datetime,
    after: int,
    most: int = PAGE,
) -> Page:
    """What is due by `now` of the next households."""
    found = list(_candidates(connection, clinic, rules, asked, now, after, most + 1))
    more = len(found) > most
    if more:
        # The last household may go on: it is looked at as a whole on the next page.
        last = found[-1].household_id
        whole = [each for each in found if each.household_id != last]
        found = whole or found
    if not found:
        return Page((), after, False)
    due = [(each, lead, at) for each in found for lead, at in [_due(clinic, rules, asked, each, now)] if lead]
    return Page(_decided(connection, clinic, asked, due, now), found[-1].household_id, more)


def _candidates(
    connection: Connection, clinic: Clinic, rules: Rules, asked: Asked, now: datetime, after: int, most: int
) -> list[Occasion]:
    window = _window(clinic, rules, asked, now)
    if asked.event is Event.PLAN_DUE:
        return installments_due(connection, window, after, most)
    return occasions(connection, window, after, most)


def _window(clinic: Clinic, rules: Rules, asked: Asked, now: datetime) -> Window:
    """Wide enough for every rule of this try; which holds is seen occasion by occasion."""
    kind, wall = EVENTS[asked.event], local(now, asked.site.timezone)
    leads = rules.leads(asked.event, asked.channel)[asked.try_no]
    since = habits_of(clinic).since_at or BEGINNING
    if kind.seen is Seen.MOMENT:
        longest = max(timedelta(days=lead.days + 1) if lead.by_days else lead.span for lead in leads)
        first, last = now - kind.grace - longest, now
    else:
        last = max(last_anchor_due(lead, wall) for lead in leads)
        oldest = min(last_anchor_due(lead, wall) for lead in leads)
        first = wall if kind.before and kind.of_visits else oldest - kind.grace - timedelta(days=1)
    return Window(
        event=asked.event,
        channel=asked.channel,
        try_no=asked.try_no,
        site_id=asked.site.id,
        first=first,
        last=last,
        since=since,
        today=wall.date(),
    )


def _due(
    clinic: Clinic, rules: Rules, asked: Asked, occasion: Occasion, now: datetime
) -> tuple[Lead | None, datetime]:
    """The lead by which it is due now, and since when; None where the rule that holds says otherwise."""
    rule = rules.rule_for(asked.event, asked.channel, occasion.type_id, occasion.site_id)
    if not rule.runs or len(rule.tries()) <= asked.try_no:
        return None, now
    lead, zone = rule.tries()[asked.try_no], clinic.sites[occasion.site_id].timezone
    due = moment_of(
        asked.event, lead, occasion.anchor, lambda wall: to_utc(wall, zone), lambda at: local(at, zone)
    )
    if EVENTS[asked.event].seen is Seen.MOMENT:
        due = max(due, occasion.anchor + _AT_LEAST)
        # What happened before the rule was made is not told by it.
        if rule.since is not None and occasion.anchor < rule.since:
            return None, now
    begins = to_utc(occasion.anchor, zone) if EVENTS[asked.event].of_visits else None
    return (lead, due) if in_time(asked.event, due, begins, now) else (None, now)


def _decided(
    connection: Connection,
    clinic: Clinic,
    asked: Asked,
    due: Sequence[tuple[Occasion, Lead, datetime]],
    now: datetime,
) -> list[Decided]:
    people = patients_of(connection, {each.patient_id for each, _, _ in due})
    guarantors = guarantors_of(connection, {each.household_id for each, _, _ in due})
    everyone = [*people.values(), *guarantors.values()]
    known = known_of(connection, (number for each in everyone for number in addresses_of(each)))
    ids = [each.subject_id for each, _, _ in due]
    told = last_told(connection, ids, asked.channel) if asked.event is Event.MOVED else {}
    placed = last_placed(connection, ids) if asked.event is Event.REMINDER else {}
    today = local(now, asked.site.timezone).date()
    forms = _forms_of(connection, clinic, asked, due, today)
    made: list[Decided] = []
    for index, (each, lead, at) in enumerate(due):
        patient, guarantor = people[each.patient_id], guarantors.get(each.household_id)
        going = _going(index, each, patient, guarantor, asked, today, known)
        if told.get(each.subject_id) == about(each):
            going = Going(index=index, why_not="knows this time already")
        elif placed.get(each.subject_id, at) > at:
            going = Going(index=index, why_not="booked or moved after this was due")
        elif forms is not None and each.subject_id not in forms:
            going = Going(index=index, why_not=NOTHING)
        made.append(Decided(occasion=each, going=going, lead=lead, due=at))
    return made


def _forms_of(
    connection: Connection,
    clinic: Clinic,
    asked: Asked,
    due: Sequence[tuple[Occasion, Lead, datetime]],
    today: date,
) -> set[int] | None:
    """The visits that have a form to fill in; None where the message is about something else."""
    if asked.event is not Event.FORM:
        return None
    visits = [Asking(each.patient_id, each.type_id, 0, each.subject_id) for each, _, _ in due]
    return with_forms(connection, clinic, visits, today)


def _going(
    index: int,
    occasion: Occasion,
    patient: Patient,
    guarantor: Patient | None,
    asked: Asked,
    today: date,
    known: Mapping[str, Known],
) -> Going:
    topic = EVENTS[asked.event].topic
    found = way(reachable(patient, guarantor), asked.channel, today, topic, known)
    reader = reader_of(patient, guarantor, today)
    # A visit's message is about its day; what falls due for several of a household is one message as well.
    day = occasion.day if EVENTS[asked.event].of_visits else None
    return Going(
        index=index,
        to=found.to,
        why_not=found.why_not,
        language=language_of(reader.language),
        day=day,
        household=occasion.household_id,
    )


def about(occasion: Occasion) -> str:
    """The visit's time as `notice_told.about` keeps it; empty where none is meant."""
    return time_mark(occasion.day, occasion.start_min) if occasion.visit_id and occasion.day else ""


def time_mark(day: date, start: int) -> str:
    return f"{day}-{start}"


def _write(tx: Transaction, asked: Asked, found: Sequence[Decided]) -> int:
    """A message for each that goes together, and whom it tells; how many messages."""
    if not found:
        return 0
    groups = together(each.going for each in found)
    when = _moments(tx, asked, len(groups))
    made = [
        _message(tx, asked, [found[index] for index in group], at)
        for group, at in zip(groups, when, strict=True)
    ]
    put_messages(tx.connection, made)
    ids = ids_of(tx.connection, (each.request_key for each in made))
    key_of = {index: made[number].request_key for number, group in enumerate(groups) for index in group}
    write_told(
        tx.connection,
        [
            {
                "event": asked.event,
                "channel": asked.channel,
                "try_no": asked.try_no,
                "subject_id": each.occasion.subject_id,
                "mark": each.occasion.mark,
                "about": about(each.occasion) if each.going.to else "",
                "patient_id": each.occasion.patient_id,
                "message_id": ids[key_of[index]] if index in key_of else None,
                "why_not": each.going.why_not[:60],
                "at": tx.now,
            }
            for index, each in enumerate(found)
        ],
    )
    tx.tell("message")
    return len(made)


def _message(tx: Transaction, asked: Asked, group: Sequence[Decided], at: datetime) -> NewMessage:
    first = group[0]
    occasion = first.occasion
    return NewMessage(
        request_key=key_of_first(asked, occasion),
        event=asked.event,
        channel=asked.channel,
        language=first.going.language,
        address=first.going.to,
        patient_id=occasion.patient_id,
        visit_id=occasion.visit_id,
        why=why_words(asked, first.lead),
        try_no=asked.try_no,
        made_at=tx.now,
        due_at=at,
    )


def key_of_first(asked: Asked, occasion: Occasion) -> str:
    """The key of a message: that of the first occasion it is about."""
    again = f"-{asked.try_no + 1}" if asked.try_no else ""
    return f"{asked.event}-{asked.channel}-{occasion.subject_id}-{occasion.mark}{again}"[:60]


def why_words(asked: Asked, lead: Lead) -> str:
    """What made it go, for its page."""
    again = ", second try" if asked.try_no else ""
    return f"{EVENTS[asked.event].name}: {lead.words}{again}"


def _moments(tx: Transaction, asked: Asked, count: int) -> list[datetime]:
    """When each of so many goes: not in quiet hours, not more at a time than the door and the desk bear."""
    zone, habits = asked.site.timezone, habits_of(tx.clinic)
    recalls = EVENTS[asked.event].topic == "recalls"
    step = (
        timedelta(hours=1) / habits.recalls_an_hour
        if recalls
        else timedelta(minutes=1) / habits.texts_a_minute
    )
    at, found = tx.now, []
    latest = last_due(tx.connection, asked.channel, asked.event if recalls else "")
    # What has just happened waits for nobody.
    if latest is not None and EVENTS[asked.event].seen is not Seen.MOMENT:
        at = max(at, latest + step)
    for _ in range(count):
        at = to_utc(quiet_hours(tx.clinic).over_at(local(at, zone)), zone)
        found.append(at)
        at += step
    return found
