"""A claim is checked before it leaves. Each finding says what is wrong, what to do, and which field to open.

A *stop* would be rejected and holds the claim back. Sources: situational rules of 005010X222A1 and
005010X224A2.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from stdnum import luhn

from zax.core.claims.claim import Claim
from zax.core.wording import day_words


@dataclass(frozen=True, slots=True)
class Finding:
    """`where` names the screen that fixes it: patient, coverage, charges or setup."""

    field: str
    where: str
    message: str


def is_npi(number: str) -> bool:
    """Ten digits with the Luhn check over '80840' + number (45 CFR 162.406, NPI check digit)."""
    return len(number) == 10 and number.isdecimal() and luhn.is_valid("80840" + number)


def check_claim(claim: Claim, today: date) -> list[Finding]:
    """All stops, in the order a person would fix them; empty when the claim may leave."""
    return [*_who(claim), *_coverage(claim, today), *_clinicians(claim), *_lines(claim, today)]


def _who(claim: Claim) -> list[Finding]:
    found: list[Finding] = []
    for person, word in ((claim.subscriber, "subscriber"), (claim.patient, "patient")):
        if word == "patient" and claim.relationship == "18":
            continue
        if person.birth is None:
            found.append(
                Finding("birth", "patient", f"No birth date for the {word}. Ask for it and enter it.")
            )
        if not person.address.complete:
            found.append(
                Finding(
                    "street",
                    "patient",
                    f"No full address for the {word}. Street, city, state and ZIP are needed.",
                )
            )
        if person.sex not in {"M", "F", "U"}:
            found.append(Finding("sex", "patient", f"No sex on file for the {word} Check the card or ask."))
    return found


def _coverage(claim: Claim, today: date) -> list[Finding]:
    found: list[Finding] = []
    if not claim.subscriber.member_id:
        found.append(
            Finding("member_id", "coverage", "No member ID. It’s on the front of the insurance card.")
        )
    if claim.needs_group and not claim.group_number:
        words = (
            f"{claim.payer.name} doesn’t take claims without a group number. It’s on the front of the card."
        )
        found.append(Finding("group_number", "coverage", words))
    if not claim.payer.identifier:
        found.append(Finding("payer", "setup", f"{claim.payer.name} has no electronic ID."))
    for line in claim.lines:
        early = claim.coverage_from and line.day < claim.coverage_from
        late = claim.coverage_to and line.day > claim.coverage_to
        if early or late:
            found.append(
                Finding(
                    "coverage",
                    "coverage",
                    f"The coverage wasn’t active on {day_words(line.day, year=True)}. Check its dates.",
                )
            )
            break
    oldest = min((line.day for line in claim.lines), default=today)
    if today - oldest > timedelta(days=claim.filing_days):
        found.append(
            Finding(
                "day",
                "charges",
                f"Too late to file: {claim.payer.name} takes claims for {claim.filing_days} days.",
            )
        )
    return found


def _clinicians(claim: Claim) -> list[Finding]:
    people = [
        claim.clinician,
        *(who for line in claim.lines for who in (line.rendering, line.supervising) if who),
    ]
    return [
        Finding("npi", "setup", f"{who.first} {who.last} has no valid NPI. Enter it in Setup.")
        for who in dict.fromkeys(people)
        if not is_npi(who.npi)
    ]


def _lines(claim: Claim, today: date) -> list[Finding]:
    if not claim.lines:
        return [Finding("lines", "charges", "Nothing on this claim is billed to insurance.")]
    found: list[Finding] = []
    if not claim.dental and not claim.diagnoses:
        found.append(
            Finding("diagnosis", "charges", "A medical claim needs a diagnosis. Add one on the charges page.")
        )
    for line in claim.lines:
        if not claim.dental and claim.diagnoses and not line.pointers:
            found.append(Finding("pointers", "charges", f"{line.code} points to no diagnosis."))
        if any(not 1 <= pointer <= len(claim.diagnoses) for pointer in line.pointers):
            found.append(
                Finding("pointers", "charges", f"{line.code} points to a diagnosis that isn’t there.")
            )
        if line.day > today:
            found.append(Finding("day", "charges", f"{line.code} is dated in the future."))
    return found
