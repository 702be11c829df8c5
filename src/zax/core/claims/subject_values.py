"""Reading and writing a claim's subjects: what was typed goes to its place and is shown again as it was, and
a box left empty takes its value away.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from datetime import date
from typing import Any

from zax.core.claims.boxes import Box, Holds, Subject
from zax.core.claims.carried import Carried, CarriedLine
from zax.core.claims.claim import Claim, Clinician
from zax.core.claims.parts import (
    Accident,
    Amount,
    Attachment,
    Drug,
    Happened,
    OrthodonticPlan,
    Stay,
)
from zax.core.errors import ProblemCollector, Refused
from zax.core.money.cents import parse_amount
from zax.core.patients.person import read_date
from zax.core.reading import day_or_none
from zax.core.wording import typed_day
from zax.core.x12.parties import Address, Organization

# A year of two digits on a bill is of this century.
_CENTURYS_END = date(2099, 12, 31)
# What a person, place or plan is before anything of it is typed.
_EMPTY: Mapping[str, Any] = {
    "referring": Clinician("", "", "", ""),
    "supervising": Clinician("", "", "", ""),
    "assistant": Clinician("", "", "", ""),
    "attending": Clinician("", "", "", ""),
    "operating": Clinician("", "", "", ""),
    "other_operating": Clinician("", "", "", ""),
    "ordering": Clinician("", "", "", ""),
    "accident": Accident(()),
    "facility": Organization(name="", identifier=""),
    "braces": OrthodonticPlan(0, 0),
    "stay": Stay(first=date.min, last=date.min),
    "drug": Drug("", "", ""),
    "attachments": Attachment("", "", ""),
    "address": Address(),
}


def with_stay(subject: Subject, carried: Carried, claim: Claim) -> Carried:
    """A facility's bill has its period from the visit until another is typed: what is asked about the stay
    begins with it.
    """
    about_stay = any(box.path.startswith("stay.") for box in subject.boxes)
    return replace(carried, stay=claim.stay) if about_stay and carried.stay is None else carried


def values(subject: Subject, carried: Carried) -> dict[str, str]:
    """What its boxes hold, as text; empty ones are left out."""
    found = {box.name: _text(box, _get(carried, box.path.split("."))) for box in subject.boxes}
    return {name: text for name, text in found.items() if text}


def summary(subject: Subject, carried: Carried) -> str:
    """What is in use, in one line; empty for a subject that is not."""
    said = values(subject, carried)
    shown = [box.choices.get(said[box.name], said[box.name]) for box in subject.boxes if box.name in said]
    return ", ".join(shown)


def write(subject: Subject, carried: Carried, typed: Mapping[str, str]) -> Carried:
    """The boxes as typed; what was left empty goes. Raises Problems beside the boxes."""
    wrong = ProblemCollector()
    for box in subject.boxes:
        value = wrong.take(_read, box, typed.get(box.name, "").strip())
        if box.name not in wrong.problems:
            carried = _put(carried, box.path.split("."), value)
    wrong.raise_if_any()
    return _tidy(carried)


def _read(box: Box, text: str) -> Any:
    return _READ[box.holds](box, text)


def _read_text(box: Box, text: str) -> str:
    if len(text) > box.longest:
        raise Refused(f"Keep it to {box.longest} characters.", box.name)
    return text


def _read_day(box: Box, text: str) -> date | None:
    found = day_or_none(text)
    if text and found is None:
        raise Refused("This is not a day.", box.name)
    return found


def _read_choice(box: Box, text: str) -> Any:
    if text and text not in box.choices:
        raise Refused("Choose one of the list.", box.name)
    if box.path == "accident.kinds":
        return (text,) if text else ()
    return text


def _read_amount(box: Box, text: str) -> int:
    return parse_amount(text, box.name) if text else 0


def _read_number(box: Box, text: str) -> int:
    if text and not (text.isascii() and text.isdecimal() and int(text) < 10_000):
        raise Refused("A whole number, please.", box.name)
    return int(text or 0)


def _read_list(box: Box, text: str) -> tuple[str, ...]:
    _read_text(box, text)
    return tuple(dict.fromkeys(text.upper().replace(",", " ").split()))


def _read_first(box: Box, text: str) -> bool | None:
    return {"": None, "first": True, "replaces": False}[_read_choice(box, text)]


def _pairs(box: Box, text: str) -> list[tuple[str, str]]:
    """'11 3/14/2026, A3 3/20/2026' as codes and what stands after each."""
    _read_text(box, text)
    found = [each.split() for each in text.upper().replace(";", ",").split(",") if each.strip()]
    if any(len(each) != 2 for each in found):
        raise Refused("A code, a space and what belongs to it, then a comma.", box.name)
    return [(code, said) for code, said in found]


def _read_dated(box: Box, text: str) -> tuple[Happened, ...]:
    found = [(code, said, read_date(said, _CENTURYS_END)) for code, said in _pairs(box, text)]
    wrong = next((said for _, said, day in found if day is None), "")
    if wrong:
        raise Refused(f"“{wrong}” is not a day. Type it as {typed_day(date(2026, 3, 14))}.", box.name)
    return tuple(Happened(code, day) for code, _, day in found if day)


def _read_valued(box: Box, text: str) -> tuple[Amount, ...]:
    return tuple(Amount(code, parse_amount(said, box.name)) for code, said in _pairs(box, text))


_READ: Mapping[Holds, Callable[[Box, str], Any]] = {
    Holds.TEXT: _read_text,
    Holds.DAY: _read_day,
    Holds.CHOICE: _read_choice,
    Holds.AMOUNT: _read_amount,
    Holds.NUMBER: _read_number,
    Holds.LIST: _read_list,
    Holds.DATED: _read_dated,
    Holds.VALUED: _read_valued,
    Holds.FIRST: _read_first,
    Holds.FILE: lambda box, text: int(_read_choice(box, text) or 0),
}


def _text(box: Box, value: Any) -> str:
    if box.holds is Holds.FIRST:
        return {True: "first", False: "replaces"}.get(value, "")
    if value in (None, "", (), 0, date.min):
        return ""
    if isinstance(value, date):
        return value.isoformat()
    if box.holds is Holds.DATED:
        return ", ".join(f"{each.code} {typed_day(each.day)}" for each in value)
    if box.holds is Holds.VALUED:
        return ", ".join(f"{each.code} {_amount(each.cents)}" for each in value)
    if isinstance(value, tuple):
        return " ".join(value)
    return _amount(value) if box.holds is Holds.AMOUNT else str(value)


def _amount(cents: int) -> str:
    return f"{cents // 100}.{cents % 100:02}"


def _get(owner: Any, path: Sequence[str]) -> Any:
    """The value at a path; None where the way ends."""
    for part in path:
        if isinstance(owner, Mapping):
            owner = owner.get(part)
        elif isinstance(owner, tuple):
            owner = owner[int(part)] if int(part) < len(owner) else None
        else:
            owner = getattr(owner, part) if owner is not None else None
    return owner


def _put(owner: Any, path: Sequence[str], value: Any) -> Any:
    """A copy with the value at the path; what is missing on the way is made, empty."""
    part, rest = path[0], path[1:]
    if not rest:
        return replace(owner, **{part: value})
    inner = getattr(owner, part)
    if part == "lines":
        number, *more = rest
        return replace(owner, lines={**inner, number: _put(inner.get(number, CarriedLine()), more, value)})
    if part == "attachments":
        at, *more = rest
        papers = [*inner, *[_EMPTY[part]] * (int(at) + 1 - len(inner))]
        papers[int(at)] = _put(papers[int(at)], more, value)
        return replace(owner, attachments=tuple(papers))
    if part == "files":
        files = [*inner, *[0] * (int(rest[0]) + 1 - len(inner))]
        files[int(rest[0])] = value
        return replace(owner, files=tuple(files))
    return replace(owner, **{part: _put(inner if inner is not None else _EMPTY[part], rest, value)})


def _tidy(carried: Carried) -> Carried:
    """What was emptied whole is not there; a stay needs both its days."""
    gone: dict[str, Any] = {
        name: None for name in _EMPTY if name in _TOP and getattr(carried, name) == _EMPTY[name]
    }
    carried = replace(
        carried,
        **gone,
        attachments=tuple(paper for paper in carried.attachments if paper != _EMPTY["attachments"]),
        files=_tidy_files(carried),
        lines={
            number: tidied
            for number, line in carried.lines.items()
            if (tidied := _tidy_line(line)) != CarriedLine()
        },
    )
    stay = carried.stay
    if stay is not None and date.min in {stay.first, stay.last, None}:
        raise Refused("A bill needs its first and last day.", "stay-first")
    return carried


_TOP = frozenset(
    {
        "referring",
        "supervising",
        "assistant",
        "attending",
        "operating",
        "other_operating",
        "accident",
        "facility",
        "braces",
        "stay",
    }
)


def _tidy_files(carried: Carried) -> tuple[int, ...]:
    """A file goes with its attachment. Refused beside the box of one that is not said to be anything."""
    papers = [*carried.attachments, *[_EMPTY["attachments"]] * len(carried.files)]
    for at, file in enumerate(carried.files):
        if file and papers[at] == _EMPTY["attachments"]:
            raise Refused("Say what it is.", f"attachments-{at}-kind")
    pairs = zip(papers, carried.files, strict=False)
    kept = tuple(file for paper, file in pairs if paper != _EMPTY["attachments"])
    return kept if any(kept) else ()


def _tidy_line(line: CarriedLine) -> CarriedLine:
    gone: dict[str, Any] = {
        name: None for name in ("drug", "ordering", "assistant") if getattr(line, name) == _EMPTY[name]
    }
    return replace(line, **gone)
