"""Checks of numbers: how many lines and diagnoses, charges, units, papers and notes."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal

from zax.core.claims.checks.registry import ODD, STOP, Problem, check
from zax.core.claims.claim import Claim
from zax.core.claims.procedures import (
    is_anesthesia,
    is_major_surgery,
    is_office_visit,
    is_preventive,
    is_problem_visit,
    is_quality,
    is_timed,
    is_vaccine,
)
from zax.core.claims.situation import Situation
from zax.core.claims.splitting import MOST_DIAGNOSES, MOST_LINES
from zax.core.wording import dollars

# X12 type R with two decimals: 99,999,999.99.
MOST_CENTS = 9_999_999_999
MOST_UNITS = 9999
LONGEST_NUMBER, LONGEST_NOTE, MOST_PAPERS = 20, 80, 10
_HOW_SENT = frozenset(["AA", "BM", "EL", "EM", "FT", "FX"])
_PAPERS = frozenset(
    [
        "03",
        "04",
        "05",
        "06",
        "07",
        "08",
        "09",
        "10",
        "11",
        "13",
        "15",
        "21",
        "A3",
        "A4",
        "AM",
        "AS",
        "B2",
        "B3",
        "B4",
        "BR",
        "BS",
        "BT",
        "CB",
        "CK",
        "CT",
        "D2",
        "DA",
        "DB",
        "DG",
        "DJ",
        "DS",
        "EB",
        "HC",
        "HR",
        "I5",
        "IR",
        "LA",
        "M1",
        "MT",
        "NN",
        "OB",
        "OC",
        "OD",
        "OE",
        "OX",
        "OZ",
        "P4",
        "P5",
        "P6",
        "PE",
        "PN",
        "PO",
        "PQ",
        "PY",
        "PZ",
        "RB",
        "RR",
        "RT",
        "RX",
        "SG",
        "V5",
        "XP",
    ]
)


@check(STOP, "PDI", "2400, at least one")
def something_billed(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A claim has a service."""
    if not claim.lines:
        remedy = "Add one on the charges page."
        yield Problem("lines", "Nothing on this claim is billed to insurance.", remedy)


