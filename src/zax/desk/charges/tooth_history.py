"""Entering what was in a mouth before us, and what that changes: what the plan no longer pays, and until
when. It is part of the record and never a charge.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

from zax.core.charges.teeth import TEETH, show_tooth
from zax.core.charges.tooth_history import (
    WORK_WORDS,
    ToothWork,
    Work,
    check_against,
    lost_teeth,
    work_of,
)
from zax.core.charges.tooth_line import read_line, write_line
from zax.core.coverage.limits import Insured
from zax.core.coverage.tooth_effects import tooth_effects
from zax.core.errors import NotFound, Refused, Stale
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.charges.tooth_chart import Teeth, chart_of
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.estimate_inputs import counting_on
from zax.desk.patients.details import locked_patient
from zax.store.charges.lines import EarlierWork, earlier_work
from zax.store.coverage.queries import coverages_of
from zax.store.coverage.records import Coverage
from zax.store.engine import Connection
from zax.store.patients import tooth_history as stored
from zax.store.patients.tooth_history import ToothEntry

JUST_NOW = timedelta(minutes=30)
MOST_JUST_NOW = 4


@dataclass(frozen=True, slots=True)
class Told:
    """A work with its teeth in the clinic's numbering: '18-20', '1 16 17'."""

    ids: tuple[int, ...]
    teeth: str
    words: str
    work: ToothWork
    line: str


@dataclass(frozen=True, slots=True, kw_only=True)
class MouthPage:
    """`entered` are the lines this person entered a moment ago, the last first; `effects` are teeth as
    written, and what the chart changes for them.
    """

    told: list[Told]
    entered: list[Told]
    teeth: Teeth
    missing: int
    replaced: int
    payer: str
    member: str
    effects: list[tuple[str, str]]


def mouth_page(
    connection: Connection, clinic: Clinic, patient_id: int, by_id: int | None, now: datetime, today: date
) -> MouthPage:
    """What is on the chart from before us, in the order of the teeth."""
    rows = stored.tooth_history(connection, patient_id)
    ours = earlier_work(connection, patient_id, 0)
    history = [row.told for row in rows]
    lost = lost_teeth(history) | _taken_out(ours)
    gone = {tooth for tooth in lost if not (TEETH[tooth].primary or TEETH[tooth].extra)}
    held = {tooth for each in history for tooth in _put_in(each)}
    covered = counting_on(coverages_of(connection, [patient_id]), True, today)
    first = covered[0] if covered else None
    order = list(TEETH)
    return MouthPage(
        told=sorted((_told(clinic, [row]) for row in rows), key=lambda each: order.index(each.work.teeth[0])),
        entered=_just_now(clinic, rows, by_id, now),
        teeth=chart_of(history, ours),
        missing=len(gone),
        replaced=len(gone & held),
        payer=first.payer_name if first else "",
        member=first.member_id if first else "",
        effects=_effects(clinic, first, history, lost, today) if first else [],
    )


def _put_in(told: ToothWork) -> tuple[str, ...]:
    return told.teeth if told.work == Work.IMPLANT else told.replaced


def _taken_out(ours: Iterable[EarlierWork]) -> dict[str, date]:
    """The teeth we took out, and when."""
    return {row.tooth: row.day for row in ours if work_of(row.code) == Work.MISSING}


def _told(clinic: Clinic, rows: Sequence[ToothEntry]) -> Told:
    """One line, though it may have brought several works."""
    works = [row.told for row in rows]
    first = works[0]
    words = ", ".join(
        f"{WORK_WORDS[each.work]}{' ' + each.surfaces if each.surfaces else ''}" for each in works
    )
    if first.work == Work.BRIDGE:
        words = f"bridge for {_teeth_words(clinic, first.replaced)}"
    return Told(
        tuple(row.id for row in rows),
        _teeth_words(clinic, first.teeth),
        words,
        first,
        write_line(first, clinic.numbering),
    )


def _teeth_words(clinic: Clinic, teeth: Sequence[str]) -> str:
    """'18–20' for three or more in a row of the arch, '1 16 17' for others."""
    names = [show_tooth(each, clinic.numbering) for each in teeth]
    row = [each.number for each in TEETH.values() if each.extra == TEETH[teeth[0]].extra]
    first = row.index(teeth[0])
    in_row = len(teeth) > 2 and tuple(row[first : first + len(teeth)]) == tuple(teeth)
    return f"{names[0]}–{names[-1]}" if in_row else " ".join(names)


