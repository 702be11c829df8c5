"""Fields of the record that a clinic adds for itself: a text, a number, a day, one of several words, or yes
or no.

They stand among the record's own fields in the part of it that the clinic chose, and everything that reads
that list (record, check-in, import and export, forms, merging) has them from there. What is kept is text: a
day as ISO, a number as it counts (2, 2.5), yes or no. Their names begin with `own_` and never change, so that
a list that went out comes back, whatever the field is called by then.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import date, timedelta
from decimal import Decimal
from enum import StrEnum

from zax.core.errors import ProblemCollector, Refused
from zax.core.patients.fields import SECTIONS, Field, Section, check_text
from zax.core.patients.person import read_date
from zax.core.wording import typed_day

OWN = "own_"
LONGEST_NAME, LONGEST_TEXT, LONGEST_WORDS = 40, 200, 40
MOST_CHOICES, MOST_FIELDS = 40, 60
YES_NO = {"yes": "yes", "no": "no"}
_NUMBER = re.compile(r"-?\d{1,9}(\.\d{1,4})?")
_AHEAD = timedelta(days=100 * 365)


class OwnKind(StrEnum):
    TEXT = "text"
    NUMBER = "number"
    DAY = "day"
    CHOICE = "choice"
    YES_NO = "yes_no"


KIND_WORDS = {
    OwnKind.TEXT: "text",
    OwnKind.NUMBER: "number",
    OwnKind.DAY: "date",
    OwnKind.CHOICE: "one of a list",
    OwnKind.YES_NO: "yes or no",
}


class Needed(StrEnum):
    """When it is missing: never, from check-in on, or as soon as somebody is on file."""

    NEVER = ""
    ARRIVAL = "arrival"
    ALWAYS = "always"


NEEDED_WORDS = {
    Needed.NEVER: "never",
    Needed.ARRIVAL: "at check-in",
    Needed.ALWAYS: "always",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnField:
    """`section` is one of SECTIONS, where it stands on the record; with `at_visits` also on the visit and at
    check-in. `choices` belong to a choice.
    """

    id: int
    name: str
    words: str
    kind: OwnKind
    choices: tuple[str, ...] = ()
    section: str = "person"
    needed: Needed = Needed.NEVER
    at_visits: bool = False
    position: int = 1
    active: bool = True

    def as_field(self) -> Field:
        """As one of the record's."""
        options = YES_NO if self.kind is OwnKind.YES_NO else {each: each for each in self.choices}
        return Field(self.name, self.words, _CHECKS[self.kind](options), "", options)

    def shown(self, kept: str) -> str:
        """A kept value as people read it."""
        if self.kind is OwnKind.DAY and kept:
            return typed_day(date.fromisoformat(kept))
        return kept


Check = Callable[[str, str, date], str]


def _text(_: Mapping[str, str]) -> Check:
    return lambda text, name, today: check_text(text, name, LONGEST_TEXT)


def _number(_: Mapping[str, str]) -> Check:
    def check(text: str, name: str, today: date) -> str:
        typed = text.strip().replace(",", "")
        if not typed:
            return ""
        if not _NUMBER.fullmatch(typed) or not typed.isascii():
            raise Refused("This is a number, such as 12 or 12.5.", name)
        return format(Decimal(typed).normalize() + 0, "f")

    return check


def _day(_: Mapping[str, str]) -> Check:
    def check(text: str, name: str, today: date) -> str:
        typed = " ".join(text.lower().replace(",", " ").split())
        if not typed:
            return ""
        found = read_date(typed, today + _AHEAD)
        if found is None:
            raise Refused(f"This is a date, such as {typed_day(today)}.", name)
        return found.isoformat()

    return check


def _choice(options: Mapping[str, str]) -> Check:
    """However it is capitalized: a list from elsewhere says Yes."""
    known = {each.lower(): each for each in options}

    def check(text: str, name: str, today: date) -> str:
        typed = " ".join(text.split())
        if typed and typed.lower() not in known:
            raise Refused(f"Choose one from the list: {', '.join(options)}.", name)
        return known.get(typed.lower(), "")

    return check


_CHECKS: Mapping[OwnKind, Callable[[Mapping[str, str]], Check]] = {
    OwnKind.TEXT: _text,
    OwnKind.NUMBER: _number,
    OwnKind.DAY: _day,
    OwnKind.CHOICE: _choice,
    OwnKind.YES_NO: _choice,
}


def sections_with(own: Iterable[OwnField]) -> Mapping[str, Section]:
    """The record's parts, each with the clinic's own fields that are in use at its end."""
    added: dict[str, list[Field]] = {}
    for each in sorted(own, key=lambda each: each.position):
        if each.active:
            added.setdefault(each.section, []).append(each.as_field())
    return {
        name: replace(section, fields=(*section.fields, *added.get(name, ())))
        for name, section in SECTIONS.items()
    }


def missing(own: Iterable[OwnField], has: Mapping[str, str], arriving: bool) -> list[OwnField]:
    """Those that should be filled in by now and are not; `arriving`: somebody stands at the counter."""
    asked = {Needed.ALWAYS, Needed.ARRIVAL} if arriving else {Needed.ALWAYS}
    return [each for each in own if each.active and each.needed in asked and not has.get(each.name)]


def name_for(words: str, taken: Iterable[str]) -> str:
    """'School (name)' -> 'own_school_name', with a number behind it where that is taken."""
    plain = unicodedata.normalize("NFKD", words.lower()).encode("ascii", "ignore").decode()
    base = OWN + ("_".join(re.findall(r"[a-z0-9]+", plain)) or "field")[: LONGEST_NAME - len(OWN) - 3]
    known, name, number = set(taken), base, 1
    while name in known:
        number += 1
        name = f"{base}_{number}"
    return name


def check_own_field(
    typed: OwnField, choices: str, others: Iterable[OwnField], before: OwnField | None
) -> OwnField:
    """A field as typed, its choices by commas or lines, with its name. Raises Problems beside words, kind,
    choices, section or needed.
    """
    others = list(others)
    words = " ".join(typed.words.split())
    options = tuple(dict.fromkeys(" ".join(each.split()) for each in re.split(r"[,\n]", choices)))
    options = tuple(each for each in options if each) if typed.kind is OwnKind.CHOICE else ()
    with ProblemCollector() as wrong:
        if not 2 <= len(words) <= LONGEST_WORDS:
            wrong.add("words", f"A field is named in 2 to {LONGEST_WORDS} letters, such as “School”.")
        elif any(each.words.lower() == words.lower() for each in others):
            wrong.add("words", f"There’s already a field “{words}”.")
        if before is not None and before.kind is not typed.kind:
            wrong.add("kind", "What was entered stays what it is. Retire this field and add another.")
        if typed.kind is OwnKind.CHOICE and not 2 <= len(options) <= MOST_CHOICES:
            wrong.add("choices", f"A list has 2 to {MOST_CHOICES} answers, with commas between them.")
        elif any(len(each) > LONGEST_WORDS for each in options):
            wrong.add("choices", f"An answer has at most {LONGEST_WORDS} letters.")
        elif len({each.lower() for each in options}) < len(options):
            wrong.add("choices", "Two answers are the same.")
        if typed.section not in SECTIONS:
            wrong.add("section", "Choose one from the list.")
        if before is None and len(others) >= MOST_FIELDS:
            wrong.add("words", f"A clinic has at most {MOST_FIELDS} fields of its own.")
    name = before.name if before else name_for(words, [each.name for each in others])
    return replace(typed, words=words, choices=options, name=name)
