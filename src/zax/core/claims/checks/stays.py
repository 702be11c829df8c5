"""Checks of institutional claims: bill type, revenue codes, the stay and those who were responsible."""

from __future__ import annotations

import re
from collections.abc import Iterator

from zax.core.claims.checks.registry import ODD, STOP, Problem, check
from zax.core.claims.claim import Claim, Frequency
from zax.core.claims.procedures import is_medical_code
from zax.core.claims.situation import Situation

_INPATIENT = frozenset({"11", "12", "18", "21", "22", "41"})
_EMERGENCY = frozenset(["0450", "0451", "0452", "0456", "0459", "0516", "0526", "0762"])
_NEEDS_CODE = re.compile(r"0(25[0-9]|3[0-2]|4[0-9]|5[1-2]|61|63[6]|73|92)\d?")
_ROOM = re.compile(r"0(1[0-9]|2[01])\d", re.ASCII)
STILL_THERE = "30"
_HOUR = re.compile(r"[01]\d|2[0-3]", re.ASCII)


def is_inpatient(claim: Claim) -> bool:
    """By the type of bill: hospital and nursing facility inpatients."""
    return claim.bill_type in _INPATIENT


@check(STOP, "I", "2300 CLM05-1")
def bill_type_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """The bill has its type."""
    if not re.fullmatch(r"[1-9][1-9]", claim.bill_type, re.ASCII):
        yield Problem("bill_type", "The type of bill isn’t given.", "Choose it, such as 013.")


@check(STOP, "I", "2400 SV201")
def revenue_code_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Every line has a revenue code of four digits."""
    for at, line in enumerate(claim.lines, 1):
        if not re.fullmatch(r"\d{4}", line.revenue, re.ASCII):
            message = f"Line {at} has no revenue code."
            yield Problem(f"lines.{at}.revenue", message, "It has four digits, such as 0450.")


@check(STOP, "I", "2400 SV202-2")
def institutional_code_well_formed(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A line’s procedure code, if it has one, is a CPT or HCPCS code."""
    for at, line in enumerate(claim.lines, 1):
        if line.code and not is_medical_code(line.code):
            yield Problem(f"lines.{at}.code", f"“{line.code}” isn’t a procedure code.", "Pick it again.")


@check(ODD, "I", "2400 SV202, required for outpatient services")
def outpatient_line_coded(claim: Claim, _: Situation) -> Iterator[Problem]:
    """An outpatient line for a visit, test, picture or drug names its procedure."""
    for at, line in enumerate(claim.lines, 1):
        if not is_inpatient(claim) and claim.bill_type and _NEEDS_CODE.match(line.revenue) and not line.code:
            message = f"{line.revenue} needs a procedure code."
            yield Problem(f"lines.{at}.code", message, "Pick what was done.")


@check(STOP, "I", "2300 DTP*434")
def statement_in_order(claim: Claim, _: Situation) -> Iterator[Problem]:
    """The statement covers a period that ends after it begins."""
    if claim.stay is None:
        yield Problem("statement", "The period of the bill isn’t given.", "Enter its first and last day.")
    elif claim.stay.last < claim.stay.first:
        yield Problem("statement", "The bill ends before it begins.", "Correct its days.")


