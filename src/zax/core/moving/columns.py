"""Which column of a table from elsewhere is which field of ours, and what a row says in our fields."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta

from rapidfuzz import fuzz

from zax.core.errors import Refused, ZaxError
from zax.core.patients.person import read_date
from zax.core.table import plain_cell
from zax.core.wording import typed_day

LIKE_ENOUGH = 80
LONGEST_WHY = 255
# A year of two digits is at most so far ahead.
AHEAD = timedelta(days=5 * 365)


@dataclass(frozen=True, slots=True)
class ColumnSet:
    """The fields of one kind of list: `words` name them in the order in which they are offered, `others` are
    further headings by which they are known (lower case, '|' between), `needed` cannot be left out.
    """

    words: Mapping[str, str]
    others: Mapping[str, str] = field(default_factory=dict)
    needed: tuple[str, ...] = ()

    def missing(self, columns: Mapping[str, int]) -> list[str]:
        """The words of what is needed and not among the columns."""
        return [self.words[name] for name in self.needed if name not in columns]

    def guess(self, heading: Sequence[str]) -> dict[str, int]:
        """Which field each column is, by the likeness of its heading to the field's name, words and usual
        other names; the best guess once a field.
        """
        scored = sorted(
            (
                (self._likeness(title, name), -place, name)
                for place, title in enumerate(heading)
                for name in self.words
            ),
            reverse=True,
        )
        found: dict[str, int] = {}
        for likeness, place, name in scored:
            if likeness >= LIKE_ENOUGH and name not in found and -place not in found.values():
                found[name] = -place
        return found

    def _likeness(self, title: str, name: str) -> float:
        typed = " ".join(title.lower().replace("_", " ").replace("-", " ").split())
        known = [name.replace("_", " "), self.words[name].lower(), *self.others.get(name, "").split("|")]
        return max(fuzz.ratio(typed, each) for each in known if each)

    def why(self, error: ZaxError) -> str:
        """All reasons of a row in one line."""
        return " ".join(
            f"{self.words.get(name, name)}: {message}" if name else message
            for name, message in error.problems.items()
        )[:LONGEST_WHY]


def cells_by_name(cells: Sequence[str], columns: Mapping[str, int]) -> dict[str, str]:
    """A row by field; empty where it ends too soon."""
    return {
        name: plain_cell(cells[place].strip()) if place < len(cells) else ""
        for name, place in columns.items()
    }


def listed_day(text: str, field_name: str, today: date) -> date:
    """A day as lists write it, past or to come; Refused for what is none."""
    found = read_date(" ".join(text.lower().replace(",", " ").split()), today + AHEAD)
    if found is None:
        raise Refused(f"“{text[:20]}” isn’t a day. Write it like {typed_day(today)}.", field_name)
    return found
