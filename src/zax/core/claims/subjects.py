"""What a claim may carry besides its services, by subject, as the desk speaks of it: each subject has its
boxes, and each box the place in `Carried` that it fills. Folded away until it is in use.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from zax.core.claims.claim import Claim, Frequency, Rank
from zax.core.claims.fields import DELAYS, SECONDARY_REASONS


class Holds(StrEnum):
    """What a box holds."""

    TEXT = "text"
    DAY = "day"
    CHOICE = "choice"
    AMOUNT = "amount"
    NUMBER = "number"
    LIST = "list"


@dataclass(frozen=True, slots=True)
class Box:
    """`path` leads to its value in Carried: fields by name, papers by number, services as their number."""

    path: str
    words: str
    holds: Holds = Holds.TEXT
    width: int = 14
    longest: int = 60
    choices: Mapping[str, str] = field(default_factory=dict)

    @property
    def name(self) -> str:
        """As it is posted."""
        return self.path.replace(".", "-")


@dataclass(frozen=True, slots=True)
class Subject:
    key: str
    words: str
    boxes: tuple[Box, ...]
    forms: str = "PDI"


KINDS_OF_ACCIDENT = {"AA": "car", "EM": "at work", "OA": "other"}
PAPERS = {
    "RB": "X-rays",
    "P6": "periodontal chart",
    "DA": "dental models",
    "OZ": "photos or other",
    "EB": "the other plan’s decision",
    "B4": "referral form",
    "OB": "operative note",
    "03": "report",
    "M1": "medical record",
    "RR": "radiology report",
}
WAYS = {
    "EL": "electronically",
    "BM": "by mail",
    "FX": "by fax",
    "EM": "by email",
    "FT": "file transfer",
    "AA": "on request",
}
DRUG_UNITS = {"ML": "mL", "UN": "units", "GR": "grams", "ME": "mg", "F2": "international units"}


def _person(role: str, words: str) -> tuple[Box, ...]:
    return (
        Box(f"{role}.first", f"{words}, first name", width=12),
        Box(f"{role}.last", "last name", width=14),
        Box(f"{role}.npi", "NPI", width=12, longest=10),
    )


def _day(path: str, words: str) -> Box:
    return Box(path, words, Holds.DAY)


_SUBJECTS = (
    Subject("authorization", "Authorization", (Box("authorization", "Number", width=18),)),
    Subject(
        "referral",
        "Referral",
        (Box("referral", "Number", width=18), *_person("referring", "Referred by")),
    ),
    Subject(
        "accident",
        "Accident",
        (
            Box("accident.kinds", "Kind", Holds.CHOICE, choices=KINDS_OF_ACCIDENT),
            _day("accident.day", "When"),
            Box("accident.state", "State, if by car", width=4, longest=2),
        ),
        "PD",
    ),
    Subject(
        "people",
        "Other providers",
        (*_person("supervising", "Supervised by"), *_person("assistant", "Assisted by")),
        "PD",
    ),
    Subject(
        "illness",
        "Dates of illness",
        (
            _day("dates.onset", "It began"),
            _day("dates.first_treated", "First treated"),
            _day("dates.last_seen", "Last seen"),
            _day("dates.got_worse", "Got worse"),
            _day("dates.last_period", "Last period"),
            _day("dates.last_xray", "Last X-ray"),
        ),
        "P",
    ),
    Subject(
        "work",
        "Time off work",
        (
            _day("dates.disabled_from", "Off work from"),
            _day("dates.disabled_to", "to"),
            _day("dates.last_worked", "Last worked"),
            _day("dates.back_to_work", "Back to work"),
        ),
        "P",
    ),
    Subject(
        "hospital",
        "Hospital",
        (
            _day("dates.admitted", "Admitted"),
            _day("dates.discharged", "Discharged"),
            Box("facility.name", "Hospital or other place", width=20),
            Box("facility.identifier", "its NPI", width=12, longest=10),
            Box("facility.address.street", "Street", width=20, longest=55),
            Box("facility.address.city", "City", longest=30),
            Box("facility.address.state", "State", width=4, longest=2),
            Box("facility.address.zip", "ZIP", width=9, longest=10),
        ),
        "PD",
    ),
    Subject(
        "papers",
        "Attachments",
        tuple(
            box
            for at in range(2)
            for box in (
                Box(f"attachments.{at}.kind", "What", Holds.CHOICE, choices=PAPERS),
                Box(f"attachments.{at}.how", "sent", Holds.CHOICE, choices=WAYS),
                Box(f"attachments.{at}.number", "its number", width=14, longest=50),
            )
        ),
    ),
    Subject(
        "braces",
        "Braces",
        (
            _day("dates.appliance", "Placed"),
            Box("braces.months", "Months in all", Holds.NUMBER, width=4),
            Box("braces.months_left", "Months left", Holds.NUMBER, width=4),
        ),
        "D",
    ),
    Subject(
        "teeth",
        "Teeth to take out",
        (Box("teeth_to_extract", "Teeth, such as 1 16 17", Holds.LIST, width=20),),
        "D",
    ),
    Subject("lab", "Lab number", (Box("clia", "CLIA number", width=14, longest=10),), "P"),
    Subject("paid", "Paid by the patient", (Box("paid_cents", "Amount", Holds.AMOUNT, width=10),)),
    Subject("note", "Note to the payer", (Box("note", "Note", width=40, longest=80),)),
    Subject(
        "late",
        "Late filing",
        (Box("delay_reason", "Late because", Holds.CHOICE, choices=DELAYS),),
    ),
    Subject(
        "resubmission",
        "Payer’s claim number",
        (Box("payer_claim", "Number of the claim it is about", width=18, longest=50),),
    ),
    Subject(
        "medicare",
        "Why Medicare is second",
        (Box("secondary_reason", "Reason", Holds.CHOICE, choices=SECONDARY_REASONS),),
        "PI",
    ),
    Subject(
        "stay",
        "Stay",
        (
            Box("bill_type", "Type of bill", width=4, longest=2),
            _day("stay.first", "Bill from"),
            _day("stay.last", "to"),
            _day("stay.admitted", "Admitted"),
            Box("stay.admitted_hour", "at hour", width=4, longest=2),
            Box("stay.admission_type", "type", width=4, longest=1),
            Box("stay.admission_source", "source", width=4, longest=1),
            Box("stay.discharge_hour", "Left at hour", width=4, longest=2),
            Box("stay.discharge_status", "status", width=4, longest=2),
            Box("stay.admitting", "Admitting diagnosis", width=9, longest=8),
        ),
        "I",
    ),
    Subject("attending", "Attending provider", _person("attending", "Attending"), "I"),
    Subject("operating", "Surgeon", _person("operating", "Surgeon"), "I"),
)


def subjects_of(claim: Claim) -> list[Subject]:
    """The subjects of this claim's form, and one for each service."""
    left_out = {
        "medicare" if claim.rank is Rank.PRIMARY else "",
        "resubmission" if claim.frequency is Frequency.ORIGINAL else "",
    }
    own = [each for each in _SUBJECTS if claim.form.value in each.forms and each.key not in left_out]
    return own + ([_of_line(line.number, line.code) for line in claim.lines] if not claim.dental else [])


def _of_line(number: str, code: str) -> Subject:
    at = f"lines.{number}"
    boxes = (
        Box(f"{at}.drug.ndc", "Drug (NDC)", width=14, longest=13),
        Box(f"{at}.drug.quantity", "quantity", width=6, longest=11),
        Box(f"{at}.drug.unit", "in", Holds.CHOICE, choices=DRUG_UNITS),
        Box(f"{at}.minutes", "Minutes of anesthesia", Holds.NUMBER, width=5),
        *_person(f"{at}.ordering", "Ordered by"),
        Box(f"{at}.note", "Note on it", width=40, longest=80),
    )
    return Subject(f"line-{number}", f"Drug, order or note for {code or 'a service'}", boxes)
