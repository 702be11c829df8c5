"""What somebody types to find a patient, understood: words of a name, digits of a phone or a number, a birth
date, a member id; and a name with something that tells two of that name apart.

One text can be several of these at once ("050384" is a birth date and may begin a phone number); everything
it can be is looked for. Beside a name a number only narrows: "vasquez 1992" is a Vasquez born that year, or
one whose phone or member id has 1992 at its end, never somebody of another name.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from datetime import date

from rapidfuzz import fuzz

from zax.core.coverage.member import member_key
from zax.core.patients.nicknames import stands_for
from zax.core.patients.person import full_year, read_date, search_key

MOST_WORDS = 4
SHORTEST_MEMBER = 6  # so many digits may be a member id


@dataclass(frozen=True, slots=True, kw_only=True)
class Clue:
    """What stands beside a name, as all it may mean: the whole birth date, its year or its month and day,
    digits of a phone or a number, the end of a member id (a member key).
    """

    birth: date | None = None
    year: int = 0
    month_day: tuple[int, int] | None = None
    digits: str = ""
    member: str = ""


@dataclass(frozen=True, slots=True)
class Query:
    """`digits` of a phone or a number, `words` of a name (as keys), `birth`, `member` (a member key); empty
    parts are not asked for. `clue` narrows the words.
    """

    digits: str = ""
    words: tuple[str, ...] = ()
    birth: date | None = None
    member: str = ""
    clue: Clue | None = None

    @property
    def also(self) -> tuple[Query, ...]:
        """The same question with a short name written out: 'bob hale' may be a Robert."""
        return tuple(
            replace(self, words=(*self.words[:at], formal, *self.words[at + 1 :]))
            for at, word in enumerate(self.words)
            for formal in sorted(stands_for(word))
        )

    @property
    def empty(self) -> bool:
        return not (self.digits or self.words or self.birth or self.member)


def parse_query(text: str, today: date) -> Query:
    """'vas hel' -> words; '555 01' -> digits; '5/3/84' -> birth; 'HG-441' -> member; 'vas 1984' -> words and
    a clue. Fewer than two signs is not yet a question.
    """
    typed = search_key(text)[:80].removeprefix("tel:")
    birth = _birth(" ".join(typed.replace(",", " ").split()), today)
    digits = _digits(typed)
    if _is_digits(digits):
        if len(digits) < 3:
            return Query(birth=birth)
        national = digits[1:] if len(digits) == 11 and digits[0] == "1" else digits
        return Query(digits=national, birth=birth, member=digits if len(digits) >= SHORTEST_MEMBER else "")
    if birth is not None:
        return Query(birth=birth)
    words = tuple(word for word in re.split(r"[\s,]+", typed) if word)
    name, clue = _apart(words, today)
    if clue is not None and max(map(len, name)) >= 2:
        return Query(words=name[:MOST_WORDS], clue=clue)
    number = member_key(typed)
    if len(number) >= 4 and any(ch.isdecimal() for ch in number) and len(words) == 1:
        return Query(member=number)
    return Query(words=words[:MOST_WORDS]) if sum(map(len, words)) >= 2 else Query()


def _birth(typed: str, today: date) -> date | None:
    """A date on which a patient can have been born; None for any other text."""
    birth = read_date(typed, today)
    return birth if birth is not None and today.year - 125 <= birth.year and birth <= today else None


def _digits(typed: str) -> str:
    return re.sub(r"[\s().+/-]", "", typed)


def _is_digits(text: str) -> bool:
    return text.isascii() and text.isdecimal()


def _apart(words: tuple[str, ...], today: date) -> tuple[tuple[str, ...], Clue | None]:
    """The name, and the clue before or after it; a date may have its month as a word."""
    for size in range(len(words) - 1, 0, -1):
        for name, rest in ((words[size:], words[:size]), (words[:-size], words[-size:])):
            birth = _birth(" ".join(rest), today)
            if birth is not None and not any(map(_has_digit, name)):
                return name, Clue(birth=birth)
    name = tuple(word for word in words if not _has_digit(word))
    rest = tuple(word for word in words if _has_digit(word))
    return (name, _clue(rest, today)) if name and rest else (words, None)


def _has_digit(word: str) -> bool:
    return any(ch.isdecimal() for ch in word)


def _clue(rest: tuple[str, ...], today: date) -> Clue | None:
    """All that the words with digits may mean; None when they are too little to tell."""
    typed, digits = " ".join(rest), _digits("".join(rest))
    found = re.fullmatch(r"(\d{1,2})[/-](\d{1,2})", typed, re.ASCII)
    if found and 1 <= int(found[1]) <= 12 and 1 <= int(found[2]) <= 31:
        return Clue(month_day=(int(found[1]), int(found[2])))
    if not _is_digits(digits):
        member = member_key(typed)
        return Clue(member=member) if len(member) >= 3 else None
    year = int(digits) if len(digits) == 4 else full_year(digits, today) if len(digits) == 2 else 0
    year = year if today.year - 125 <= year <= today.year else 0
    tail = digits if len(digits) >= 3 else ""
    return Clue(year=year, digits=tail, member=tail) if year or tail else None


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
    """Whether a patient answers the query exactly; for those seen a moment ago, who come first."""
    if query.birth and row.birth == query.birth:
        return True
    if query.digits:
        return _has_digits(query.digits, row)
    return named(query, row) and (query.clue is None or told_apart(query.clue, row))


def _has_digits(digits: str, row: FoundPatient) -> bool:
    """Whether they are the number of the record, or begin or end a phone or one of its groups."""
    phones = [phone for phone in (row.phone, row.home_phone, row.work_phone) if phone]
    return digits in {str(row.id), row.chart} or any(
        phone.endswith(digits) or any(phone[at:].startswith(digits) for at in (0, 3, 6)) for phone in phones
    )


def named(query: Query, row: FoundPatient) -> bool:
    """Whether the words begin the patient's names, in any order; or are one name written apart."""
    names = _names(row)
    if not query.words:
        return False
    together = "".join(query.words)
    return all(any(name.startswith(word) for name in names) for word in query.words) or any(
        name.startswith(together) for name in names
    )


def _names(row: FoundPatient) -> list[str]:
    """Every part of the patient's names, the one they like among them."""
    used = search_key(row.used_name) if row.used_name else ""
    return re.split(r"[\s-]+", f"{row.first_key} {row.last_key} {used}".rstrip())


def called_so(query: Query, row: FoundPatient) -> bool:
    """Whether every word is a whole name of the patient's, the one they like, or a short form of one: who
    types 'bob' means a Bob or a Robert before a Bobbi.
    """
    names = set(_names(row))
    return bool(query.words) and all(word in names or stands_for(word) & names for word in query.words)


def told_apart(clue: Clue, row: FoundPatient) -> bool:
    """Whether the clue is of this patient, as far as their own row says; a member id stands elsewhere."""
    born = row.birth
    return bool(
        (clue.birth and born == clue.birth)
        or (clue.year and born and born.year == clue.year)
        or (clue.month_day and born and (born.month, born.day) == clue.month_day)
        or (clue.digits and _has_digits(clue.digits, row))
    )


def nearness(query: Query, row: FoundPatient) -> float:
    """How like a row's name is to the words, 0 to 100, whatever their order; for typing mistakes."""
    typed = " ".join(query.words)
    return max(
        fuzz.ratio(typed, f"{row.first_key} {row.last_key}"),
        fuzz.ratio(typed, f"{row.last_key} {row.first_key}"),
        *(fuzz.ratio(typed, name) for name in (row.last_key, row.first_key) if len(query.words) == 1),
    )
