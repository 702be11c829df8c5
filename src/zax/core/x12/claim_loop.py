"""What a claim says of itself in a claim file: loops 2300 to 2330, in the order of each guide.

Sources: 005010X222A1 (professional), 005010X224A2 (dental), 005010X223A2 (institutional).
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date

from zax.core.claims.claim import Claim, Clinician, Form
from zax.core.claims.parts import Accident, OtherCoverage
from zax.core.x12.adjustment_rows import adjustment_rows
from zax.core.x12.claim_codes import CLAIM_PEOPLE, DATES
from zax.core.x12.claim_lines import line_rows
from zax.core.x12.claim_names import Row, clinician_rows, dated, days_text, place_rows, plain_code
from zax.core.x12.claim_stay import stay_codes, stay_dates
from zax.core.x12.parties import Organization
from zax.core.x12.syntax import amount, clean


def claim_rows(claim: Claim, form: Form) -> Iterator[Row]:
    """Loop 2300 with its people, other plans and lines."""
    yield _claim(claim)
    yield from _dates(claim)
    if form is Form.DENTAL:
        yield from _teeth(claim)
    for paper in claim.attachments:
        control = ("", "", "AC", paper.number) if paper.number else ()
        yield ("PWK", paper.kind, paper.how, *control)
    if claim.paid_cents:
        yield ("AMT", "F3" if form is Form.INSTITUTIONAL else "F5", amount(claim.paid_cents))
    yield from _references(claim)
    if claim.note:
        yield ("NTE", "ADD", clean(claim.note)[:80])
    yield from _diagnoses(claim)
    yield from _people(claim)
    for other in claim.others:
        yield from _other(other)
    for number, line in enumerate(claim.lines, 1):
        yield from line_rows(claim, line, number)


def _claim(claim: Claim) -> Row:
    if claim.form is Form.INSTITUTIONAL:
        place, signed = f"{claim.bill_type}:A:{claim.frequency}", ""
    else:
        place, signed = f"{claim.place_of_service}:B:{claim.frequency}", "Y"
    return (
        "CLM",
        claim.number,
        amount(claim.cents),
        "",
        "",
        place,
        signed,
        "A" if claim.assigned else "C",
        "Y" if claim.pays_us else "N",
        "Y" if claim.released else "I",
        "",
        _causes(claim.accident) if claim.form is not Form.INSTITUTIONAL else "",
        *[""] * 7,
        "PB" if claim.predetermination else "",
        claim.delay_reason,
    )


def _causes(accident: Accident | None) -> str:
    """CLM11: up to three related causes, then the state of an auto accident."""
    if accident is None:
        return ""
    kinds = [*accident.kinds, "", "", ""][:3]
    return ":".join([*kinds, accident.state]).rstrip(":")


def _dates(claim: Claim) -> Iterator[Row]:
    if claim.stay is not None:
        yield from stay_dates(claim.stay)
    for qualifier, field in DATES[claim.form]:
        if field == "accident":
            if claim.accident and claim.accident.day:
                yield dated(qualifier, claim.accident.day)
        elif field == "disabled":
            yield from _disabled(claim.dates.disabled_from, claim.dates.disabled_to)
        elif day := getattr(claim.dates, field):
            yield dated(qualifier, day)
    if claim.form is Form.DENTAL and claim.lines and claim.lines[0].day:
        yield dated("472", claim.lines[0].day)


def _disabled(first: date | None, last: date | None) -> Iterator[Row]:
    """Both ends are one span (314); one alone has its own qualifier (360 begins, 361 ends)."""
    if first and last:
        yield ("DTP", "314", "RD8", days_text(first, last))
    elif first:
        yield dated("360", first)
    elif last:
        yield dated("361", last)


def _teeth(claim: Claim) -> Iterator[Row]:
    """DN1 and DN2: braces, and the teeth that are missing or to be taken out."""
    if claim.braces:
        yield ("DN1", str(claim.braces.months), str(claim.braces.months_left))
    for tooth in claim.missing_teeth:
        yield ("DN2", tooth, "M", "", "", "", "JP")
    for tooth in claim.teeth_to_extract:
        yield ("DN2", tooth, "E", "", "", "", "JP")


def _references(claim: Claim) -> Iterator[Row]:
    """REF in the order of the guides: referral, authorization, the payer's number, CLIA; the dental guide has
    the payer's number first.
    """
    known = {
        "F8": claim.payer_claim,
        "9F": claim.referral,
        "G1": claim.authorization,
        "X4": claim.clia if claim.form is Form.PROFESSIONAL else "",
        "LU": claim.accident.state if claim.form is Form.INSTITUTIONAL and claim.accident else "",
    }
    order = ("F8", "9F", "G1") if claim.form is Form.DENTAL else ("9F", "G1", "F8", "X4", "LU")
    for qualifier in order:
        if known[qualifier]:
            yield ("REF", qualifier, clean(known[qualifier]))


def _diagnoses(claim: Claim) -> Iterator[Row]:
    if claim.stay is not None:
        yield from stay_codes(claim.stay, claim.diagnoses, claim.present)
    elif claim.diagnoses:
        yield ("HI", *(_diagnosis(code, first=at == 0) for at, code in enumerate(claim.diagnoses)))


def _diagnosis(code: str, first: bool) -> str:
    return f"{'ABK' if first else 'ABF'}:{plain_code(code)}"


def _people(claim: Claim) -> Iterator[Row]:
    for entity, field in CLAIM_PEOPLE[claim.form]:
        who = getattr(claim, field)
        if isinstance(who, Clinician):
            yield from clinician_rows(entity, who, claim.form)
        elif isinstance(who, Organization):
            yield from place_rows(who)


def _other(other: OtherCoverage) -> Iterator[Row]:
    """Loops 2320, 2330A and 2330B."""
    yield (
        "SBR",
        other.rank,
        other.relationship,
        clean(other.group_number),
        "",
        other.secondary_reason,
        "",
        "",
        "",
        other.filing_indicator,
    )
    yield from adjustment_rows(other.adjusted)
    if other.decided:
        yield ("AMT", "D", amount(other.paid_cents))
    if other.left_cents is not None:
        yield ("AMT", "EAF", amount(other.left_cents))
    yield ("OI", "", "", "Y" if other.pays_us else "N", "", "", "Y")
    yield ("NM1", "IL", "1", clean(other.last), clean(other.first), "", "", "", "MI", clean(other.member_id))
    yield ("NM1", "PR", "2", clean(other.payer_name), "", "", "", "", "PI", other.payer_id)
    if other.decided_on:
        yield dated("573", other.decided_on)
    if other.payer_claim:
        yield ("REF", "F8", clean(other.payer_claim))
