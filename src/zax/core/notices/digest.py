"""A provider's day in a mail: when, how long, where it stands. A mail passes many hands, so it says initials
and nothing of what is done, unless the clinic allows names.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.notices.originals import Words
from zax.core.wording import clock_words, weekday_day


@dataclass(frozen=True, slots=True, kw_only=True)
class DigestVisit:
    """`start` in minutes of the site's wall clock; `stands` where its track is, in words."""

    start: int
    minutes: int
    first: str
    last: str
    kind: str
    site: str
    stands: str


def initials(first: str, last: str) -> str:
    """'T. R.'; of a name without letters, what there is of it."""
    return " ".join(f"{name.strip()[0].upper()}." for name in (first, last) if name.strip()) or "—"


def digest(provider: str, day: date, visits: Sequence[DigestVisit], names: bool, clinic: str) -> Words:
    """The mail about a day with at least one visit, in the order of their times."""
    count = "1 visit" if len(visits) == 1 else f"{len(visits)} visits"
    ends = max(each.start + each.minutes for each in visits)
    several = len({each.site for each in visits}) > 1
    head = f"{provider}, {weekday_day(day)}: {count}, {clock_words(visits[0].start)} to {clock_words(ends)}."
    lines = [_line(each, names, several) for each in visits]
    body = "\n\n".join((head, "\n".join(lines), clinic))
    return Words(body, f"{weekday_day(day)}: {count}")


def _line(visit: DigestVisit, names: bool, several: bool) -> str:
    who = f"{visit.first} {visit.last}, {visit.kind}" if names else initials(visit.first, visit.last)
    parts = [clock_words(visit.start), f"{visit.minutes} min", who, visit.stands]
    return "  ".join([*parts, visit.site] if several else parts)
