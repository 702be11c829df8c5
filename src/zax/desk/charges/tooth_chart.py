"""What is known of a patient's teeth for the picture: done today, planned, worked on earlier by us or by
others, gone. Ours and theirs are drawn alike (zax.core.charges.tooth_history.work_of).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from zax.core.charges.tooth_history import WORK_WORDS, ToothWork, Work, work_of
from zax.core.wording import day_words
from zax.desk.clinic.clinic import Clinic
from zax.store.book.records import PlannedService
from zax.store.charges.lines import EarlierWork, earlier_work
from zax.store.engine import Connection
from zax.store.money.records import ServiceLine
from zax.store.patients.tooth_history import tooth_history


@dataclass(slots=True)
class OneTooth:
    """`today` are surfaces done at this visit ('*' for the whole tooth), `filled` those filled before;
    `bridge` are all teeth of the bridge it is part of; `words` say what, when.
    """

    today: str = ""
    planned: bool = False
    earlier: bool = False
    missing: bool = False
    words: list[str] = field(default_factory=list)
    works: set[Work] = field(default_factory=set)
    filled: str = ""
    bridge: tuple[str, ...] = ()


Teeth = dict[str, OneTooth]
_NO_WORK = {Work.MISSING, Work.EXTRACT, Work.KEPT, Work.EXTRA}


def teeth_of(
    connection: Connection,
    clinic: Clinic,
    patient_id: int,
    visit_id: int,
    lines: Sequence[ServiceLine],
    planned: Sequence[PlannedService],
) -> Teeth:
    """By universal number, only teeth of which something is known."""
    found = chart_of(
        [each.told for each in tooth_history(connection, patient_id)],
        earlier_work(connection, patient_id, visit_id),
    )
    for work in planned:
        if work.tooth:
            found[work.tooth].planned = True
            found[work.tooth].words.append(f"planned: {clinic.services[work.service_id].words}")
    for line in lines:
        if line.tooth:
            found[line.tooth].today += line.surfaces or "*"
            found[line.tooth].words.append(f"today: {clinic.services[line.service_id].words}")
    return {number: _settled(tooth) for number, tooth in found.items()}


def chart_of(history: Iterable[ToothWork], ours: Iterable[EarlierWork]) -> Teeth:
    """The mouth before today: what was there before us, then what we did."""
    found: Teeth = defaultdict(OneTooth)
    for told in history:
        for number in told.teeth:
            _put(found[number], told.work, told.surfaces)
            found[number].missing |= number in told.lost
            found[number].bridge = told.teeth if told.work == Work.BRIDGE else found[number].bridge
            surfaces = f" {told.surfaces}" if told.surfaces else ""
            when = "" if told.when.day is None else f", {told.when.words}"
            found[number].words.append(f"{WORK_WORDS[told.work]}{surfaces}{when}")
    for row in ours:
        tooth = found[row.tooth]
        work = work_of(row.code)
        if work is None:
            tooth.earlier = True
        else:
            _put(tooth, work, row.surfaces)
        if work == Work.MISSING:
            tooth.works, tooth.missing, tooth.earlier = {work}, True, False
        tooth.words.append(f"{row.words} {day_words(row.day, year=True)}")
    return found


def _put(tooth: OneTooth, work: Work, surfaces: str) -> None:
    tooth.works.add(work)
    tooth.earlier |= work not in _NO_WORK
    if work == Work.FILLING:
        tooth.filled += surfaces


def _settled(tooth: OneTooth) -> OneTooth:
    if "*" in tooth.today:
        tooth.today = "*"
    return tooth
