"""Where a finding is fixed: for each path on a claim the field that is asked for, in the desk's words, and
which record it belongs to. What stands here can be fixed beside the finding; the rest opens its own screen.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from zax.core.charges.usual import DRUG_UNITS
from zax.core.claims.code_words import (
    BILL_TYPES,
    DELAYS,
    DISCHARGES,
    PLACEMENTS,
    SECONDARY_REASONS,
)


class Kept(StrEnum):
    """Which record a field is written to."""

    PERSON = "person"
    COVERAGE = "coverage"
    CLAIM = "claim"
    SERVICE = "service"
    DIAGNOSES = "diagnoses"


class Asked(StrEnum):
    """How a field is asked for."""

    TEXT = "text"
    DAY = "day"
    CHOICE = "choice"


@dataclass(frozen=True, slots=True)
class Input:
    """One box: `name` as it is posted, `width` in letters."""

    name: str
    words: str
    asked: Asked = Asked.TEXT
    width: int = 12
    choices: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class ClaimField:
    """`path` has N for the number of a line or diagnosis."""

    path: str
    kept: Kept
    inputs: tuple[Input, ...]

    @property
    def words(self) -> str:
        return self.inputs[0].words


_ADDRESS = (
    Input("street", "Street", width=20),
    Input("city", "City", width=14),
    Input("state", "State", width=4),
    Input("zip", "ZIP", width=9),
)
_SEX = Input("sex", "Sex", Asked.CHOICE, choices={"F": "female", "M": "male", "U": "not given"})
_PERSON = (
    ClaimField("patient.birth", Kept.PERSON, (Input("birth", "Born", Asked.DAY),)),
    ClaimField("patient.sex", Kept.PERSON, (_SEX,)),
    ClaimField("patient.last", Kept.PERSON, (Input("last", "Last name", width=18),)),
    ClaimField("patient.first", Kept.PERSON, (Input("first", "First name", width=14),)),
    ClaimField("patient.address", Kept.PERSON, _ADDRESS),
)
_COVERAGE = (
    ClaimField("subscriber.member_id", Kept.COVERAGE, (Input("member_id", "Member ID", width=16),)),
    ClaimField("subscriber.group", Kept.COVERAGE, (Input("group_number", "Group number"),)),
)
_CLAIM = (
    ClaimField("authorization", Kept.CLAIM, (Input("authorization", "Authorization", width=16),)),
    ClaimField("referral", Kept.CLAIM, (Input("referral", "Referral number", width=16),)),
    ClaimField("clia", Kept.CLAIM, (Input("clia", "CLIA number"),)),
    ClaimField("note", Kept.CLAIM, (Input("note", "Note to the payer", width=40),)),
    ClaimField(
        "delay_reason",
        Kept.CLAIM,
        (Input("delay_reason", "Late because", Asked.CHOICE, choices=DELAYS),),
    ),
    ClaimField("payer_control_number", Kept.CLAIM, (Input("payer_claim", "The payer’s number", width=18),)),
    ClaimField("accident.date", Kept.CLAIM, (Input("accident_day", "It happened", Asked.DAY),)),
    ClaimField("accident.state", Kept.CLAIM, (Input("accident_state", "In which state", width=4),)),
    ClaimField("initial_treatment", Kept.CLAIM, (Input("first_treated", "First treated", Asked.DAY),)),
    ClaimField("admission.date", Kept.CLAIM, (Input("admitted", "Admitted", Asked.DAY),)),
    ClaimField("dates.onset", Kept.CLAIM, (Input("onset", "It began", Asked.DAY),)),
    ClaimField("ortho.placed_on", Kept.CLAIM, (Input("appliance", "Braces placed", Asked.DAY),)),
    ClaimField(
        "ortho.months",
        Kept.CLAIM,
        (Input("months", "Months in all", width=4), Input("months_left", "left", width=4)),
    ),
    ClaimField(
        "other_payers.N.msp_type",
        Kept.CLAIM,
        (Input("secondary_reason", "Why", Asked.CHOICE, choices=SECONDARY_REASONS),),
    ),
    ClaimField(
        "lines.N.prosthesis",
        Kept.CLAIM,
        (
            Input("placement", "It is the", Asked.CHOICE, choices=PLACEMENTS),
            Input("placed_before", "placed", Asked.DAY),
        ),
    ),
    ClaimField(
        "lines.N.ndc",
        Kept.CLAIM,
        (
            Input("ndc", "NDC", width=13),
            Input("quantity", "quantity", width=5),
            Input("unit", "in", Asked.CHOICE, choices=DRUG_UNITS),
        ),
    ),
    ClaimField("lines.N.minutes", Kept.CLAIM, (Input("minutes", "Minutes", width=5),)),
    ClaimField(
        "bill_type", Kept.CLAIM, (Input("bill_type", "Type of bill", Asked.CHOICE, choices=BILL_TYPES),)
    ),
    ClaimField(
        "statement",
        Kept.CLAIM,
        (Input("first", "Bill from", Asked.DAY), Input("last", "to", Asked.DAY)),
    ),
    ClaimField(
        "admission.discharge_status",
        Kept.CLAIM,
        (Input("discharge_status", "The patient went", Asked.CHOICE, choices=DISCHARGES),),
    ),
    ClaimField("lines.N.revenue", Kept.CLAIM, (Input("revenue", "Revenue code", width=5),)),
    ClaimField("lines.N.note", Kept.CLAIM, (Input("line_note", "Note on the service", width=40),)),
)
_CHARGES = (
    ClaimField("lines.N.tooth", Kept.SERVICE, (Input("tooth", "Tooth", width=5),)),
    ClaimField("lines.N.surfaces", Kept.SERVICE, (Input("surfaces", "Surfaces", width=7),)),
    ClaimField("lines.N.area", Kept.SERVICE, (Input("area", "Area", width=5),)),
    ClaimField("lines.N.modifiers", Kept.SERVICE, (Input("modifiers", "Modifiers", width=10),)),
    ClaimField("lines.N.pointers", Kept.SERVICE, (Input("pointers", "For which diagnosis", width=6),)),
    ClaimField("diagnoses.N", Kept.DIAGNOSES, (Input("diagnosis", "Diagnosis code", width=9),)),
    ClaimField("diagnoses", Kept.DIAGNOSES, (Input("diagnosis", "Diagnosis code", width=9),)),
)
FIELDS: Mapping[str, ClaimField] = {each.path: each for each in (*_PERSON, *_COVERAGE, *_CLAIM, *_CHARGES)}


def field_of(about: str) -> ClaimField | None:
    """The field that fixes a finding about this path or a part of it; None when another screen does."""
    path = re.sub(r"(?<=\.)\d+(?=\.|$)", "N", about)
    while path:
        if path in FIELDS:
            return FIELDS[path]
        path = path.rpartition(".")[0]
    return None


def number_in(about: str) -> int:
    """The line or diagnosis a path names, counted from 1; 0 for none."""
    found = re.search(r"\.(\d+)(?=\.|$)", about)
    return int(found[1]) if found else 0
