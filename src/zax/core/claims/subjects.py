"""What a claim may carry besides its services, by subject, as the desk speaks of it. Folded away until it is
in use.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from zax.core.charges.usual import DRUG_UNITS
from zax.core.claims.boxes import Box, Holds, Subject, day, person
from zax.core.claims.claim import Claim, ClaimLine, Form, Frequency, Rank
from zax.core.claims.code_words import (
    ASSIGNMENTS,
    BENEFITS,
    DELAYS,
    KINDS_OF_ACCIDENT,
    PAPERS,
    PLACEMENTS,
    RELEASES,
    SECONDARY_REASONS,
    WAYS,
)
from zax.core.claims.facility_subjects import FACILITY

_SUBJECTS = (
    Subject("authorization", "Authorization", (Box("authorization", "Number", width=18),)),
    Subject(
        "referral",
        "Referral",
        (Box("referral", "Number", width=18), *person("referring", "Referred by")),
    ),
    Subject(
        "accident",
        "Accident",
        (
            Box("accident.kinds", "Kind", Holds.CHOICE, choices=KINDS_OF_ACCIDENT),
            day("accident.day", "When"),
            Box("accident.state", "State, if by car", width=4, longest=2),
        ),
        "PD",
    ),
    Subject(
        "people",
        "Other providers",
        (*person("supervising", "Supervised by"), *person("assistant", "Assisted by")),
        "PD",
    ),
    Subject(
        "illness",
        "Dates of illness",
        (
            day("dates.onset", "It began"),
            day("dates.first_treated", "First treated"),
            day("dates.last_seen", "Last seen"),
            day("dates.got_worse", "Got worse"),
            day("dates.last_period", "Last period"),
            day("dates.last_xray", "Last X-ray"),
        ),
        "P",
    ),
    Subject(
        "work",
        "Time off work",
        (
            day("dates.disabled_from", "Off work from"),
            day("dates.disabled_to", "to"),
            day("dates.last_worked", "Last worked"),
            day("dates.back_to_work", "Back to work"),
        ),
        "P",
    ),
    Subject(
        "hospital",
        "Hospital",
        (
            day("dates.admitted", "Admitted"),
            day("dates.discharged", "Discharged"),
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
            day("dates.appliance", "Placed"),
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
    Subject(
        "consent",
        "Release and assignment",
        (
            Box("release", "Information", Holds.CHOICE, choices=RELEASES),
            Box("assignment", "Assignment", Holds.CHOICE, choices=ASSIGNMENTS),
            Box("benefits", "The plan pays", Holds.CHOICE, choices=BENEFITS),
        ),
    ),
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
    *FACILITY,
)


def subjects_of(claim: Claim, files: Mapping[str, str] | None = None) -> list[Subject]:
    """The subjects of this claim's form, and one for each service. `files` of the record, by their id, can
    be chosen as attachments.
    """
    left_out = {
        "medicare" if claim.rank is Rank.PRIMARY else "",
        "resubmission" if claim.frequency is Frequency.ORIGINAL else "",
    }
    own = [each for each in _SUBJECTS if claim.form.value in each.forms and each.key not in left_out]
    if files:
        own = [_with_files(each, files) if each.key == "papers" else each for each in own]
    return own + [_of_line(line, claim.form) for line in claim.lines]


def _with_files(papers: Subject, files: Mapping[str, str]) -> Subject:
    """Behind each attachment, the file of the record that it is."""
    boxes: list[Box] = []
    for box in papers.boxes:
        boxes.append(box)
        if box.path.endswith(".number"):
            at = box.path.split(".")[1]
            boxes.append(Box(f"files.{at}", "on file as", Holds.FILE, choices=files))
    return replace(papers, boxes=tuple(boxes))


def _of_line(line: ClaimLine, form: Form) -> Subject:
    at, code = f"lines.{line.number}", line.code or "a service"
    words = {
        Form.DENTAL: f"Earlier work or note on {code}",
        Form.PROFESSIONAL: f"Drug, order or note for {code}",
        Form.INSTITUTIONAL: f"Revenue code or drug for {code}",
    }
    return Subject(f"line-{line.number}", words[form], _LINE_BOXES[form](at))


def _dental_line(at: str) -> tuple[Box, ...]:
    return (
        Box(f"{at}.first_placement", "Crown, bridge or denture", Holds.FIRST, choices=PLACEMENTS),
        day(f"{at}.placed_before", "placed"),
        day(f"{at}.appliance_on", "Braces placed"),
        *person(f"{at}.assistant", "Assisted by"),
    )


def _drug(at: str) -> tuple[Box, ...]:
    return (
        Box(f"{at}.drug.ndc", "Drug (NDC)", width=14, longest=13),
        Box(f"{at}.drug.quantity", "quantity", width=6, longest=11),
        Box(f"{at}.drug.unit", "in", Holds.CHOICE, choices=DRUG_UNITS),
    )


def _medical_line(at: str) -> tuple[Box, ...]:
    return (
        *_drug(at),
        Box(f"{at}.minutes", "Minutes of anesthesia", Holds.NUMBER, width=5),
        *person(f"{at}.ordering", "Ordered by"),
        Box(f"{at}.purchased_npi", "Bought from a lab with NPI", width=12, longest=10),
        Box(f"{at}.purchased_cents", "for", Holds.AMOUNT, width=10),
        Box(f"{at}.note", "Note on it", width=40, longest=80),
    )


def _facility_line(at: str) -> tuple[Box, ...]:
    return (
        Box(f"{at}.revenue", "Revenue code", width=5, longest=4),
        *_drug(at),
        Box(f"{at}.note", "Note on it", width=40, longest=80),
    )


_LINE_BOXES = {
    Form.DENTAL: _dental_line,
    Form.PROFESSIONAL: _medical_line,
    Form.INSTITUTIONAL: _facility_line,
}
