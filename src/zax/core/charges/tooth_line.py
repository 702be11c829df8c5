"""Earlier work as it is said in one line: teeth, what, and when if somebody knows: "30 crown 2019",
"1 16 17 32 missing before 2000", "18 to 20 bridge", "8 r c 2011" (root canal and crown), "A k".

A word or its first letter names the work. Beside a filling the letters are surfaces, and surfaces alone are a
filling. What cannot be read is refused with the part that is meant, so that nothing that was typed is dropped
unseen.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from datetime import date

from zax.core.charges.teeth import SURFACE_ORDER, TEETH, Numbering, read_tooth, show_tooth
from zax.core.charges.tooth_history import Known, ToothWork, When, Work
from zax.core.errors import Refused
from zax.core.reading import FIRST_YEAR, month_number
from zax.core.wording import style, typed_day

FIELD = "line"
EXAMPLE = "Write teeth, what, and the year if you know it, such as “30 crown 2019”."
LETTERS: Mapping[str, Work] = {
    "m": Work.MISSING,
    "c": Work.CROWN,
    "f": Work.FILLING,
    "r": Work.ROOT_CANAL,
    "i": Work.IMPLANT,
    "b": Work.BRIDGE,
    "x": Work.EXTRACT,
    "k": Work.KEPT,
    "e": Work.EXTRA,
}
_NAMES: Mapping[str, Work] = {
    **dict.fromkeys(("missing", "gone", "lost", "extracted", "pulled", "absent"), Work.MISSING),
    **dict.fromkeys(("crown", "crowns", "cap"), Work.CROWN),
    **dict.fromkeys(("filling", "fillings", "fill", "composite", "comp", "amalgam"), Work.FILLING),
    **dict.fromkeys(("rct", "endo", "root-canal"), Work.ROOT_CANAL),
    **dict.fromkeys(("implant", "implants"), Work.IMPLANT),
    **dict.fromkeys(("bridge", "bridges"), Work.BRIDGE),
    **dict.fromkeys(("extract", "to-extract"), Work.EXTRACT),
    **dict.fromkeys(("kept", "retained"), Work.KEPT),
    **dict.fromkeys(("extra", "supernumerary"), Work.EXTRA),
}
# Several words that are one, before the line is taken apart.
_PHRASES = (
    (r"\bto be (?:extracted|pulled|taken out)\b|\bneeds? (?:an )?ext(?:raction)?\b", "to-extract"),
    (r"\broot canals?\b", "root-canal"),
    (r"\b(?:baby|primary) (?:tooth|teeth) kept\b", "kept"),
    (r"\bwisdom teeth\b", "1 16 17 32"),
    (r"\bdone (here|elsewhere)\b", r"\1"),
    (r"\s*(?:-|–|\bto\b|\bthrough\b)\s*(?=\d{1,2}S?\b|[A-T]S?\b)", "-"),
    (r"#|\b(?:tooth|teeth|and|in|on|year|work)\b", " "),
)
_ALIAS = {"O": "I", "I": "O", "B": "F", "F": "B"}
_BEFORE_WORDS = {"about": Known.ABOUT, "around": Known.ABOUT, "circa": Known.ABOUT, "before": Known.BEFORE}
_YEAR = r"(?P<year>(?:19|20)\d\d)"
_WHENS = (
    re.compile(rf"(?P<how>about|around|circa|before) *{_YEAR}"),
    re.compile(rf"(?P<word>[a-z]{{3,9}})\.? (?:(?P<day>\d{{1,2}})(?:st|nd|rd|th)?,? )?{_YEAR}"),
    re.compile(rf"(?P<one>\d{{1,2}})/(?P<two>\d{{1,2}})/{_YEAR}"),
    re.compile(rf"(?P<month>\d{{1,2}})/{_YEAR}"),
    re.compile(_YEAR),
)


def read_line(text: str, numbering: Numbering, today: date, missing: Collection[str] = ()) -> list[ToothWork]:
    """The works that a line says. `missing` are the teeth that are gone already, which a bridge may replace.
    Raises Refused with field "line".
    """
    rest, when = _take_when(text.strip(), today)
    for pattern, plain in _PHRASES:
        rest = re.sub(pattern, plain, rest, flags=re.IGNORECASE)
    tokens = [each for each in re.split(r"[\s,;+]+", rest) if each]
    here = any(each.lower() == "here" for each in tokens)
    tokens = [each for each in tokens if each.lower() not in {"here", "elsewhere"}]
    teeth, said = _take_teeth(tokens, numbering)
    if not teeth:
        raise Refused(f"Which tooth? {EXAMPLE}", FIELD)
    works, surfaces = _take_works(said)
    if not works:
        raise Refused(f"What is with tooth {tokens[0].lstrip('#')}? {EXAMPLE}", FIELD)
    return [
        _checked(work, teeth, surfaces if work == Work.FILLING else "", when, here, missing, numbering)
        for work in works
    ]


def write_line(told: ToothWork, numbering: Numbering) -> str:
    """The line that says this work again, to be changed: `read_line` understands it."""
    name = {work: letter for letter, work in LETTERS.items()}[told.work]
    word = {Work.EXTRACT: name, Work.KEPT: "kept", Work.EXTRA: "extra", Work.ROOT_CANAL: "root canal"}.get(
        told.work, told.work.value
    )
    teeth = " ".join(show_tooth(each, numbering) for each in told.teeth)
    when = told.when
    said = "" if when.day is None else typed_day(when.day) if when.known == Known.DAY else when.words
    return " ".join(
        part for part in (teeth, told.surfaces.lower(), word, said, "here" if told.here else "") if part
    )


def _take_when(text: str, today: date) -> tuple[str, When]:
    """What is left without the day, and the day; it may stand anywhere after the teeth."""
    plain = re.sub(
        r"~ *", "about ", re.sub(r"\b(?:unknown|year unknown)\b|\?", " ", text, flags=re.IGNORECASE)
    )
    for pattern in _WHENS:
        found = re.search(rf"(?<![\w/]){pattern.pattern}(?![\w/])", plain, re.IGNORECASE)
        if found and (made := _when(found.groupdict())):
            day = made.day
            assert day is not None
            if day > today:
                raise Refused("That day is still ahead. Earlier work has a day in the past.", FIELD)
            return f"{plain[: found.start()]} {plain[found.end() :]}", made
    lone = re.search(r"(?<![\w/])\d{3,}(?!\w)", plain)
    if lone:
        raise Refused(f"“{lone[0][:8]}” is no year from {FIRST_YEAR} on. {EXAMPLE}", FIELD)
    return plain, When()


def _when(said: Mapping[str, str | None]) -> When | None:
    """None for what only looks like a day: "crown 2019" is no month."""
    year = int(said["year"] or 0)
    if how := said.get("how"):
        return When(date(year, 1, 1), _BEFORE_WORDS[how.lower()])
    if word := said.get("word"):
        month = month_number(word.lower())
        if not month:
            return None
        return _dated(year, month, said.get("day"))
    one, two = int(said.get("one") or 0), int(said.get("two") or 0)
    if one:
        return _dated(year, *((two, str(one)) if style().day_first else (one, str(two))))
    if month := int(said.get("month") or 0):
        return _dated(year, month, None)
    return When(date(year, 1, 1), Known.YEAR)


def _dated(year: int, month: int, day: str | None) -> When:
    try:
        made = date(year, month, int(day or 1))
    except ValueError as error:
        raise Refused("There is no such day. Write it like 5/14/2019, or only the year.", FIELD) from error
    return When(made, Known.DAY if day else Known.MONTH)


def _take_teeth(tokens: Sequence[str], numbering: Numbering) -> tuple[tuple[str, ...], list[str]]:
    """The teeth a line begins with, and what follows them. Letters are teeth when the line begins with one
    and they are written large: a small letter names the work.
    """
    found: list[str] = []
    for at, token in enumerate(tokens):
        letter = token[:1].isalpha()
        if letter and at and not (tokens[0][:1].isalpha() and token.isupper() and at < len(tokens) - 1):
            return _in_order(found), list(tokens[at:])
        span = _span(token, numbering)
        if not span and not letter:
            raise Refused(f"There is no tooth “{token[:8]}”. {EXAMPLE}", FIELD)
        if not span:
            return _in_order(found), list(tokens[at:])
        found += span
    return _in_order(found), []


def _span(token: str, numbering: Numbering) -> list[str]:
    """'18-20' -> 18, 19, 20; both ends in one arch. '30' -> 30; nothing for what is no tooth."""
    first, dash, last = token.partition("-")
    ends = [read_tooth(each, numbering) for each in ((first, last) if dash else (first,))]
    if any(end not in TEETH for end in ends):
        return []
    if not dash:
        return ends
    one, two = (TEETH[end] for end in ends)
    row = [
        tooth.number
        for tooth in TEETH.values()
        if (tooth.upper, tooth.primary, tooth.extra) == (one.upper, one.primary, one.extra)
    ]
    if two.number not in row:
        raise Refused(f"{first} and {last} aren’t in one arch. Name the teeth one by one.", FIELD)
    low, high = sorted((row.index(one.number), row.index(two.number)))
    return row[low : high + 1]


def _in_order(teeth: Sequence[str]) -> tuple[str, ...]:
    return tuple(each for each in TEETH if each in set(teeth))


def _take_works(said: Sequence[str]) -> tuple[list[Work], str]:
    """The works and the surfaces. With a filling in the line, letters of surfaces are surfaces: its word
    stands as the first word for it, or as the last f.
    """
    words = [each.lower() for each in said]
    named = [at for at, word in enumerate(words) if _NAMES.get(word) == Work.FILLING]
    letters = [at for at, word in enumerate(words) if word == "f"]
    lone = not named and not letters and any(len(word) > 1 and _are_surfaces(word) for word in words)
    filling = named[0] if named else letters[-1] if letters else -1
    works: list[Work] = [Work.FILLING] if lone else []
    surfaces = ""
    for at, word in enumerate(words):
        work = _NAMES.get(word) or (LETTERS.get(word) if len(word) == 1 else None)
        if at == filling:
            works.append(Work.FILLING)
        elif (filling >= 0 or lone) and _are_surfaces(word) and word not in _NAMES:
            surfaces += word.upper()
        elif work:
            works.append(work)
        else:
            raise Refused(f"“{said[at][:20]}” can’t be read here. {EXAMPLE}", FIELD)
    if len(set(surfaces)) != len(surfaces):
        raise Refused(f"A surface stands twice in {surfaces[:10]}.", FIELD)
    return list(dict.fromkeys(works)), surfaces


def _are_surfaces(word: str) -> bool:
    return 0 < len(word) <= 5 and set(word.upper()) <= set(SURFACE_ORDER) and len(set(word)) == len(word)


def _checked(
    work: Work,
    teeth: tuple[str, ...],
    surfaces: str,
    when: When,
    here: bool,
    missing: Collection[str],
    numbering: Numbering,
) -> ToothWork:
    for number in teeth:
        tooth = TEETH[number]
        name = show_tooth(number, numbering)
        if work == Work.KEPT and not (tooth.primary and not tooth.extra):
            raise Refused(f"Tooth {name} is no baby tooth. Those are {_babies(numbering)}.", FIELD)
        if work == Work.EXTRA and not tooth.extra:
            beside = next(each.number for each in TEETH.values() if each.extra and each.neighbor == number)
            raise Refused(
                f"Tooth {name} is a regular one. The extra tooth beside it is"
                f" {show_tooth(beside, numbering)}.",
                FIELD,
            )
        if work in {Work.IMPLANT, Work.BRIDGE} and (tooth.primary or tooth.extra):
            raise Refused(f"Tooth {name} can’t have that. Choose a permanent tooth.", FIELD)
    fitting = {_fitting(surfaces, number) for number in teeth}
    if len(fitting) > 1:
        raise Refused("Front and back teeth have other surfaces. Write them in two lines.", FIELD)
    replaced = _replaced(teeth, missing, numbering) if work == Work.BRIDGE else ()
    return ToothWork(teeth=teeth, work=work, surfaces=fitting.pop(), when=when, here=here, replaced=replaced)


def _babies(numbering: Numbering) -> str:
    return "51 to 85" if numbering == Numbering.FDI else "A to T"


def _fitting(surfaces: str, number: str) -> str:
    """The surfaces in writing order, by the names this tooth has for them: an edge for a biting face."""
    has = TEETH[number].surfaces
    letters = {each if each in has else _ALIAS[each] for each in surfaces}
    return "".join(each for each in SURFACE_ORDER if each in letters)


def _replaced(teeth: tuple[str, ...], missing: Collection[str], numbering: Numbering) -> tuple[str, ...]:
    """The teeth a bridge replaces: those in its span that are gone already, or else all but its two ends."""
    row = [tooth.number for tooth in TEETH.values() if not (tooth.primary or tooth.extra)]
    whole = tuple(row[row.index(teeth[0]) : row.index(teeth[-1]) + 1])
    if whole != teeth:
        names = f"{show_tooth(teeth[0], numbering)} to {show_tooth(teeth[-1], numbering)}"
        raise Refused(f"Name a bridge from its first tooth to its last: {names} bridge.", FIELD)
    gone = tuple(each for each in teeth if each in missing)
    replaced = gone or teeth[1:-1]
    if not replaced or len(replaced) == len(teeth):
        raise Refused(
            "A bridge needs a tooth that holds it and one it replaces. Name all of them, such as “18 to 20"
            " bridge”, or enter the missing tooth first.",
            FIELD,
        )
    return replaced
