"""A list of patients from elsewhere: its columns, and what is wrong with a row."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.coverage.member import check_group_number, check_member_id
from zax.core.errors import ProblemCollector
from zax.core.json import KeptJson
from zax.core.money.cents import parse_balance
from zax.core.moving.columns import ColumnSet, cells_by_name
from zax.core.patients.fields import FIELDS, SEXES
from zax.core.patients.own_fields import OwnField

MORE = {
    "chart": "Number in the old system",
    "household": "Household (same text, same household)",
    "plan": "Plan",
    "member_id": "Member ID",
    "group_number": "Group number",
    "balance": "Starting balance",
    "status": "Status (active, inactive, deceased)",
}
_WORDS: Mapping[str, str] = {
    name: f"Mail, {field.words.lower()}" if name.startswith("mail_") else field.words
    for name, field in FIELDS.items()
} | MORE


_OTHER_NAMES = {
    "first": "given name|forename",
    "last": "surname|family name",
    "birth": "dob|date of birth|birthdate|birthday",
    "sex": "gender",
    "phone": "cell|mobile phone|cell phone|telephone|phone number",
    "home_phone": "home phone",
    "work_phone": "work phone|office phone",
    "email": "e-mail|email address|mail",
    "street": "address|street address|address line 1",
    "zip": "postal code|zip code|postcode",
    "used_name": "nickname|preferred name|goes by",
    "mail_street": "mailing address|mailing street",
    "mail_zip": "mailing zip",
    "mail_city": "mailing city",
    "mail_state": "mailing state",
    "emergency_name": "emergency contact",
    "emergency_phone": "emergency phone",
    "emergency_relation": "emergency relation|emergency relationship",
    "alert": "alert|allergies",
    "chart": "chart|chart number|patient number|patient id|record number|id",
    "household": "household|family id|account number",
    "plan": "insurance plan|insurance",
    "member_id": "subscriber id|policy number|insurance id",
    "group_number": "group|group no",
    "texts_to": "texts to",
    "status": "patient status|state of the record|active",
    "balance": "opening balance|account balance|amount due|balance due|owes",
}
LISTED_STATUSES = ("active", "inactive", "deceased")


def columns_with(own: Iterable[OwnField]) -> ColumnSet:
    """The columns of the list for a clinic with these fields of its own."""
    added = {each.name: each.words for each in own if each.active}
    return ColumnSet({**_WORDS, **added}, _OTHER_NAMES, ("first", "last"))


PATIENTS = columns_with(())


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """A row as it will be kept. `values` are the record's fields, `own` among them those of the clinic's own
    that are filled in; the rest is what is not a field of the record.
    `balance` cents, a credit negative.
    """

    values: KeptJson
    chart: str = ""
    household: str = ""
    plan: str = ""
    member_id: str = ""
    group_number: str = ""
    balance: int = 0
    status: str = "active"


def read_row(
    cells: Sequence[str], columns: Mapping[str, int], today: date, own: Sequence[OwnField] = ()
) -> Row:
    """One row checked field by field; raises Problems with every reason. `columns` says where each field
    stands, `own` are the clinic's own fields.
    """
    typed = cells_by_name(cells, columns)
    wrong = ProblemCollector()
    values = {
        name: wrong.take(field.check, _usual(name, typed.get(name, "")), name, today)
        for name, field in FIELDS.items()
    }
    values["texts_to"] = values["texts_to"] or "phone"
    said = {
        each.name: wrong.take(each.as_field().check, typed[each.name], each.name, today)
        for each in own
        if each.active and typed.get(each.name)
    }
    chart, member = typed.get("chart", ""), typed.get("member_id", "")
    if len(chart) > 12 or not all(ch.isalnum() or ch in "-." for ch in chart):
        wrong.add("chart", "A number has at most 12 letters and digits.")
    number = wrong.take(check_member_id, member) if member else ""
    if bool(member) != bool(typed.get("plan")):
        wrong.add("plan", "Plan and member ID go together; one is missing.")
    group = wrong.take(check_group_number, typed.get("group_number", ""))
    balance = wrong.take(parse_balance, typed.get("balance", ""))
    status = typed.get("status", "").lower() or "active"
    if status not in LISTED_STATUSES:
        wrong.add("status", "Write active, inactive or deceased.")
    wrong.raise_if_any()
    return Row(
        values=values | {"own": said},
        chart=chart,
        household=typed.get("household", ""),
        plan=typed.get("plan", ""),
        member_id=number or "",
        group_number=group or "",
        balance=balance or 0,
        status=status,
    )


def _usual(name: str, text: str) -> str:
    """Other systems spell choices out."""
    if name == "sex" and text:
        spelled = {words: code for code, words in SEXES.items()} | {"unknown": "U", "x": "U", "other": "U"}
        return spelled.get(text.lower(), text[:1].upper() if text.lower() in {"f", "m", "u"} else text)
    if name == "texts_to" and text not in {"", "phone"}:
        return {"mobile": "phone", "none of them": "none"}.get(text.lower(), text.lower())
    return text
