"""What makes a patient's details acceptable, and how a name or number becomes a key for searching.

Names keep their spelling; keys are lower case in plain letters without apostrophes, so that 'muller' finds
'Müller' and 'obrien' 'O’Brien'. Phones are kept as ten national digits (North American Numbering Plan) and
shown in one form.
"""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from datetime import date

import phonenumbers

from zax.core.errors import ProblemCollector, Refused
from zax.core.reading import month_number
from zax.core.spelling import plain_spelling
from zax.core.wording import style, typed_day

LONGEST_NAME = 60
OLDEST_YEARS = 125
REGION = "US"


@dataclass(frozen=True, slots=True)
class NewPatient:
    """The least a patient is made from; the rest comes later. `phone` is ten digits."""

    first: str
    last: str
    birth: date
    phone: str


def search_key(text: str) -> str:
    """'  Müller-Lüdenscheidt ' -> 'muller-ludenscheidt', 'D’Angelo' -> 'dangelo'."""
    return " ".join(plain_spelling(text).replace("'", "").lower().split())


def check_name(text: str, what: str, field: str) -> str:
    """The name with single spaces; Refused when empty, overlong or without a letter."""
    name = " ".join(text.split())
    if not name:
        raise Refused(f"Enter the {what}.", field)
    if len(name) > LONGEST_NAME:
        raise Refused(f"The {what} has {len(name)} letters; at most {LONGEST_NAME} can be kept.", field)
    if not any(ch.isalpha() for ch in name) or any(unicodedata.category(ch) == "Cc" for ch in name):
        raise Refused(f"“{name[:30]}” isn’t a name.", field)
    return name


# Area code and exchange begin with 2 to 9 (North American Numbering Plan).
_PHONE = re.compile(r"[2-9]\d{2}[2-9]\d{6}", re.ASCII)


def check_phone(text: str, field: str = "phone") -> str:
    """Ten national digits; Refused for a number that cannot exist, or lacks its area code."""
    if not text.strip():
        raise Refused("Enter a mobile or household number.", field)
    try:
        number = phonenumbers.parse(text, REGION)
    except phonenumbers.NumberParseException:
        number = None
    digits = str(number.national_number) if number is not None and number.country_code == 1 else ""
    if len(digits) == 7:
        raise Refused("Add the area code: ten digits, such as (360) 555-0148.", field)
    if number is not None and number.extension:
        raise Refused("Enter just the ten digits, and put the extension in a note.", field)
    if not _PHONE.fullmatch(digits):
        raise Refused(
            f"“{text.strip()[:30]}” isn’t a phone number. Use ten digits, such as (360) 555-0148.", field
        )
    return digits


_DATES = (
    re.compile(r"(?P<y>\d{4})[-/. ](?P<m>\d{1,2})[-/. ](?P<d>\d{1,2})", re.ASCII),
    re.compile(r"(?P<first>\d{1,2})[/. -](?P<second>\d{1,2})[/. -](?P<y>\d{4}|\d{2})", re.ASCII),
    re.compile(r"(?P<first>\d{2})(?P<second>\d{2})(?P<y>\d{4}|\d{2})", re.ASCII),
    re.compile(r"(?P<y>\d{4})(?P<m>\d{2})(?P<d>\d{2})", re.ASCII),
    re.compile(r"(?P<d>\d{1,2})[-/. ]*(?P<m>[a-z]{3,9})[-/. ]*(?P<y>\d{4}|\d{2})", re.ASCII),
    re.compile(r"(?P<m>[a-z]{3,9})[-/. ]*(?P<d>\d{1,2})[-/. ]+(?P<y>\d{4}|\d{2})", re.ASCII),
)


def parse_birth(text: str, today: date, field: str = "birth") -> date:
    """'1984-05-03', '5/3/1984', '3 May 1984' or '050384' -> a date; Refused if none, ahead of today or too
    old.
    """
    typed = " ".join(text.lower().replace(",", " ").split())
    if not typed:
        raise Refused(f"Enter the birth date, such as {_example()}.", field)
    birth = read_date(typed, today)
    if birth is None:
        order = "day, month, year" if style().day_first else "month, day, year"
        raise Refused(f"“{text.strip()[:30]}” isn’t a date. Use {order}, such as {_example()}.", field)
    if birth > today:
        raise Refused("The birth date is in the future. Check the year.", field)
    if today.year - birth.year > OLDEST_YEARS:
        raise Refused(f"That would be {today.year - birth.year} years ago. Check the year.", field)
    return birth


def read_date(typed: str, today: date) -> date | None:
    """A date in one of the usual spellings, in lower case and without commas; None when it is none. In
    digits alone the month stands before the day, unless the clinic writes it after. With a year of two digits
    it is the latest such day that is not ahead of today.
    """
    for pattern in _DATES:
        found = pattern.fullmatch(typed)
        made = _date(found, today) if found else None
        if made is not None:
            return made
    return None


def _month_and_day(parts: dict[str, str]) -> tuple[int, int]:
    """As typed in digits alone, month and day stand in the clinic's order."""
    if "first" in parts:
        first, second = int(parts["first"]), int(parts["second"])
        return (second, first) if style().day_first else (first, second)
    month = parts["m"]
    return int(month) if month.isdecimal() else month_number(month), int(parts["d"])


def _example() -> str:
    return typed_day(date(1984, 5, 3))


def _date(found: re.Match[str], today: date) -> date | None:
    month, day = _month_and_day(found.groupdict())
    try:
        made = date(full_year(found["y"], today), month, day)
        return made.replace(year=made.year - 100) if len(found["y"]) == 2 and made > today else made
    except ValueError:
        return None


def full_year(text: str, today: date) -> int:
    """A year of two digits is the latest one that is not ahead of today."""
    year = int(text)
    if len(text) == 4:
        return year
    century = today.year // 100 * 100
    return century + year if century + year <= today.year else century - 100 + year


def is_new(last_came: date | None) -> bool:
    """Whether a patient is new on a day: they never came on an earlier one. `last_came` is the last day
    before it on which they did; a visit that was missed or called off does not count, one that they came to
    does, however far it got.
    """
    return last_came is None


def check_new_patient(first: str, last: str, birth: str, phone: str, today: date) -> NewPatient:
    """All four fields at once; raises Problems with one message a field."""
    wrong = ProblemCollector()
    first_name = wrong.take(check_name, first, "first name", "first")
    last_name = wrong.take(check_name, last, "last name", "last")
    born = wrong.take(parse_birth, birth, today)
    number = wrong.take(check_phone, phone)
    wrong.raise_if_any()
    assert first_name and last_name and born and number
    return NewPatient(first_name, last_name, born, number)


def as_named(typed: str) -> tuple[str, str, str]:
    """First name, last name and phone in what was searched for: 'vasquez, helen', 'helen vasquez 360 555
    0148'. The field it fills is the person's to correct.
    """
    digits = "".join(re.findall(r"\d", typed, re.ASCII))
    words = re.sub(r"[\d()+.#/-]+", " ", typed)
    last, comma, first = words.partition(",")
    if not comma:
        first, _, last = words.strip().partition(" ")
    phone = digits if len(digits) in {7, 10, 11} else ""
    return _capital(first), _capital(last), phone


def _capital(name: str) -> str:
    """As it is written, unless it was typed without capitals."""
    plain = " ".join(name.split())
    return plain.title() if plain.islower() else plain


def age_on(birth: date, day: date) -> int:
    """Whole years."""
    return day.year - birth.year - ((day.month, day.day) < (birth.month, birth.day))
