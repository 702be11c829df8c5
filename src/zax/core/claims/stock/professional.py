"""A professional claim on the pre-printed CMS-1500 (02/12): lines and columns by the form's print grid, six
services to a sheet, each sheet with its own total.
"""

from __future__ import annotations

from zax.core.claims.claim import Claim, ClaimLine, Clinician
from zax.core.claims.stock.sheet import Sheet
from zax.core.x12.parties import Address, Organization, Person

SERVICES = 6
_LETTERS = "ABCDEFGHIJKL"
_FIRST_SERVICE = 44
# Columns of the boxes of item 1, by what the plan is.
_KINDS = {"MB": 1, "MA": 1, "MC": 8, "CH": 15, "VA": 24}
_GROUP = 31
_RELATIONS = {"18": 33, "01": 38, "19": 42}
_OTHER_RELATION = 47


def professional_sheets(claim: Claim) -> list[Sheet]:
    starts = range(0, max(len(claim.lines), 1), SERVICES)
    return [_sheet(claim, claim.lines[start : start + SERVICES]) for start in starts]


def _sheet(claim: Claim, lines: tuple[ClaimLine, ...]) -> Sheet:
    sheet = Sheet()
    sheet.at(3, 42, claim.payer.name, 38)
    _people(sheet, claim)
    _condition(sheet, claim)
    _diagnoses(sheet, claim)
    for at, line in enumerate(lines):
        _service(sheet, claim, line, _FIRST_SERVICE + 2 * at)
    _billing(sheet, claim, sum(line.cents for line in lines))
    return sheet


def _name(person: Person) -> str:
    return ", ".join(filter(None, (person.last, person.first, person.middle))).upper()


def _address(sheet: Sheet, column: int, address: Address, state_at: int, phone: str = "") -> None:
    sheet.at(13, column, address.street.upper(), 28)
    sheet.at(15, column, address.city.upper(), 24)
    sheet.at(15, state_at, address.state, 3)
    sheet.at(17, column, address.zip, 12)
    sheet.at(17, column + 14, phone, 14)


def _people(sheet: Sheet, claim: Claim) -> None:
    patient, holder = (claim.subscriber if claim.own else claim.patient), claim.subscriber
    sheet.mark(9, _KINDS.get(claim.filing_indicator, _GROUP), True)
    sheet.at(9, 50, holder.member_id, 29)
    sheet.at(11, 1, _name(patient), 28)
    sheet.day(11, (31, 34, 37), patient.birth, 4)
    sheet.mark(11, 42, patient.sex == "M")
    sheet.mark(11, 47, patient.sex == "F")
    sheet.at(11, 50, _name(holder), 29)
    _address(sheet, 1, patient.address, 26)
    sheet.mark(13, _RELATIONS.get(claim.relationship, _OTHER_RELATION), True)
    _address(sheet, 50, holder.address, 74)
    if claim.others:
        other = claim.others[0]
        sheet.at(19, 1, f"{other.last}, {other.first}".upper(), 28)
        sheet.at(21, 1, other.member_id, 28)
        sheet.at(27, 1, other.payer_name.upper(), 28)
    sheet.at(19, 50, claim.group_number, 29)
    sheet.day(21, (53, 56, 59), holder.birth, 4)
    sheet.mark(21, 68, holder.sex == "M")
    sheet.mark(21, 75, holder.sex == "F")
    sheet.at(25, 50, claim.payer.name.upper(), 29)
    sheet.mark(27, 52, bool(claim.others))
    sheet.mark(27, 57, not claim.others)
    sheet.at(31, 7, "SIGNATURE ON FILE" if claim.released else "")
    sheet.at(31, 57, "SIGNATURE ON FILE" if claim.pays_us else "")


