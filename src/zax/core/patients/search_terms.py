"""What somebody types to find a patient, understood: words of a name, digits of a phone or a number, a birth
date, a member id.

One text can be several of these at once ("050384" is a birth date and may begin a phone number); everything
it can be is looked for.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date

from rapidfuzz import fuzz

from zax.core.coverage.member import member_key
from zax.core.patients.person import read_date, search_key

MOST_WORDS = 4


@dataclass(frozen=True, slots=True)
class Query:
    """`digits` of a phone or a number, `words` of a name (as keys), `birth`, `member` (a member key); empty
    parts are not asked for.
    """

    digits: str = ""
    words: tuple[str, ...] = ()
    birth: date | None = None
    member: str = ""

    @property
    def empty(self) -> bool:
        return not (self.digits or self.words or self.birth or self.member)


def parse_query(text: str, today: date) -> Query:
    """'vas hel' -> words; '555 01' -> digits; '5/3/84' -> birth; 'HG-441' -> member. Fewer than two signs is
    not yet a question.
    """
    typed = search_key(text)[:80]
    birth = read_date(" ".join(typed.replace(",", " ").split()), today)
    if birth is not None and (birth > today or birth.year < today.year - 125):
        birth = None
    digits = re.sub(r"[\s().+/-]", "", typed)
    if digits.isdecimal():
        return Query(digits=digits, birth=birth) if len(digits) >= 3 else Query(birth=birth)
    if birth is not None:
        return Query(birth=birth)
    number = member_key(typed)
    member = (
        number
        if len(number) >= 4 and any(ch.isdecimal() for ch in number) and " " not in typed.strip()
        else ""
    )
    if member:
        return Query(member=member)
    words = tuple(word for word in re.split(r"[\s,]+", typed) if word)[:MOST_WORDS]
    return Query(words=words) if sum(map(len, words)) >= 2 else Query()


@dataclass(frozen=True, slots=True, kw_only=True)
class FoundPatient:
    """What a patient is found by, and what the list of those found shows."""

    id: int
    first: str
    last: str
    birth: date | None
    phone: str
    household_id: int
    alert: str
    status: str
    first_key: str
    last_key: str
    used_name: str
    home_phone: str
    work_phone: str
    chart: str | None


def matches(query: Query, row: FoundPatient) -> bool:
    """Whether a patient answers the query exactly; for those seen a moment ago,
    who come first.
    """
    if query.birth and row.birth == query.birth:
        return True
    if query.digits:
        phones = (row.phone, row.home_phone, row.work_phone)
        return str(row.id) == query.digits or any(
            p[at:].startswith(query.digits) for p in phones if p for at in (0, 3, 6)
        )
    names = [*re.split(r"[\s-]+", f"{row.first_key} {row.last_key} {search_key(row.used_name)}")]
    return bool(query.words) and all(any(name.startswith(word) for name in names) for word in query.words)


def nearness(query: Query, row: FoundPatient) -> float:
    """How like a row's name is to the words, 0 to 100, whatever their order; for typing mistakes."""
    typed = " ".join(query.words)
    return max(
        fuzz.ratio(typed, f"{row.first_key} {row.last_key}"),
        fuzz.ratio(typed, f"{row.last_key} {row.first_key}"),
        *(fuzz.ratio(typed, name) for name in (row.last_key, row.first_key) if len(query.words) == 1),
    )
