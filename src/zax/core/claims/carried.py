"""What a person adds to a claim that its charges do not say: numbers, dates, people, papers, what earlier
plans decided. Kept with the claim; everything else is read fresh from the record each time.

`carry` puts it on the claim. What is empty here leaves the claim as the record has it.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, fields, replace
from datetime import date
from typing import Any

from pydantic import TypeAdapter

from zax.core.claims.claim import Claim, ClaimLine, Clinician
from zax.core.claims.parts import (
    Accident,
    Attachment,
    Dates,
    Drug,
    LineDecision,
    OrthodonticPlan,
    OtherCoverage,
    Stay,
)
from zax.core.x12.parties import Organization


@dataclass(frozen=True, slots=True, kw_only=True)
class CarriedLine:
    """What is added to one service. `minutes` are of anesthesia, `first_placement` and `placed_before` of a
    crown, bridge or denture.
    """

    drug: Drug | None = None
    note: str = ""
    minutes: int = 0
    emergency: bool = False
    first_placement: bool | None = None
    placed_before: date | None = None
    appliance_on: date | None = None
    ordering: Clinician | None = None
    assistant: Clinician | None = None
    purchased_npi: str = ""
    purchased_cents: int = 0
    revenue: str = ""
    decided: tuple[LineDecision, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Carried:
    """What is added to the claim as a whole; `lines` by the number of the service (L12). `files` are the
    files of the record that go with the attachments, in their order; 0 for one that is not on file.
    `release`, `assignment` and `benefits` are Y or N where the claim is not as usual: information may go out,
    we accept the plan's assignment, the plan pays us.
    """

    payer_claim: str = ""
    secondary_reason: str = ""
    authorization: str = ""
    referral: str = ""
    clia: str = ""
    note: str = ""
    delay_reason: str = ""
    paid_cents: int = 0
    accident: Accident | None = None
    dates: Dates = Dates()
    attachments: tuple[Attachment, ...] = ()
    referring: Clinician | None = None
    supervising: Clinician | None = None
    assistant: Clinician | None = None
    attending: Clinician | None = None
    operating: Clinician | None = None
    other_operating: Clinician | None = None
    facility: Organization | None = None
    braces: OrthodonticPlan | None = None
    teeth_to_extract: tuple[str, ...] = ()
    bill_type: str = ""
    stay: Stay | None = None
    present: tuple[str, ...] = ()
    others: tuple[OtherCoverage, ...] = ()
    files: tuple[int, ...] = ()
    release: str = ""
    assignment: str = ""
    benefits: str = ""
    lines: Mapping[str, CarriedLine] = field(default_factory=dict)

    def line(self, number: str) -> CarriedLine:
        return self.lines.get(number, CarriedLine())


_KEPT = TypeAdapter(Carried)


def kept(carried: Carried) -> dict[str, Any]:
    """As JSON keeps it, without what is empty."""
    said: dict[str, Any] = _KEPT.dump_python(carried, mode="json", exclude_defaults=True)
    return said


def carried_of(said: Mapping[str, Any]) -> Carried:
    """What `kept` wrote. Raises ValueError for anything else."""
    return _KEPT.validate_python(dict(said))


# What stands beside the claim itself, or is put on it otherwise than as it is.
_BESIDE = frozenset({"lines", "files", "release", "assignment", "benefits"})


def carry(claim: Claim, carried: Carried) -> Claim:
    """The claim with what was added to it."""
    more = {
        each.name: said
        for each in fields(Carried)
        if each.name not in _BESIDE
        and (said := getattr(carried, each.name)) not in (None, "", (), 0, Dates())
    }
    said = {"released": carried.release, "assigned": carried.assignment, "pays_us": carried.benefits}
    more |= {name: text == "Y" for name, text in said.items() if text}
    lines = tuple(_carry_line(line, carried.line(line.number)) for line in claim.lines)
    return replace(claim, **more, lines=lines)


def _carry_line(line: ClaimLine, carried: CarriedLine) -> ClaimLine:
    more: dict[str, Any] = {
        each.name: said
        for each in fields(CarriedLine)
        if each.name != "minutes" and (said := getattr(carried, each.name)) not in (None, "", (), 0)
    }
    if carried.first_placement is not None:
        more["first_placement"] = carried.first_placement
    if carried.minutes:
        more |= {"units": carried.minutes, "basis": "MJ"}
    return replace(line, **more)
