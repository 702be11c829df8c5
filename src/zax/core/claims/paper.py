"""A claim on paper, for payers that take none electronically: every field of the standard paper forms under
its official number, in our own layout.

Sources: the box numbers of CMS-1500 (02/12), the ADA dental claim form (2024) and UB-04 (CMS-1450); their
words are ours. What a form has no value for is left out.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.claims.claim import Claim, Clinician, Form
from zax.core.wording import typed_day
from zax.core.x12.parties import Address, Organization, Person

_LETTERS = "ABCDEFGHIJKL"
_RELATIONS = {"18": "self", "01": "spouse", "19": "child"}
_KINDS = {"AA": "car", "EM": "at work", "OA": "other"}
_TYPES = {"MB": "Medicare", "MA": "Medicare", "MC": "Medicaid", "CH": "TRICARE"}


@dataclass(frozen=True, slots=True)
class PaperBox:
    number: str
    words: str
    value: str


@dataclass(frozen=True, slots=True)
class PaperClaim:
    """`title` names the form, `columns` (number, words) the table of services, `rows` its cells."""

    title: str
    boxes: Sequence[PaperBox]
    columns: Sequence[tuple[str, str]]
    rows: Sequence[Sequence[str]]


def on_paper(claim: Claim) -> PaperClaim:
    """The claim as its paper form says it."""
    return {
        Form.PROFESSIONAL: _professional,
        Form.DENTAL: _dental,
        Form.INSTITUTIONAL: _institutional,
    }[claim.form](claim)


def _filled(*boxes: tuple[str, str, str]) -> list[PaperBox]:
    return [PaperBox(*box) for box in boxes if box[2]]


def _day(day: date | None) -> str:
    return typed_day(day) if day else ""


def _name(person: Person) -> str:
    return ", ".join(filter(None, (person.last, person.first, person.middle)))


def _place(address: Address) -> str:
    city = " ".join(filter(None, (address.city, address.state, address.zip)))
    return ", ".join(filter(None, (address.street, address.more, city, address.country)))


def _who(clinician: Clinician | None) -> str:
    return f"{clinician.first} {clinician.last}" if clinician else ""


def _npi(clinician: Clinician | None) -> str:
    return clinician.npi if clinician else ""


def _money(cents: int) -> str:
    return f"{cents // 100}.{cents % 100:02}"


def _billed_by(billing: Organization) -> str:
    name = " ".join(filter(None, (billing.first, billing.name)))
    return ", ".join(filter(None, (name, _place(billing.address), billing.phone)))


def _yes(value: bool) -> str:
    return "yes" if value else "no"


def _born(person: Person) -> str:
    return " ".join(filter(None, (_day(person.birth), person.sex)))


def _professional(claim: Claim) -> PaperClaim:
    dates, other = claim.dates, claim.others[0] if claim.others else None
    accident = claim.accident.kinds if claim.accident else ()
    patient = claim.subscriber if claim.own else claim.patient
    first, last = dates.disabled_from, dates.disabled_to
    boxes = _filled(
        ("1", "Kind of coverage", _TYPES.get(claim.filing_indicator, "group or other")),
        ("1a", "Member ID", claim.subscriber.member_id),
        ("2", "Patient", _name(patient)),
        ("3", "Born, sex", _born(patient)),
        ("4", "Plan’s holder", _name(claim.subscriber)),
        ("5", "Patient’s address", _place(patient.address)),
        ("6", "Patient is the holder’s", _RELATIONS.get(claim.relationship, "other")),
        ("7", "Holder’s address", _place(claim.subscriber.address)),
        ("9", "Other plan’s holder", f"{other.last}, {other.first}" if other else ""),
        ("9a", "Other member ID", other.member_id if other else ""),
        ("9d", "Other plan", other.payer_name if other else ""),
        ("10a", "From work", _yes("EM" in accident)),
        ("10b", "From a car accident", _yes("AA" in accident)),
        ("10b", "State", claim.accident.state if claim.accident else ""),
        ("10c", "From another accident", _yes("OA" in accident)),
        ("11", "Group number", claim.group_number),
        ("11a", "Holder born, sex", _born(claim.subscriber)),
        ("11c", "Plan", claim.payer.name),
        ("11d", "Another plan", _yes(bool(claim.others))),
        ("12", "Patient’s signature", "on file" if claim.released else ""),
        ("13", "Holder’s signature", "on file" if claim.pays_us else ""),
        ("14", "Illness began (431)", _day(dates.onset)),
        ("15", "First treated (454)", _day(dates.first_treated)),
        ("15", "Accident (439)", _day(claim.accident.day if claim.accident else None)),
        ("16", "Off work", " to ".join(filter(None, (_day(first), _day(last))))),
        ("17", "Referred by (DN)", _who(claim.referring)),
        ("17b", "NPI", _npi(claim.referring)),
        ("17", "Supervised by (DQ)", _who(claim.supervising)),
        ("17b", "NPI", _npi(claim.supervising)),
        ("18", "In the hospital", " to ".join(filter(None, (_day(dates.admitted), _day(dates.discharged))))),
        ("19", "Note", claim.note),
        *(
            (f"21{letter}", "Diagnosis (ICD 0)", code)
            for letter, code in zip(_LETTERS, claim.diagnoses, strict=False)
        ),
        ("22", "Resubmission", claim.frequency.value if claim.payer_claim else ""),
        ("22", "Payer’s number", claim.payer_claim),
        ("23", "Authorization or CLIA", claim.authorization or claim.referral or claim.clia),
        ("25", "Tax ID (EIN)", claim.billing.tax_id),
        ("26", "Our number", claim.number),
        ("27", "Accepts assignment", _yes(claim.assigned)),
        ("28", "Total charge", _money(claim.cents)),
        ("29", "Paid", _money(claim.paid_cents + sum(each.paid_cents for each in claim.others))),
        ("31", "Provider’s signature", f"on file: {_who(claim.clinician)}" if claim.clinician else ""),
        ("32", "Where it was done", _where(claim.facility)),
        ("32a", "NPI", claim.facility.identifier if claim.facility else ""),
        ("33", "Billed by", _billed_by(claim.billing)),
        ("33a", "NPI", claim.billing.identifier),
    )
    columns = (
        ("24A", "from"),
        ("24A", "to"),
        ("24B", "place"),
        ("24C", "emergency"),
        ("24D", "code"),
        ("24D", "modifiers"),
        ("24E", "for"),
        ("24F", "charge"),
        ("24G", "units"),
        ("24", "drug"),
        ("24J", "NPI"),
    )
    rows = [
        (
            _day(line.day),
            _day(line.last or line.day),
            line.place or claim.place_of_service,
            "Y" if line.emergency else "",
            line.code,
            " ".join(line.modifiers),
            "".join(_LETTERS[at - 1] for at in line.pointers if 0 < at <= len(_LETTERS)),
            _money(line.cents),
            str(line.units) + (" min" if line.basis == "MJ" else ""),
            f"N4{line.drug.ndc} {line.drug.unit}{line.drug.quantity}" if line.drug else "",
            _npi(line.rendering or claim.clinician),
        )
        for line in claim.lines
    ]
    return PaperClaim("Professional claim, boxes of CMS-1500", boxes, columns, rows)


def _where(facility: Organization | None) -> str:
    return ", ".join(filter(None, (facility.name, _place(facility.address)))) if facility else ""


def _dental(claim: Claim) -> PaperClaim:
    other = claim.others[0] if claim.others else None
    patient = claim.subscriber if claim.own else claim.patient
    replaced = [line for line in claim.lines if line.first_placement is False]
    kinds = [_KINDS[each] for each in claim.accident.kinds if each in _KINDS] if claim.accident else []
    boxes = _filled(
        ("1", "This is", "a predetermination" if claim.predetermination else "of work that was done"),
        ("2", "Authorization", claim.authorization),
        ("3", "Payer", ", ".join(filter(None, (claim.payer.name, _place(claim.payer.address))))),
        ("4", "Other coverage", _yes(other is not None)),
        ("5", "Other plan’s holder", f"{other.last}, {other.first}" if other else ""),
        ("8", "Other member ID", other.member_id if other else ""),
        ("9", "Other group", other.group_number if other else ""),
        ("10", "Patient is that holder’s", _RELATIONS.get(other.relationship, "other") if other else ""),
        ("11", "Other payer", other.payer_name if other else ""),
        ("12", "Plan’s holder", f"{_name(claim.subscriber)}, {_place(claim.subscriber.address)}".strip(", ")),
        ("13", "Born", _day(claim.subscriber.birth)),
        ("14", "Sex", claim.subscriber.sex),
        ("15", "Member ID", claim.subscriber.member_id),
        ("16", "Group number", claim.group_number),
        ("18", "Patient is the holder’s", _RELATIONS.get(claim.relationship, "other")),
        ("20", "Patient", f"{_name(patient)}, {_place(patient.address)}".strip(", ")),
        ("21", "Born", _day(patient.birth)),
        ("22", "Sex", patient.sex),
        ("23", "Our number", claim.number),
        ("32", "Total", _money(claim.cents)),
        ("33", "Missing teeth", " ".join(claim.missing_teeth)),
        ("34a", "Diagnoses", " ".join(claim.diagnoses)),
        ("35", "Remarks", claim.note),
        ("36", "Patient’s signature", "on file" if claim.released else ""),
        ("37", "Holder’s signature", "on file" if claim.pays_us else ""),
        ("38", "Place of service", claim.place_of_service),
        ("39", "Enclosures", _yes(bool(claim.attachments))),
        ("40", "Braces", _yes(claim.braces is not None)),
        ("41", "Appliance placed", _day(claim.dates.appliance)),
        ("42", "Months left", str(claim.braces.months_left) if claim.braces else ""),
        ("43", "Replaces something", _yes(bool(replaced))),
        ("44", "Earlier one placed", _day(replaced[0].placed_before) if replaced else ""),
        ("45", "From an accident", ", ".join(kinds)),
        ("46", "When", _day(claim.accident.day if claim.accident else None)),
        ("47", "State", claim.accident.state if claim.accident else ""),
        ("48", "Billed by", _billed_by(claim.billing)),
        ("49", "NPI", claim.billing.identifier),
        ("51", "Tax ID", claim.billing.tax_id),
        ("53", "Provider’s signature", f"on file: {_who(claim.clinician)}" if claim.clinician else ""),
        ("54", "NPI", _npi(claim.clinician)),
        ("56a", "Specialty", claim.clinician.taxonomy if claim.clinician else ""),
    )
    columns = (
        ("24", "day"),
        ("25", "area"),
        ("27", "tooth"),
        ("28", "surfaces"),
        ("29", "code"),
        ("29a", "for"),
        ("29b", "number"),
        ("31", "fee"),
    )
    rows = [
        (
            _day(line.day),
            line.area,
            line.tooth,
            line.surfaces,
            line.code,
            "".join(_LETTERS[at - 1] for at in line.pointers if 0 < at <= len(_LETTERS)),
            str(line.units),
            _money(line.cents),
        )
        for line in claim.lines
    ]
    return PaperClaim("Dental claim, boxes of the ADA form", boxes, columns, rows)


def _institutional(claim: Claim) -> PaperClaim:
    stay = claim.stay
    patient = claim.subscriber if claim.own else claim.patient
    boxes = _filled(
        ("1", "Billed by", _billed_by(claim.billing)),
        ("3a", "Our number", claim.number),
        ("4", "Type of bill", f"0{claim.bill_type}{claim.frequency}" if claim.bill_type else ""),
        ("5", "Tax ID", claim.billing.tax_id),
        ("6", "Period", f"{_day(stay.first)} to {_day(stay.last)}" if stay else ""),
        ("8", "Patient", _name(patient)),
        ("9", "Address", _place(patient.address)),
        ("10", "Born", _day(patient.birth)),
        ("11", "Sex", patient.sex),
        *(_stay_boxes(claim)),
        ("50", "Payer", claim.payer.name),
        ("51", "Payer’s ID", claim.payer.identifier),
        ("52", "Information may go out", _yes(claim.released)),
        ("53", "Pays the clinic", _yes(claim.pays_us)),
        ("54", "Paid before", _money(sum(o.paid_cents for o in claim.others)) if claim.others else ""),
        ("56", "NPI", claim.billing.identifier),
        ("58", "Plan’s holder", _name(claim.subscriber)),
        ("59", "Patient is the holder’s", _RELATIONS.get(claim.relationship, "other")),
        ("60", "Member ID", claim.subscriber.member_id),
        ("62", "Group number", claim.group_number),
        ("63", "Authorization", claim.authorization),
        ("64", "Payer’s number", claim.payer_claim),
        ("66", "ICD version", "0"),
        *(("67", "Diagnosis", code) for code in claim.diagnoses),
        ("76", "Attending", f"{_who(claim.attending)} {_npi(claim.attending)}".strip()),
        ("77", "Operating", f"{_who(claim.operating)} {_npi(claim.operating)}".strip()),
        ("80", "Remarks", claim.note),
    )
    columns = (("42", "revenue"), ("44", "code"), ("45", "day"), ("46", "units"), ("47", "charge"))
    rows = [
        (
            line.revenue,
            " ".join((line.code, *line.modifiers)).strip(),
            _day(line.day),
            str(line.units),
            _money(line.cents),
        )
        for line in claim.lines
    ]
    return PaperClaim("Facility claim, form locators of UB-04", boxes, columns, rows)


def _stay_boxes(claim: Claim) -> list[tuple[str, str, str]]:
    stay = claim.stay
    if stay is None:
        return []
    return [
        ("12", "Admitted", _day(stay.admitted)),
        ("13", "at hour", stay.admitted_hour),
        ("14", "Type of admission", stay.admission_type),
        ("15", "Source", stay.admission_source),
        ("16", "Left at hour", stay.discharge_hour),
        ("17", "Status", stay.discharge_status),
        *(("18", "Condition", code) for code in stay.conditions),
        *(("31", "Occurrence", f"{e.code} {_day(e.day)}") for e in stay.occurrences if not e.last),
        *(("35", "Span", f"{e.code} {_day(e.day)} to {_day(e.last)}") for e in stay.occurrences if e.last),
        *(("39", "Value", f"{e.code} {_money(e.cents)}") for e in stay.values),
        ("69", "Admitting diagnosis", stay.admitting),
        *(("70", "Reason for the visit", code) for code in stay.reasons),
        *(("72", "Cause", code) for code in stay.causes),
        *(("74", "Procedure", f"{e.code} {_day(e.day)}") for e in stay.procedures),
    ]