@check(ODD, "I", "2400 DTP*472 within DTP*434")
def lines_within_statement(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Every service is within the period of the bill."""
    stay = claim.stay
    for at, line in enumerate(claim.lines, 1):
        if stay is None or line.day is None or stay.last < stay.first:
            continue
        if line.day < stay.first or (line.last or line.day) > stay.last:
            message = f"Line {at} is outside the period of the bill."
            yield Problem(f"lines.{at}.from", message, "Correct its day or the period.")


@check(ODD, "I", "0100 to 0219: a day for each night")
def room_days_fit(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Room and board counts the nights; a patient still there counts the last day too."""
    stay = claim.stay
    if stay is None or stay.last < stay.first:
        return
    nights = max((stay.last - stay.first).days, 1) + (stay.discharge_status == STILL_THERE)
    rooms = [(at, line) for at, line in enumerate(claim.lines, 1) if _ROOM.fullmatch(line.revenue)]
    days = sum(line.units for _, line in rooms)
    if rooms and days != nights:
        message = f"The stay has {nights} nights, and {days} days of a room are billed."
        yield Problem(f"lines.{rooms[0][0]}.units", message, "Correct one of the two.")


@check(STOP, "I", "2300 DTP*435, CL1, required for inpatients")
def admission_described(claim: Claim, _: Situation) -> Iterator[Problem]:
    """An inpatient has day, hour, type and source of admission."""
    stay = claim.stay
    if stay is None or not is_inpatient(claim):
        return
    if stay.admitted is None:
        yield Problem("admission.date", "The day of admission isn’t given.", "Enter it.")
    if not _HOUR.fullmatch(stay.admitted_hour):
        yield Problem("admission.hour", "The hour of admission isn’t given.", "Enter 00 to 23.")
    if stay.admission_type not in set("123459"):
        yield Problem("admission.type", "The type of admission isn’t given.", "Choose it.")
    if not stay.admission_source:
        yield Problem("admission.source", "It isn’t said from where the patient came.", "Choose it.")


@check(STOP, "I", "2300 CL103, required")
def discharge_status_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """The bill says where the patient went, or that they are still there."""
    if claim.stay and not re.fullmatch(r"\d{2}", claim.stay.discharge_status, re.ASCII):
        yield Problem("admission.discharge_status", "It isn’t said where the patient went.", "Choose it.")


@check(STOP, "I", "2300 DTP*096, required on final inpatient bills")
def discharge_hour_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """The final bill of an inpatient has the hour of discharge."""
    stay = claim.stay
    left = stay and stay.discharge_status not in {"", STILL_THERE}
    final = claim.frequency in {Frequency.ORIGINAL, Frequency.CORRECTED}
    if stay and is_inpatient(claim) and left and final and not _HOUR.fullmatch(stay.discharge_hour):
        yield Problem("admission.discharge_hour", "The hour of discharge isn’t given.", "Enter 00 to 23.")


@check(STOP, "I", "2300 HI ABJ, required for inpatients")
def admitting_diagnosis_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """An inpatient has an admitting diagnosis."""
    if claim.stay and is_inpatient(claim) and not claim.stay.admitting:
        yield Problem("admission.diagnosis", "The admitting diagnosis isn’t given.", "Pick it.")


@check(STOP, "I", "2300 HI APR, required for unscheduled outpatient visits")
def reason_for_visit_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """An unplanned outpatient visit says why the patient came."""
    stay = claim.stay
    unplanned = stay and stay.admission_type in {"1", "2", "5"} and claim.bill_type in {"13", "85"}
    if stay and unplanned and not stay.reasons and any(line.revenue in _EMERGENCY for line in claim.lines):
        yield Problem("reason_for_visit", "It isn’t said why the patient came.", "Pick the reason.")


@check(STOP, "I", "2310A, required")
def attending_named(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Somebody was responsible for the patient’s care."""
    if claim.attending is None:
        yield Problem("attending", "The attending provider isn’t named.", "Choose who was responsible.")


@check(STOP, "I", "2310B, required with a surgical procedure")
def operating_named(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A surgical procedure names the surgeon."""
    if claim.stay and claim.stay.procedures and claim.operating is None:
        yield Problem("operating", "A procedure is listed, and no surgeon.", "Choose who operated.")


@check(ODD, "I", "2300 HI, present on admission, required by most payers")
def present_on_admission_said(claim: Claim, _: Situation) -> Iterator[Problem]:
    """For an inpatient, each diagnosis says whether it was there on admission."""
    if not is_inpatient(claim) or claim.bill_type != "11":
        return
    said = [*claim.present, *[""] * len(claim.diagnoses)]
    for at, (code, present) in enumerate(zip(claim.diagnoses, said, strict=False), 1):
        if present not in set("YNUW1") and not code.upper().startswith("Z"):
            message = f"{code}: was it there on admission?"
            yield Problem(f"diagnoses.{at}.poa", message, "Say yes, no, unknown or can’t be told.")
