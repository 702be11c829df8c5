"""Importing a list of patients from elsewhere: how its bytes become rows, which column is which field, and
what is wrong with a row.

A file says nothing reliable about its encoding: a byte-order mark counts only if the rest agrees, then UTF-8,
then the Windows form of Latin-1, in which every byte means something. The separator is the one that cuts the
first lines into equal rows.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from enum import StrEnum

from rapidfuzz import fuzz

from zax.core.coverage.member import check_group_number, check_member_id
from zax.core.errors import ProblemCollector, Refused, ZaxError
from zax.core.json import KeptJson
from zax.core.money.cents import parse_balance
from zax.core.patients.fields import FIELDS, SEXES
from zax.core.table import plain_cell

MORE = {
    "chart": "Number in the old system",
    "household": "Household (same text, same household)",
    "plan": "Plan",
    "member_id": "Member ID",
    "group_number": "Group number",
    "balance": "Starting balance",
}
COLUMNS: Mapping[str, str] = {
    name: f"Mail, {field.words.lower()}" if name.startswith("mail_") else field.words
    for name, field in FIELDS.items()
} | MORE
NEEDED = ("first", "last")
MOST_ROWS = 200_000


class JobState(StrEnum):
    """NEW: its columns are being chosen. DRY and RUNNING are at work; CHECKED: the dry run is through."""

    NEW = "new"
    DRY = "dry"
    RUNNING = "running"
    CHECKED = "checked"
    STOPPED = "stopped"
    DONE = "done"


AT_WORK = (JobState.DRY, JobState.RUNNING)
# A run can be started from here.
CAN_START = (JobState.NEW, JobState.CHECKED, JobState.STOPPED)
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
    "balance": "opening balance|account balance|amount due|balance due|owes",
}


def decode(content: bytes) -> str:
    """The text of a file in whatever of the usual encodings it is."""
    if content.startswith((b"\xff\xfe", b"\xfe\xff")):
        try:
            return content.decode("utf-16")
        except UnicodeDecodeError:
            content = content[2:]
    body = content.removeprefix(b"\xef\xbb\xbf")
    try:
        return body.decode("utf-8")
    except UnicodeDecodeError:
        return body.decode("cp1252", errors="replace")


@dataclass(frozen=True, slots=True)
class Sheet:
    """A table as read: its heading and its rows, each with the line of the file it begins on."""

    heading: tuple[str, ...]
    rows: tuple[tuple[int, tuple[str, ...]], ...]


def read_sheet(content: bytes) -> Sheet:
    """Refused for an empty file, one without rows, or one with more than 200,000."""
    text = decode(content)
    if not text.strip():
        raise Refused("The file is empty.", "file")
    if "\x00" in text:
        raise Refused("This isn’t a CSV file. Export it as CSV and try again.", "file")
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=_separator(text), strict=False)
    rows: list[tuple[int, tuple[str, ...]]] = []
    try:
        heading = tuple(cell.strip() for cell in next(reader))
        line = reader.line_num + 1
        for row in reader:
            if any(cell.strip() for cell in row):
                rows.append((line, tuple(row)))
            line = reader.line_num + 1
            if len(rows) > MOST_ROWS:
                raise Refused(f"The file has more than {MOST_ROWS:,} rows. Split it into several.", "file")
    except csv.Error as error:
        raise Refused(f"The file can’t be read as a table: {error}.", "file") from error
    if not rows:
        raise Refused("The file has a header but no rows.", "file")
    return Sheet(heading, tuple(rows))


def _separator(text: str) -> str:
    lines = [line for line in text.splitlines()[:20] if line.strip()]
    counts = {each: [line.count(each) for line in lines] for each in (",", ";", "\t", "|")}
    return max(counts, key=lambda each: (min(counts[each]), sum(counts[each])))


def guess_columns(heading: Sequence[str]) -> dict[str, int]:
    """Which field each column is, by the likeness of its heading to the field's name, words and usual other
    names; the best guess once a field.
    """
    scored = sorted(
        ((_likeness(title, name), -place, name) for place, title in enumerate(heading) for name in COLUMNS),
        reverse=True,
    )
    found: dict[str, int] = {}
    for likeness, place, name in scored:
        if likeness >= 80 and name not in found and -place not in found.values():
            found[name] = -place
    return found


def _likeness(title: str, name: str) -> float:
    typed = " ".join(title.lower().replace("_", " ").replace("-", " ").split())
    known = [name.replace("_", " "), COLUMNS[name].lower(), *_OTHER_NAMES.get(name, "").split("|")]
    return max(fuzz.ratio(typed, each) for each in known if each)


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """A row as it will be kept. `values` are the record's fields; the rest what is not a field of the record.
    `balance` cents, a credit negative.
    """

    values: KeptJson
    chart: str = ""
    household: str = ""
    plan: str = ""
    member_id: str = ""
    group_number: str = ""
    balance: int = 0


def read_row(cells: Sequence[str], columns: Mapping[str, int], today: date) -> Row:
    """One row checked field by field; raises Problems with every reason. `columns` says where each field
    stands.
    """
    typed = {
        name: plain_cell(cells[place].strip()) if place < len(cells) else ""
        for name, place in columns.items()
    }
    wrong = ProblemCollector()
    values = {
        name: wrong.take(field.check, _usual(name, typed.get(name, "")), name, today)
        for name, field in FIELDS.items()
    }
    values["texts_to"] = values["texts_to"] or "phone"
    chart, member = typed.get("chart", ""), typed.get("member_id", "")
    if len(chart) > 12 or not all(ch.isalnum() or ch in "-." for ch in chart):
        wrong.add("chart", "A number has at most 12 letters and digits.")
    number = wrong.take(check_member_id, member) if member else ""
    if bool(member) != bool(typed.get("plan")):
        wrong.add("plan", "Plan and member ID go together; one is missing.")
    group = wrong.take(check_group_number, typed.get("group_number", ""))
    balance = wrong.take(parse_balance, typed.get("balance", ""))
    wrong.raise_if_any()
    return Row(
        values=values,
        chart=chart,
        household=typed.get("household", ""),
        plan=typed.get("plan", ""),
        member_id=number or "",
        group_number=group or "",
        balance=balance or 0,
    )


def _usual(name: str, text: str) -> str:
    """Other systems spell choices out."""
    if name == "sex" and text:
        spelled = {words: code for code, words in SEXES.items()} | {"unknown": "U", "x": "U", "other": "U"}
        return spelled.get(text.lower(), text[:1].upper() if text.lower() in {"f", "m", "u"} else text)
    if name == "texts_to" and text not in {"", "phone"}:
        return {"mobile": "phone", "none of them": "none"}.get(text.lower(), text.lower())
    return text


def why_refused(error: ZaxError) -> str:
    """All reasons of a row in one line."""
    return " ".join(
        f"{COLUMNS.get(field, field)}: {message}" if field else message
        for field, message in error.problems.items()
    )[:255]
