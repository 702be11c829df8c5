"""What was in a mouth before us: work that is on the chart and was never charged, most of it done elsewhere.

It is told by tooth, with as much of the day as the patient remembers. Where a rule needs a day and only a
year is known, the one counts that lets a plan pay less, so that nobody is promised what may not come: a
crown of 2019 counts as placed on its last day, a tooth lost in 2019 as lost on its first.

Which work a service code is follows the CDT's own ranges, so that ours and theirs are drawn and counted
alike.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from enum import StrEnum

from zax.core.charges.teeth import TEETH, Numbering, show_tooth
from zax.core.errors import Refused
from zax.core.wording import day_words, month_words


class Work(StrEnum):
    MISSING = "missing"
    CROWN = "crown"
    FILLING = "filling"
    ROOT_CANAL = "root_canal"
    IMPLANT = "implant"
    BRIDGE = "bridge"
    EXTRACT = "extract"  # asked for, not done yet
    KEPT = "kept"  # a primary tooth that never fell out
    EXTRA = "extra"  # a supernumerary tooth


WORK_WORDS: Mapping[Work, str] = {
    Work.MISSING: "missing",
    Work.CROWN: "crown",
    Work.FILLING: "filling",
    Work.ROOT_CANAL: "root canal",
    Work.IMPLANT: "implant",
    Work.BRIDGE: "bridge",
    Work.EXTRACT: "to be extracted",
    Work.KEPT: "baby tooth kept",
    Work.EXTRA: "extra tooth",
}
# First and last code of what is that work (CDT, by section).
_CODES: tuple[tuple[str, str, Work], ...] = (
    ("D2140", "D2664", Work.FILLING),
    ("D2710", "D2799", Work.CROWN),
    ("D2928", "D2934", Work.CROWN),
    ("D3310", "D3348", Work.ROOT_CANAL),
    ("D6010", "D6050", Work.IMPLANT),
    ("D6058", "D6067", Work.CROWN),
    ("D6205", "D6253", Work.BRIDGE),
    ("D6545", "D6794", Work.BRIDGE),
    ("D7111", "D7250", Work.MISSING),
)


def work_of(code: str) -> Work | None:
    """The work that a service code is: 'D2740' -> crown; None for what leaves no mark on a tooth."""
    return next((work for first, last, work in _CODES if first <= code <= last), None)


class Known(StrEnum):
    """How well a day is known."""

    DAY = "day"
    MONTH = "month"
    YEAR = "year"
    ABOUT = "about"  # a year, give or take one
    BEFORE = "before"  # before that year began
    UNKNOWN = ""


@dataclass(frozen=True, slots=True)
class When:
    """`day` is the first day of the month or year that is known; None for unknown."""

    day: date | None = None
    known: Known = Known.UNKNOWN

    @property
    def first(self) -> date | None:
        """The earliest day it can have been; None where nothing says so."""
        if self.day is None or self.known == Known.BEFORE:
            return None
        return date(self.day.year - 1, 1, 1) if self.known == Known.ABOUT else self.day

    @property
    def last(self) -> date | None:
        """The latest day it can have been; None for unknown."""
        day = self.day
        if day is None or self.known == Known.DAY:
            return day
        after = {
            Known.MONTH: date(day.year + day.month // 12, day.month % 12 + 1, 1),
            Known.YEAR: date(day.year + 1, 1, 1),
            Known.ABOUT: date(day.year + 2, 1, 1),
        }.get(self.known, date(day.year, 1, 1))
        return date.fromordinal(after.toordinal() - 1)

    @property
    def words(self) -> str:
        """'Mar 4, 2019', 'March 2019', '2019', 'about 2019', 'before 2000', 'unknown'."""
        if self.day is None:
            return "unknown"
        if self.known == Known.DAY:
            return day_words(self.day, year=True)
        if self.known == Known.MONTH:
            return month_words(self.day, full=True)
        return (
            f"{self.known} {self.day.year}"
            if self.known in {Known.ABOUT, Known.BEFORE}
            else f"{self.day.year}"
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class ToothWork:
    """One work on one tooth or several; universal numbers in the arch's order. Of a bridge `replaced` are the
    teeth that are missing under it. `here` is work of ours from before this record began.
    """

    teeth: tuple[str, ...]
    work: Work
    surfaces: str = ""
    when: When = When()
    here: bool = False
    replaced: tuple[str, ...] = ()

    @property
    def lost(self) -> tuple[str, ...]:
        """The natural teeth that are gone with it."""
        return self.teeth if self.work in {Work.MISSING, Work.IMPLANT} else self.replaced


def lost_teeth(history: Iterable[ToothWork]) -> dict[str, date | None]:
    """The teeth that are gone, and the earliest day they can have gone; None where nobody knows. An implant
    or a bridge says only that the tooth was lost before it. The order of what was entered changes nothing.
    """
    found: dict[str, date | None] = {}
    for each in history:
        told = each.when.first if each.work == Work.MISSING else None
        for tooth in each.lost:
            days = [day for day in (found.get(tooth), told) if day is not None]
            found[tooth] = min(days, default=None)
    return found


def check_against(
    new: ToothWork, chart: Iterable[ToothWork], gone_here: Iterable[str], numbering: Numbering
) -> None:
    """Refuses what cannot be so beside what is on the chart: the same again, or work on a tooth that is gone.
    `gone_here` are teeth we took out.
    """
    there = list(chart)
    for old in there:
        same = set(old.teeth) & set(new.teeth) if old.work == new.work else set()
        once = new.work in {Work.MISSING, Work.IMPLANT, Work.EXTRACT, Work.KEPT, Work.EXTRA}
        if same and (once or (old.surfaces, old.when) == (new.surfaces, new.when)):
            raise Refused(
                f"Tooth {show_tooth(min(same, key=list(TEETH).index), numbering)} already has this on the"
                f" chart: {WORK_WORDS[old.work]}, {old.when.words}.",
                "line",
            )
    if new.work in {Work.MISSING, Work.IMPLANT, Work.BRIDGE}:
        return
    gone = set(lost_teeth(there)) | set(gone_here)
    implants = {tooth for old in there if old.work == Work.IMPLANT for tooth in old.teeth}
    if new.work == Work.CROWN:
        gone -= implants
    for tooth in new.teeth:
        if tooth in gone:
            raise Refused(
                f"Tooth {show_tooth(tooth, numbering)} is missing on the chart. Remove that first, or write"
                " an implant or a bridge.",
                "line",
            )