def _condition(sheet: Sheet, claim: Claim) -> None:
    kinds = claim.accident.kinds if claim.accident else ()
    for line, kind in ((21, "EM"), (23, "AA"), (25, "OA")):
        sheet.mark(line, 35, kind in kinds)
        sheet.mark(line, 41, kind not in kinds)
    sheet.at(23, 45, claim.accident.state if claim.accident else "", 2)
    dates = claim.dates
    sheet.day(33, (2, 5, 8), dates.onset)
    sheet.at(33, 15, "431" if dates.onset else "")
    happened = claim.accident.day if claim.accident else None
    second = happened or dates.first_treated
    sheet.at(33, 31, ("439" if happened else "454") if second else "")
    sheet.day(33, (37, 40, 43), second)
    sheet.day(33, (54, 57, 60), dates.disabled_from)
    sheet.day(33, (68, 71, 74), dates.disabled_to)
    for qualifier, who in (("DN", claim.referring), ("DQ", claim.supervising)):
        if who:
            sheet.at(35, 1, qualifier)
            sheet.at(35, 4, _who(who), 24)
            sheet.at(35, 32, who.npi, 17)
            break
    sheet.day(35, (54, 57, 60), dates.admitted)
    sheet.day(35, (68, 71, 74), dates.discharged)
    sheet.at(37, 1, claim.note.upper(), 48)
    bought = sum(line.purchased_cents for line in claim.lines)
    sheet.mark(37, 52, bought > 0)
    sheet.mark(37, 57, not bought)
    if bought:
        sheet.cents(37, 69, bought)


def _who(who: Clinician) -> str:
    return f"{who.first} {who.last}".upper()


def _diagnoses(sheet: Sheet, claim: Claim) -> None:
    sheet.at(38, 42, "0")
    for at, code in enumerate(claim.diagnoses[: len(_LETTERS)]):
        sheet.at(39 + at // 4, 3 + 13 * (at % 4), code.replace(".", ""), 8)
    if claim.payer_claim:
        sheet.at(39, 50, claim.frequency.value)
        sheet.at(39, 62, claim.payer_claim, 18)
    sheet.at(41, 50, claim.authorization or claim.referral or claim.clia, 29)


def _service(sheet: Sheet, claim: Claim, line: ClaimLine, at: int) -> None:
    if line.drug:
        drug = f"N4{line.drug.ndc} {line.drug.unit}{line.drug.quantity}"
        sheet.at(at - 1, 1, drug, 61)
    sheet.day(at, (1, 4, 7), line.day)
    sheet.day(at, (10, 13, 16), line.last or line.day)
    sheet.at(at, 19, line.place or claim.place_of_service, 2)
    sheet.at(at, 22, "Y" if line.emergency else "")
    sheet.at(at, 25, line.code, 6)
    for number, modifier in enumerate(line.modifiers[:4]):
        sheet.at(at, 32 + 3 * number, modifier, 2)
    pointed = "".join(_LETTERS[n - 1] for n in line.pointers if 0 < n <= len(_LETTERS))
    sheet.at(at, 45, pointed, 4)
    sheet.cents(at, 56, line.cents)
    sheet.at(at, 60, str(line.units), 3)
    rendering = line.rendering or claim.clinician
    sheet.at(at, 68, rendering.npi if rendering else "", 11)


def _billing(sheet: Sheet, claim: Claim, cents: int) -> None:
    sheet.at(56, 1, claim.billing.tax_id, 15)
    sheet.mark(56, 19, bool(claim.billing.tax_id))
    sheet.at(56, 23, claim.number, 14)
    sheet.mark(56, 38, claim.assigned)
    sheet.mark(56, 43, not claim.assigned)
    sheet.cents(56, 58, cents)
    paid = claim.paid_cents + sum(each.paid_cents for each in claim.others)
    if paid:
        sheet.cents(56, 69, paid)
    if claim.clinician:
        sheet.at(60, 1, f"SOF {_who(claim.clinician)}", 21)
    if claim.facility:
        _party(sheet, 23, claim.facility, 26)
        sheet.at(61, 24, claim.facility.identifier, 10)
    sheet.at(57, 66, claim.billing.phone, 14)
    _party(sheet, 50, claim.billing, 29)
    sheet.at(61, 51, claim.billing.identifier, 10)


def _party(sheet: Sheet, column: int, party: Organization, most: int) -> None:
    name = " ".join(filter(None, (party.first, party.name)))
    city = " ".join(filter(None, (party.address.city, party.address.state, party.address.zip)))
    for line, text in ((58, name), (59, party.address.street), (60, city)):
        sheet.at(line, column, text.upper(), most)
