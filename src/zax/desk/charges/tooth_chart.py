"""What is known of a patient's teeth for the picture: done today, planned, worked on earlier, taken out."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field

from zax.core.coverage.limits import EXTRACTIONS
from zax.core.wording import day_words
from zax.desk.clinic.clinic import Clinic
from zax.store.book.records import PlannedService
from zax.store.charges.lines import earlier_work
from zax.store.engine import Connection
from zax.store.money.records import ServiceLine


@dataclass(slots=True)
class OneTooth:
    """`today` are surfaces done at this visit ('*' for the whole tooth); `words` say what, when."""

    today: str = ""
    planned: bool = False
    earlier: bool = False
    missing: bool = False
    words: list[str] = field(default_factory=list)


def teeth_of(
    connection: Connection,
    clinic: Clinic,
    patient_id: int,
    visit_id: int,
    lines: Sequence[ServiceLine],
    planned: Sequence[PlannedService],
) -> dict[str, OneTooth]:
    """By universal number, only teeth of which something is known."""
    found: dict[str, OneTooth] = defaultdict(OneTooth)
    for row in earlier_work(connection, patient_id, visit_id):
        tooth = found[row.tooth]
        tooth.missing |= row.code in EXTRACTIONS
        tooth.earlier = not tooth.missing
        tooth.words.append(f"{row.words} {day_words(row.day, year=True)}")
    for work in planned:
        if work.tooth:
            found[work.tooth].planned = True
            found[work.tooth].words.append(f"planned: {clinic.services[work.service_id].words}")
    for line in lines:
        if line.tooth:
            found[line.tooth].today += line.surfaces or "*"
            found[line.tooth].words.append(f"today: {clinic.services[line.service_id].words}")
    return {number: _settled(tooth) for number, tooth in found.items()}


def _settled(tooth: OneTooth) -> OneTooth:
    if "*" in tooth.today:
        tooth.today = "*"
    return tooth
