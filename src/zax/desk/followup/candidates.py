"""Everybody who might want an opening, with what has to be known before they are asked: from the waitlist,
from the recalls that are due, from signed work that no visit is to do.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import date, datetime, timedelta

from zax.clock import local_date
from zax.core.book.hours import Span
from zax.core.book.waitlist import Entry, Gap, Waits, WaitWhy
from zax.core.followup.candidates import By, Candidate, Ranking, Source, ranking
from zax.core.followup.offer import Rules
from zax.core.messages.reach import text_or_call
from zax.core.patients.wishes import Wishes
from zax.desk.book.placing import Spot, why_not_there
from zax.desk.book.planned import type_for_work
from zax.desk.book.waitlist import entries
from zax.desk.clinic.clinic import Clinic
from zax.desk.followup.reaching import reachable
from zax.store.engine import Connection
from zax.store.followup import candidates as stored
from zax.store.followup.offers import offered_lately
from zax.store.patients.attendance import tallies_of
from zax.store.patients.patients import guarantors_of, patients_of

_SOURCES = {WaitWhy.LOST: Source.LOST, WaitWhy.SHORT: Source.SHORT, WaitWhy.SOONER: Source.SOONER}
WEEK = timedelta(days=7)


def candidates_for(connection: Connection, clinic: Clinic, gap: Gap, now: datetime, rules: Rules) -> Ranking:
    """Who is offered this opening, in order, and who is skipped. `now` is UTC."""
    today = local_date(now, clinic.sites[gap.site_id].timezone)
    blocked = _blocked(connection, clinic, gap)
    able = replace(gap, types=gap.types - set(blocked))
    found = [*_waiting(connection, clinic, gap, blocked), *_due(connection, clinic, able, today)]
    found += _signed(connection, clinic, able)
    known = _known(connection, found, gap, now, today)
    return ranking(known, gap, today, rules.most_a_week)


def _blocked(connection: Connection, clinic: Clinic, gap: Gap) -> dict[int, str]:
    """The types that can't stand there although they are short enough, and why: nobody is free for the exam,
    or it is none of their hours.
    """
    found = {}
    for number in gap.types:
        kind = clinic.types[number]
        if kind.minutes > gap.minutes:
            continue
        spot = Spot(
            site_id=gap.site_id,
            day=gap.day,
            span=Span(gap.start, gap.start + kind.minutes),
            provider=clinic.providers[gap.provider_id],
            kind=kind,
        )
        why_not = why_not_there(connection, clinic, spot)
        if why_not:
            found[number] = f"{kind.name.lower()}: {why_not.rstrip('.')}"
    return found


def _waiting(connection: Connection, clinic: Clinic, gap: Gap, blocked: Mapping[int, str]) -> list[Candidate]:
    people = entries(connection, clinic, gap.site_id)
    return [
        _who_waits(entry, wait, blocked.get(wait.type_id, ""))
        for entry in people
        for wait in entry.reasons
        if wait.role == gap.role and wait.type_id in gap.types
    ]


def _who_waits(entry: Entry, wait: Waits, blocked: str) -> Candidate:
    return Candidate(
        blocked=blocked,
        patient_id=entry.patient_id,
        source=_SOURCES[wait.why],
        since=wait.since,
        type_id=wait.type_id,
        type_words=wait.type_words,
        minutes=wait.minutes,
        worth=wait.value,
        provider_id=wait.provider_id,
        wait_id=wait.id,
        visit_id=wait.visit_id if wait.booked else 0,
        leaves=wait.booked,
        short_notice=entry.short_notice,
    )


def _due(connection: Connection, clinic: Clinic, gap: Gap, today: date) -> list[Candidate]:
    rows = stored.recalls_for(connection, gap.types, gap.day, today)
    last = stored.last_with(connection, [row.patient_id for row in rows if row.same_person], gap.role)
    found = []
    for row in rows:
        kind = clinic.types[row.type_id]
        found.append(
            Candidate(
                patient_id=row.patient_id,
                source=Source.RECALL,
                since=row.due_day,
                type_id=kind.id,
                type_words=kind.name,
                minutes=kind.minutes,
                worth=sum(clinic.services[number].fee_cents for number in kind.services),
                provider_id=last.get(row.patient_id, 0) if row.same_person else 0,
                recall_id=row.recall_id,
            )
        )
    return found


def _signed(connection: Connection, clinic: Clinic, gap: Gap) -> list[Candidate]:
    """Signed work that a type of this provider does: one whose own services hold some of it."""
    kinds = [kind for kind in clinic.types.values() if kind.id in gap.types and kind.role == gap.role]
    found = []
    for patient_id, rows in stored.signed_work(connection).items():
        wanted = {row.service_id for row in rows}
        kind = type_for_work(kinds, wanted)
        if kind is None:
            continue
        done = [row for row in rows if row.service_id in kind.services]
        found.append(
            Candidate(
                patient_id=patient_id,
                source=Source.PLANNED,
                since=min(row.signed for row in rows),
                type_id=kind.id,
                type_words=kind.name,
                minutes=kind.minutes,
                worth=sum(clinic.services[row.service_id].fee_cents for row in done),
                planned=tuple(row.id for row in done),
            )
        )
    return found


def _known(
    connection: Connection, found: Sequence[Candidate], gap: Gap, now: datetime, today: date
) -> list[Candidate]:
    ids = sorted({each.patient_id for each in found})
    people = patients_of(connection, ids)
    guarantors = guarantors_of(connection, sorted({each.household_id for each in people.values()}))
    kept = tallies_of(connection, ids)
    lately = offered_lately(connection, ids, now - WEEK)
    busy = stored.busy_that_day(connection, ids, gap.day)
    gone = stored.canceled_at(connection, gap.provider_id, gap.day, gap.start, gap.start + gap.minutes)
    flags = stored.warnings_of(connection, ids)
    known = []
    for each in found:
        person = people[each.patient_id]
        tally = kept[each.patient_id]
        channel, there = text_or_call(reachable(person, guarantors.get(person.household_id)), today)
        known.append(
            replace(
                each,
                name=f"{person.first} {person.last}",
                called=person.used_name or person.first,
                language=person.language,
                wishes=Wishes(person.likes, person.never),
                missed=tally.missed,
                visits=tally.kept + tally.missed,
                lately=lately.get(person.id, 0),
                visit_that_day=person.id in busy,
                canceled_it=person.id in gone,
                flag=flags.get(person.id, ""),
                by=By(channel),
                to=there.to,
                why_not=there.why_not,
            )
        )
    return known
