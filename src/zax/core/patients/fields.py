"""The record, section by section: each field with its words and its check. Pages, acts and the import all
read this one list.

A check takes what was typed and returns what is kept, or raises Refused beside the field. An empty field is
allowed everywhere but for the name: what is missing is a gap, shown wherever the patient is.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from datetime import date
from typing import Any

from zax.core.errors import ProblemCollector, Refused
from zax.core.json import Json
from zax.core.patients.person import check_name, check_phone, parse_birth

SEXES = {"F": "female", "M": "male", "U": "not given"}
PHONES = {"phone": "mobile", "home_phone": "home", "work_phone": "work"}
TEXTS_TO = {"phone": "mobile", "home": "home", "work": "work", "none": "none of them"}
TOPICS = {
    "reminders": "Reminders of visits",
    "recalls": "Recalls",
    "money": "Bills and payments",
    "news": "News",
}
CHANNELS = {"text": "text", "email": "email", "call": "call", "post": "post", "none": "opted out"}
# Beside the wishes by topic: whether an email may name their care.
CARE, CARE_WORDS = "care", "Care named in emails"
AGREED = {"yes": "agreed", "no": "not agreed"}
ASKED = "asked"  # came by the web, not taken in yet
STATUSES = {
    "active": "active",
    "inactive": "inactive",
    "deceased": "deceased",
    "merged": "merged",
    "asked": "asked online",
    "forgotten": "forgotten",
}
Check = Callable[[str, str, date], Any]


@dataclass(frozen=True, slots=True)
class Field:
    """`choices` makes it a choice; `hint` shows in the empty field."""

    name: str
    words: str
    check: Check
    hint: str = ""
    choices: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Section:
    name: str
    words: str
    fields: tuple[Field, ...]

    def shown(self, has: Callable[[str], object]) -> tuple[Field, ...]:
        """The fields that stand on the record: those that are filled, `has` tells by name. The name is its
        heading, and where texts go says nothing without a phone.
        """
        heading = {"first", "last"} | (set() if has("phone") else {"texts_to"})
        return tuple(each for each in self.fields if has(each.name) and each.name not in heading)

    def keeping(self, kept: Callable[[str], object]) -> Section:
        """The same, but what was chosen before and is off its list by now may stay."""
        return replace(self, fields=tuple(_keeping(each, str(kept(each.name) or "")) for each in self.fields))


def _keeping(of: Field, value: str) -> Field:
    if not of.choices or not value or value in of.choices:
        return of
    choices = {**of.choices, value: f"{value} (no longer on the list)"}
    return replace(of, choices=choices, check=_choice(choices))


def _name(what: str) -> Check:
    return lambda text, name, today: check_name(text, what, name)


def check_text(text: str, name: str, most: int) -> str:
    """A line of at most `most` letters, single spaces between its words; empty stays empty."""
    kept = " ".join(text.split())
    if len(kept) > most:
        raise Refused(f"At most {most} letters can be kept here; this has {len(kept)}.", name)
    if any(ord(ch) < 32 for ch in kept):
        raise Refused("This has characters that can’t be printed. Type it again.", name)
    return kept


def _text(most: int) -> Check:
    return lambda text, name, today: check_text(text, name, most)


def _phone(text: str, name: str, today: date) -> str:
    return check_phone(text, name) if text.strip() else ""


def _birth(text: str, name: str, today: date) -> date | None:
    return parse_birth(text, today, name) if text.strip() else None


def _choice(choices: Mapping[str, str]) -> Check:
    def check(text: str, name: str, today: date) -> str:
        if text and text not in choices:
            raise Refused("Choose one from the list.", name)
        return text

    return check


def check_email(text: str, name: str = "email", today: date | None = None) -> str:
    """One @ with something on both sides, no spaces, at most 120 letters."""
    text = text.strip()
    if text and (
        text.count("@") != 1 or "@" not in text[1:-1] or any(ch.isspace() for ch in text) or len(text) > 120
    ):
        raise Refused("An email address looks like name@example.org.", name)
    return text


def check_zip(text: str, name: str, today: date | None = None) -> str:
    """Five digits, or five and four with or without the dash; empty stays empty."""
    text = text.strip()
    digits = text.replace("-", "")
    if text and (not digits.isdecimal() or not digits.isascii() or len(digits) not in {5, 9}):
        raise Refused("A ZIP code has 5 digits, or 5 and 4.", name)
    return text


def check_state(text: str, name: str, today: date | None = None) -> str:
    """The two letters of a state, in capitals; empty stays empty."""
    text = text.strip().upper()
    if text and (len(text) != 2 or not text.isalpha() or not text.isascii()):
        raise Refused("Use the two-letter state.", name)
    return text


def _address(before: str, street: str) -> tuple[Field, ...]:
    return (
        Field(f"{before}street", street, _text(80)),
        Field(f"{before}city", "City", _text(60)),
        Field(f"{before}state", "State", check_state),
        Field(f"{before}zip", "ZIP", check_zip),
    )


SECTIONS: Mapping[str, Section] = {
    section.name: section
    for section in (
        Section(
            "name",
            "Name",
            (
                Field("first", "First name", _name("first name")),
                Field("last", "Last name", _name("last name")),
                Field("used_name", "Name used", _text(60), "what they like to be called"),
                Field("pronouns", "Pronouns", _text(20), "she/her"),
                Field("birth", "Birth date", _birth, "5/3/1984"),
                Field("sex", "Sex on the insurance", _choice(SEXES), "", SEXES),
                Field("alert", "Alert", _text(80), "penicillin allergy"),
            ),
        ),
        Section(
            "reach",
            "Phones and email",
            (
                Field("phone", "Mobile", _phone, "(360) 555-0148"),
                Field("home_phone", "Home", _phone),
                Field("work_phone", "Work", _phone),
                Field("texts_to", "Texts go to", _choice(TEXTS_TO), "", TEXTS_TO),
                Field("email", "Email", check_email, "name@example.org"),
            ),
        ),
        Section("address", "Address", (*_address("", "Street"), *_address("mail_", "Mail goes to"))),
        Section(
            "person",
            "About them",
            (
                Field("language", "Language", _text(30), "English"),
                Field("employer", "Employer", _text(80)),
                Field("emergency_name", "Emergency contact", _text(80), "who to call"),
                Field("emergency_relation", "relationship", _text(30), "sister"),
                Field("emergency_phone", "Phone", _phone),
            ),
        ),
        Section(
            "doctors",
            "Doctors and pharmacy",
            (
                Field("doctor", "Family doctor", _text(80), "Rosa Ibarra, MD"),
                Field("referrer", "Referred by", _text(80)),
                Field("pharmacy", "Pharmacy", _text(80)),
            ),
        ),
    )
}
FIELDS: Mapping[str, Field] = {each.name: each for section in SECTIONS.values() for each in section.fields}


def check_section(section: Section, typed: Mapping[str, str], today: date) -> Json:
    """Every field of the section as it is kept; raises Problems with a message a field."""
    wrong = ProblemCollector()
    values = {
        each.name: wrong.take(each.check, typed.get(each.name, ""), each.name, today)
        for each in section.fields
    }
    if section.name == "reach" and not wrong.problems:
        number = {"phone": "phone", "home": "home_phone", "work": "work_phone"}.get(str(values["texts_to"]))
        if number and not values[number] and any(values[name] for name in PHONES):
            wrong.add("texts_to", f"There is no {PHONES[number]} number to send texts to.")
    wrong.raise_if_any()
    return values


def check_ssn(text: str) -> str:
    """Nine digits of a number that can have been given out (20 CFR 422.103 and the SSA's rules of
    assignment); empty is allowed.
    """
    digits = text.replace("-", "").replace(" ", "")
    if not digits:
        return ""
    if not digits.isdecimal() or not digits.isascii() or len(digits) != 9:
        raise Refused("A Social Security number has nine digits, such as 123-45-6789.", "ssn")
    if digits[:3] in {"000", "666"} or digits[0] == "9" or digits[3:5] == "00" or digits[5:] == "0000":
        raise Refused("That number was never issued. Check the card again.", "ssn")
    return digits


def mask_ssn(digits: str) -> str:
    """'123456789' -> '•••-••-6789'."""
    return f"•••-••-{digits[-4:]}" if digits else ""
