"""A facility bill on the pre-printed UB-04 (CMS-1450): lines and columns by the print grid of the form, 22
services to a sheet, the total on the last one.
"""

from __future__ import annotations

from datetime import date

from zax.core.claims.claim import Claim, ClaimLine
from zax.core.claims.parts import Stay
from zax.core.claims.stock.sheet import Sheet

SERVICES = 22
_FIRST_SERVICE, _TOTALS = 20, 42
_RELATIONS = {"18": "18", "01": "01", "19": "19"}


def facility_sheets(claim: Claim) -> list[Sheet]:
    starts = range(0, max(len(claim.lines), 1), SERVICES)
    made = [_sheet(claim, claim.lines[start : start + SERVICES]) for start in starts]
    for number, sheet in enumerate(made, 1):
        sheet.at(_TOTALS, 12, f"{number}")
        sheet.at(_TOTALS, 19, f"{len(made)}")
    made[-1].at(_TOTALS, 1, "0001")
    made[-1].cents(_TOTALS, 69, claim.cents)
    return made


def _sheet(claim: Claim, lines: tuple[ClaimLine, ...]) -> Sheet:
    sheet = Sheet()
    _head(sheet, claim)
    if claim.stay:
        _stay(sheet, claim, claim.stay)
    for at, line in enumerate(lines, _FIRST_SERVICE):
        sheet.at(at, 1, line.revenue, 4)
        code = " ".join(filter(None, (line.code, *line.modifiers)))
        sheet.at(at, 31, code, 14)
        sheet.at(at, 46, _short(line.day))
        sheet.at(at, 53, str(line.units), 7)
        sheet.cents(at, 69, line.cents)
        if line.not_covered_cents:
            sheet.cents(at, 79, line.not_covered_cents)
    _payers(sheet, claim)
    _codes(sheet, claim)
    return sheet


def _short(day: date | None) -> str:
    return f"{day:%m%d%y}" if day else ""


def _head(sheet: Sheet, claim: Claim) -> None:
    patient, billing = (claim.subscriber if claim.own else claim.patient), claim.billing
    city = " ".join(filter(None, (billing.address.city, billing.address.state, billing.address.zip)))
    for line, text in ((1, billing.name), (2, billing.address.street), (3, city), (4, billing.phone)):
        sheet.at(line, 1, text.upper(), 25)
    sheet.at(2, 56, claim.number, 24)
    sheet.at(3, 77, f"0{claim.bill_type}{claim.frequency}" if claim.bill_type else "", 4)
    sheet.at(5, 52, billing.tax_id, 10)
    if claim.stay:
        sheet.at(5, 62, _short(claim.stay.first))
        sheet.at(5, 69, _short(claim.stay.last))
    name = ", ".join(filter(None, (patient.last, patient.first, patient.middle)))
    sheet.at(7, 2, name.upper(), 29)
    sheet.at(6, 42, patient.address.street.upper(), 40)
    sheet.at(7, 32, patient.address.city.upper(), 32)
    sheet.at(7, 65, patient.address.state, 2)
    sheet.at(7, 69, patient.address.zip, 10)
    sheet.at(9, 1, f"{patient.birth:%m%d%Y}" if patient.birth else "")
    sheet.at(9, 10, patient.sex, 1)


def _stay(sheet: Sheet, claim: Claim, stay: Stay) -> None:
    sheet.at(9, 13, _short(stay.admitted))
    for column, text in (
        (20, stay.admitted_hour),
        (23, stay.admission_type),
        (26, stay.admission_source),
        (29, stay.discharge_hour),
        (32, stay.discharge_status),
    ):
        sheet.at(9, column, text, 2)
    for at, code in enumerate(stay.conditions[:11]):
        sheet.at(9, 35 + 3 * at, code, 2)
    if claim.accident:
        sheet.at(9, 68, claim.accident.state, 2)
    single = [each for each in stay.occurrences if each.last is None]
    for at, each in enumerate(single[:8]):
        sheet.at(11 + at // 4, 1 + 10 * (at % 4), f"{each.code} {_short(each.day)}")
    spans = [each for each in stay.occurrences if each.last is not None]
    for at, each in enumerate(spans[:4]):
        sheet.at(11 + at // 2, 41 + 17 * (at % 2), f"{each.code} {_short(each.day)} {_short(each.last)}")
    for at, value in enumerate(stay.values[:12]):
        column = 44 + 13 * (at % 3)
        sheet.at(15 + at // 3, column, value.code, 2)
        sheet.cents(15 + at // 3, column + 10, value.cents)


def _payers(sheet: Sheet, claim: Claim) -> None:
    holder = claim.subscriber
    sheet.at(43, 68, claim.billing.identifier, 15)
    sheet.at(44, 1, claim.payer.name.upper(), 23)
    sheet.at(44, 25, claim.payer.identifier, 14)
    sheet.at(44, 40, "Y" if claim.released else "I")
    sheet.at(44, 43, "Y" if claim.pays_us else "N")
    paid = sum(each.paid_cents for each in claim.others)
    if paid:
        sheet.cents(44, 54, paid)
    name = ", ".join(filter(None, (holder.last, holder.first)))
    sheet.at(48, 1, name.upper(), 25)
    sheet.at(48, 27, _RELATIONS.get(claim.relationship, "G8"))
    sheet.at(48, 30, holder.member_id, 20)
    sheet.at(48, 66, claim.group_number, 17)
    sheet.at(52, 1, claim.authorization or claim.referral, 30)
    sheet.at(52, 32, claim.payer_claim, 26)


def _codes(sheet: Sheet, claim: Claim) -> None:
    sheet.at(55, 1, "0")
    for at, code in enumerate(claim.diagnoses[:18]):
        present = claim.present[at] if at < len(claim.present) else ""
        sheet.at(55 + at // 9, 3 + 8 * (at % 9), f"{code.replace('.', ''):<7}{present}")
    stay = claim.stay
    if stay:
        sheet.at(57, 4, stay.admitting.replace(".", ""), 7)
        for at, code in enumerate(stay.reasons[:3]):
            sheet.at(57, 17 + 8 * at, code.replace(".", ""), 7)
        for at, code in enumerate(stay.causes[:3]):
            sheet.at(57, 50 + 9 * at, code.replace(".", ""), 7)
        for at, each in enumerate(stay.procedures[:6]):
            sheet.at(59 + 2 * (at // 3), 1 + 16 * (at % 3), f"{each.code:<8} {_short(each.day)}")
    for line, who in ((58, claim.attending), (60, claim.operating), (62, claim.other_operating)):
        if who:
            sheet.at(line, 59, who.npi, 11)
            sheet.at(line + 1, 54, who.last.upper(), 16)
            sheet.at(line + 1, 72, who.first.upper(), 12)
    sheet.at(63, 1, claim.note.upper(), 40)
