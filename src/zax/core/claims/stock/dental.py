"""A dental claim on the pre-printed ADA form (2024): places in millimeters, ten services to a sheet, each
sheet with its own total.
"""

from __future__ import annotations

from datetime import date

from zax.core.claims.claim import Claim, ClaimLine
from zax.core.claims.stock.sheet import MARK, Sheet
from zax.core.x12.parties import Organization, Person

SERVICES = 10
_FIRST_SERVICE, _STEP = 111.0, 6.35
_LEFT, _RIGHT = 9.0, 110.0
_RELATIONS = {"18": 112.0, "01": 124.0, "19": 138.0}
_OTHER_RELATION = 158.0
# Upper teeth 1 to 16 from the left, lower ones 32 to 17 below them.
_TEETH_AT, _TOOTH = 40.0, 5.1


def dental_sheets(claim: Claim) -> list[Sheet]:
    starts = range(0, max(len(claim.lines), 1), SERVICES)
    return [_sheet(claim, claim.lines[start : start + SERVICES]) for start in starts]


def _sheet(claim: Claim, lines: tuple[ClaimLine, ...]) -> Sheet:
    sheet = Sheet()
    sheet.mm(10, 16, "" if claim.predetermination else MARK)
    sheet.mm(60, 16, MARK if claim.predetermination else "")
    sheet.mm(_LEFT, 27, claim.authorization, 40)
    _party(sheet, _LEFT, 38, claim.payer)
    _people(sheet, claim)
    for at, line in enumerate(lines):
        _service(sheet, line, _FIRST_SERVICE + _STEP * at)
    _teeth(sheet, claim, sum(line.cents for line in lines))
    _treatment(sheet, claim)
    _billing(sheet, claim)
    return sheet


def _day(day: date | None) -> str:
    return f"{day:%m/%d/%Y}" if day else ""


def _name(person: Person) -> str:
    return ", ".join(filter(None, (person.last, person.first, person.middle)))


def _party(sheet: Sheet, x: float, y: float, party: Organization) -> None:
    city = " ".join(filter(None, (party.address.city, party.address.state, party.address.zip)))
    name = " ".join(filter(None, (party.first, party.name)))
    for at, text in enumerate((name, party.address.street, city)):
        sheet.mm(x, y + 4.5 * at, text, 45)


def _person(sheet: Sheet, y: float, person: Person) -> None:
    address = person.address
    city = " ".join(filter(None, (address.city, address.state, address.zip)))
    for at, text in enumerate((_name(person), address.street, city)):
        sheet.mm(_RIGHT, y + 4.5 * at, text, 45)


def _people(sheet: Sheet, claim: Claim) -> None:
    patient, holder = (claim.subscriber if claim.own else claim.patient), claim.subscriber
    if claim.others:
        other = claim.others[0]
        sheet.mm(34, 62, MARK)
        sheet.mm(_LEFT, 69, f"{other.last}, {other.first}", 45)
        sheet.mm(66, 77, other.member_id, 20)
        sheet.mm(_LEFT, 85, other.group_number, 20)
        sheet.mm(_LEFT, 93, other.payer_name, 45)
    _person(sheet, 27, holder)
    sheet.mm(_RIGHT, 46, _day(holder.birth))
    sheet.mm(147, 46, MARK if holder.sex == "M" else "")
    sheet.mm(153, 46, MARK if holder.sex == "F" else "")
    sheet.mm(168, 46, holder.member_id, 20)
    sheet.mm(_RIGHT, 55, claim.group_number, 20)
    sheet.mm(_RELATIONS.get(claim.relationship, _OTHER_RELATION), 68, MARK)
    _person(sheet, 76, patient)
    sheet.mm(_RIGHT, 95, _day(patient.birth))
    sheet.mm(147, 95, MARK if patient.sex == "M" else "")
    sheet.mm(153, 95, MARK if patient.sex == "F" else "")
    sheet.mm(168, 95, claim.number, 20)


def _service(sheet: Sheet, line: ClaimLine, y: float) -> None:
    sheet.mm(10, y, _day(line.day))
    sheet.mm(34, y, line.area, 2)
    sheet.mm(42, y, "JP" if line.tooth else "")
    sheet.mm(50, y, line.tooth, 12)
    sheet.mm(74, y, line.surfaces, 6)
    sheet.mm(89, y, line.code, 5)
    pointed = "".join("ABCD"[at - 1] for at in line.pointers if 0 < at <= 4)
    sheet.mm(105, y, pointed)
    sheet.mm(114, y, str(line.units), 3)
    _cents(sheet, y, line.cents)


def _cents(sheet: Sheet, y: float, cents: int) -> None:
    """Dollars end before the rule at 200 mm."""
    dollars = str(cents // 100)
    sheet.mm(199 - 2.3 * len(dollars), y, dollars)
    sheet.mm(201, y, f"{cents % 100:02}")


def _teeth(sheet: Sheet, claim: Claim, cents: int) -> None:
    for tooth in claim.missing_teeth:
        if tooth.isdecimal() and 1 <= int(tooth) <= 32:
            number = int(tooth)
            at, y = (number - 1, 177.0) if number <= 16 else (32 - number, 183.0)
            sheet.mm(_TEETH_AT + _TOOTH * at, y, MARK)
    for at, code in enumerate(claim.diagnoses[:4]):
        sheet.mm(138 + 22 * (at // 2), 177 + 6 * (at % 2), code, 8)
    _cents(sheet, 183, cents)
    sheet.mm(_LEFT, 190, claim.note, 80)


def _treatment(sheet: Sheet, claim: Claim) -> None:
    sheet.mm(14, 209, "Signature on file" if claim.released else "")
    sheet.mm(14, 222, "Signature on file" if claim.pays_us else "")
    sheet.mm(137, 200, claim.place_of_service, 2)
    sheet.mm(187, 200, "Y" if claim.attachments else "N")
    braces = claim.braces is not None
    sheet.mm(170 if braces else 112, 208, MARK)
    sheet.mm(176, 208, _day(claim.dates.appliance))
    replaced = [line for line in claim.lines if line.first_placement is False]
    if claim.braces:
        sheet.mm(112, 216, str(claim.braces.months_left))
    sheet.mm(150 if replaced else 136, 216, MARK)
    sheet.mm(176, 216, _day(replaced[0].placed_before) if replaced else "")
    if claim.accident:
        places = {"EM": 112.0, "AA": 150.0, "OA": 176.0}
        for kind in claim.accident.kinds:
            sheet.mm(places.get(kind, 176.0), 224, MARK)
        sheet.mm(140, 230, _day(claim.accident.day))
        sheet.mm(192, 230, claim.accident.state, 2)


def _billing(sheet: Sheet, claim: Claim) -> None:
    _party(sheet, _LEFT, 238, claim.billing)
    sheet.mm(_LEFT, 256, claim.billing.identifier, 10)
    sheet.mm(72, 256, claim.billing.tax_id, 10)
    sheet.mm(_LEFT, 263, claim.billing.phone, 14)
    if claim.clinician:
        sheet.mm(_RIGHT, 242, f"Signature on file: {claim.clinician.first} {claim.clinician.last}", 45)
        sheet.mm(_RIGHT, 250, claim.clinician.npi, 10)
        sheet.mm(176, 256, claim.clinician.taxonomy, 12)
    where = claim.facility or claim.billing
    _party(sheet, _RIGHT, 255, where)