@check(STOP, "PDI", "2400 LX: 50 lines P and D, 999 I")
def lines_fit(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A claim has no more services than its form takes."""
    most = MOST_LINES[claim.form]
    if len(claim.lines) > most:
        yield Problem("lines", f"{len(claim.lines)} services, and a claim takes {most}.", "Split it.")


@check(STOP, "PDI", "2300 HI: 12 diagnoses P, 4 D, 25 I")
def diagnoses_fit(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A claim has no more diagnoses than its form takes."""
    most = MOST_DIAGNOSES[claim.form]
    if len(claim.diagnoses) > most:
        message = f"{len(claim.diagnoses)} diagnoses, and a claim takes {most}."
        yield Problem("diagnoses", message, "Remove those no service needs, or split it.")


@check(STOP, "PDI", "2300 CLM01, up to 20 characters come back")
def number_fits(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Our number of the claim has at most 20 characters."""
    if len(claim.number) > LONGEST_NUMBER:
        message = f"The claim’s number has more than {LONGEST_NUMBER} characters."
        yield Problem("number", message, "Shorten it.")


@check(STOP, "PDI", "SV102, SV302, SV203: not negative, ten digits")
def charge_fits(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A charge is not negative and no larger than the file can say."""
    for at, line in enumerate(claim.lines, 1):
        if not 0 <= line.cents <= MOST_CENTS:
            message = f"{line.code} is charged {dollars(line.cents)}, which no claim can say."
            yield Problem(f"lines.{at}.amount", message, "Correct the charge.")


@check(ODD, "PD", "SV102, SV302: zero only for what is reported")
def service_has_a_charge(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A service costs something, unless it is only reported or given by the state."""
    for at, line in enumerate(claim.lines, 1):
        free = is_quality(line.code) or (is_vaccine(line.code) and "SL" in line.modifiers)
        if line.cents == 0 and not free:
            message = f"{line.code} has no charge."
            yield Problem(f"lines.{at}.amount", message, "Enter its fee, or don’t bill it.")


@check(STOP, "PDI", "SV104, SV306, SV205: more than zero")
def units_fit(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A service has at least one unit, and no more than four digits of them."""
    for at, line in enumerate(claim.lines, 1):
        if not Decimal(0) < line.units <= MOST_UNITS:
            message = f"{line.code} has {line.units} units."
            yield Problem(f"lines.{at}.units", message, f"Enter 1 to {MOST_UNITS}.")


@check(ODD, "P", "CPT: one visit a day has one unit")
def visit_counts_once(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A visit or an operation counts once."""
    for at, line in enumerate(claim.lines, 1):
        once = is_problem_visit(line.code) or is_preventive(line.code) or is_major_surgery(line.code)
        if once and line.units > 1:
            message = f"{line.code} has {line.units} units, and a visit counts once."
            yield Problem(f"lines.{at}.units", message, "Make it 1, or bill each on its day.")


@check(ODD, "P", "CMS: 8 minutes count as a unit of 15")
def timed_units_plausible(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Timed services come to no more than eight hours a day."""
    timed = [(at, line) for at, line in enumerate(claim.lines, 1) if is_timed(line.code)]
    for day in dict.fromkeys(line.day for _, line in timed):
        own = [(at, line) for at, line in timed if line.day == day]
        total = sum(line.units for _, line in own)
        if total > 32:
            message = f"{total} units of 15 minutes on one day are more than eight hours."
            yield Problem(f"lines.{own[0][0]}.units", message, "Correct the units.")


@check(STOP, "P", "2400 SV103 MJ for anesthesia")
def anesthesia_in_minutes(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Anesthesia is counted in minutes."""
    for at, line in enumerate(claim.lines, 1):
        if is_anesthesia(line.code) and line.basis != "MJ":
            message = f"{line.code} is anesthesia, which is billed in minutes."
            yield Problem(f"lines.{at}.minutes", message, "Enter how many minutes it took.")
        elif line.basis == "MJ" and not is_anesthesia(line.code):
            message = f"{line.code} isn’t anesthesia, and is billed in minutes."
            yield Problem(f"lines.{at}.minutes", message, "Enter units.")


@check(ODD, "PD", "2300 AMT F5 against CLM02")
def paid_no_more_than_charged(claim: Claim, _: Situation) -> Iterator[Problem]:
    """The patient paid no more than was charged."""
    if claim.paid_cents > claim.cents:
        message = f"The patient paid {dollars(claim.paid_cents)}, more than the claim."
        yield Problem("patient_paid", message, "Correct it.")


@check(STOP, "PDI", "2300 NTE02, 2400 NTE02: 80 characters")
def note_fits(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A note to the payer has at most 80 characters."""
    notes = [("note", claim.note), *((f"lines.{n}.note", line.note) for n, line in enumerate(claim.lines, 1))]
    for path, note in notes:
        if len(note) > LONGEST_NOTE:
            message = f"The note has {len(note)} characters, and {LONGEST_NOTE} go along."
            yield Problem(path, message, "Shorten it.")


@check(STOP, "PDI", "2300 PWK01, PWK02, PWK06")
def papers_described(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A paper that goes along says what it is, how it travels, and by which number it is known."""
    if len(claim.attachments) > MOST_PAPERS:
        message = f"{len(claim.attachments)} attachments, and a claim takes {MOST_PAPERS}."
        yield Problem("attachments", message, "Remove some.")
    for at, paper in enumerate(claim.attachments, 1):
        if paper.kind not in _PAPERS:
            yield Problem(f"attachments.{at}.type", "It isn’t said what is attached.", "Choose its kind.")
        if paper.how not in _HOW_SENT:
            yield Problem(f"attachments.{at}.how", "It isn’t said how it is sent.", "Choose mail, fax, …")
        elif paper.how != "AA" and not paper.number:
            message = "An attachment that is sent has no control number."
            yield Problem(f"attachments.{at}.number", message, "Enter the number written on it.")


@check(ODD, "P", "CPT: one visit a day of the same clinician")
def one_visit_a_day(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Nobody has two office visits on one day with the same clinician."""
    seen: dict[tuple[object, object], int] = {}
    for at, line in enumerate(claim.lines, 1):
        if not is_office_visit(line.code):
            continue
        key = (line.day, line.rendering)
        if key in seen and not {"25", "27", "59"} & set(line.modifiers):
            message = f"{claim.lines[seen[key] - 1].code} and {line.code} are two visits on one day."
            yield Problem(f"lines.{at}", message, "Bill one of them.")
        seen.setdefault(key, at)