def _just_now(clinic: Clinic, rows: Sequence[ToothEntry], by_id: int | None, now: datetime) -> list[Told]:
    mine = [row for row in rows if row.entered_by == by_id and now - row.entered_at < JUST_NOW]
    lines: dict[datetime, list[ToothEntry]] = {}
    for row in mine:
        lines.setdefault(row.entered_at, []).append(row)
    return [_told(clinic, lines[at]) for at in sorted(lines, reverse=True)][:MOST_JUST_NOW]


def _effects(
    clinic: Clinic,
    cover: Coverage,
    history: Sequence[ToothWork],
    lost: Mapping[str, date | None],
    today: date,
) -> list[tuple[str, str]]:
    """What the chart changes for the first dental plan."""
    benefits, insured = clinic.plans[cover.plan_id].benefits, Insured(None, cover.from_day, lost)
    found = tooth_effects(benefits, insured, cover.payer_name, history, today)
    return [(_teeth_words(clinic, each.teeth), each.words) for each in found]


def read_works(
    connection: Connection, clinic: Clinic, patient_id: int, line: str, today: date, instead: int = 0
) -> list[ToothWork]:
    """What a line says, checked against the chart as it is without the entry it stands `instead` of. Raises
    Refused with field "line".
    """
    chart = [row.told for row in stored.tooth_history(connection, patient_id) if row.id != instead]
    ours = earlier_work(connection, patient_id, 0)
    gone = _taken_out(ours)
    works = read_line(line, clinic.numbering, today, {*lost_teeth(chart), *gone})
    for each in works:
        check_against(each, chart, gone, clinic.numbering)
    return works


@act("charges")
def add_tooth_works(
    tx: Transaction, patient_id: int, line: str, here: bool = False, instead: int = 0
) -> list[int]:
    """A line onto the chart, in place of the entry `instead` if one is named; the ids of its works."""
    locked_patient(tx, patient_id)
    works = read_works(tx.connection, tx.clinic, patient_id, line, tx.clinic_day, instead)
    if instead:
        _remove(tx, patient_id, [instead])
    ids = []
    for each in works:
        told = replace(each, here=each.here or here)
        ids.append(stored.add_tooth_work(tx.connection, patient_id, told, tx.now, tx.actor.id))
        _note(tx, patient_id, ["", write_line(told, tx.clinic.numbering)])
    return ids


@act("charges")
def remove_tooth_works(tx: Transaction, patient_id: int, ids: Sequence[int]) -> None:
    """Off the chart, for what was entered by mistake."""
    locked_patient(tx, patient_id)
    _remove(tx, patient_id, ids)


def _remove(tx: Transaction, patient_id: int, ids: Sequence[int]) -> None:
    rows = [row for row in stored.tooth_history(tx.connection, patient_id) if row.id in ids]
    if len(rows) != len(set(ids)):
        raise Stale("Someone already changed that on the chart. Take another look.")
    stored.remove_tooth_work(tx.connection, ids, tx.now, tx.actor.id)
    for row in rows:
        _note(tx, patient_id, [write_line(row.told, tx.clinic.numbering), ""])


@act("charges")
def put_tooth_works_back(tx: Transaction, patient_id: int, ids: Sequence[int]) -> None:
    """What was removed by mistake; refused where the chart has changed so that it no longer fits."""
    locked_patient(tx, patient_id)
    there = stored.tooth_history(tx.connection, patient_id)
    rows = stored.put_tooth_work_back(tx.connection, patient_id, ids)
    if not rows:
        raise NotFound("There is nothing to put back.")
    gone = _taken_out(earlier_work(tx.connection, patient_id, 0))
    for row in rows:
        if row.id in {each.id for each in there}:
            raise Refused("That’s on the chart already.", "line")
        check_against(row.told, [each.told for each in there], gone, tx.clinic.numbering)
        _note(tx, patient_id, ["", write_line(row.told, tx.clinic.numbering)])


def _note(tx: Transaction, patient_id: int, was_is: list[str]) -> None:
    tx.audit("teeth.history", patient_id=patient_id, changed={"earlier dental work": was_is})
    tx.tell("patient", patient_id=patient_id)
