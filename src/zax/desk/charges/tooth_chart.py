"""What is known of a patient's teeth for the picture: done today, planned, worked on earlier, taken out."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import Connection, text

from zax.core.coverage.limits import EXTRACTIONS
from zax.desk.clinic.clinic import Clinic

_EARLIER = text(
    "SELECT l.tooth, s.code, s.words, v.day FROM visit v STRAIGHT_JOIN charge_line l ON l.visit_id = v.id STRAIGHT_JOIN service s ON s.id = l.service_id "
    "WHERE v.patient_id = :patient_id AND v.id <> :visit_id AND l.tooth <> '' AND l.removed_at IS NULL AND v.state IN ('checkout', 'left', 'settled') ORDER BY v.day"
)


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
    lines: Sequence[Any],
    planned: Sequence[Any],
) -> dict[str, OneTooth]:
    """By universal number, only teeth of which something is known."""
    found: dict[str, OneTooth] = defaultdict(OneTooth)
    for row in connection.execute(_EARLIER, {"patient_id": patient_id, "visit_id": visit_id}):
        tooth = found[row.tooth]
        tooth.missing |= row.code in EXTRACTIONS
        tooth.earlier = not tooth.missing
        tooth.words.append(f"{row.words} {row.day:%-d %b %Y}")
    for row in planned:
        if row.tooth:
            found[row.tooth].planned = True
            found[row.tooth].words.append(f"planned: {clinic.services[row.service_id].words}")
    for line in lines:
        if line.tooth:
            found[line.tooth].today += line.surfaces or "*"
            found[line.tooth].words.append(f"today: {clinic.services[line.service_id].words}")
    return {number: _settled(tooth) for number, tooth in found.items()}


def _settled(tooth: OneTooth) -> OneTooth:
    if "*" in tooth.today:
        tooth.today = "*"
    return tooth
