"""When a message goes out, seen from what it is about: "2 days before at 4:00 pm", "3 hours before", "at
once".

Days and weeks are counted on the wall clock, so "the day before at 4" is 4 by the clock on the wall on every
day of the year. Minutes and hours are real time, so "3 hours before" is three hours in the night the clocks
change.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, time, timedelta
from enum import StrEnum

from zax.core.errors import Refused
from zax.core.reading import parse_clock
from zax.core.wording import clock_words

MOST_DAYS = 400
HELP = "Say when, such as 2 days before at 4:00 pm, 3 hours before, 1 day after at 10:00 am, or at once."
_TYPED = re.compile(
    r"(?P<count>[0-9]{1,4}) ?(?P<unit>min|minute|hour|hr|h|day|d|week|wk|w)s? (?P<side>before|after)"
    r"(?: at (?P<at>.+))?"
)
_SAME_DAY = re.compile(r"(?:when due|the same day|same day|that day)(?: at (?P<at>.+))?")
_AT_ONCE = frozenset({"at once", "now", "right away"})


class LeadUnit(StrEnum):
    MINUTE = "minute"
    HOUR = "hour"
    DAY = "day"
    WEEK = "week"


_UNITS = {
    **dict.fromkeys(("min", "minute"), LeadUnit.MINUTE),
    **dict.fromkeys(("hour", "hr", "h"), LeadUnit.HOUR),
    **dict.fromkeys(("day", "d"), LeadUnit.DAY),
    **dict.fromkeys(("week", "wk", "w"), LeadUnit.WEEK),
}
_REAL_TIME = {LeadUnit.MINUTE: timedelta(minutes=1), LeadUnit.HOUR: timedelta(hours=1)}
_DAYS = {LeadUnit.DAY: 1, LeadUnit.WEEK: 7}
USUAL_MINUTE = 10 * 60


@dataclass(frozen=True, slots=True)
class Lead:
    """So many units before or after; days and weeks at a minute of the wall clock."""

    count: int = 0
    unit: LeadUnit = LeadUnit.MINUTE
    before: bool = False
    at_min: int | None = None

    @property
    def by_days(self) -> bool:
        return self.unit in _DAYS

    @property
    def is_at_once(self) -> bool:
        return self.count == 0 and not self.by_days

    @property
    def days(self) -> int:
        """Days from what it is about, before is negative; 0 where it isn't counted in days."""
        return (-1 if self.before else 1) * self.count * _DAYS.get(self.unit, 0)

    @property
    def span(self) -> timedelta:
        """Real time from what it is about; none where it is counted in days."""
        return (-1 if self.before else 1) * self.count * _REAL_TIME.get(self.unit, timedelta(0))

    @property
    def words(self) -> str:
        if self.is_at_once:
            return "at once"
        at = f" at {clock_words(self.at_min)}" if self.at_min is not None else ""
        if not self.count:
            return f"that day{at}"
        side = "before" if self.before else "after"
        return f"{self.count} {self.unit}{'' if self.count == 1 else 's'} {side}{at}"

    @property
    def kept(self) -> str:
        """As it is kept; `lead_of` reads it again."""
        return f"{self.count} {self.unit} {'before' if self.before else 'after'} {self.at_min or 0}"


AT_ONCE = Lead()


def lead_of(kept: str) -> Lead:
    count, unit, side, at = kept.split()
    lead = Lead(int(count), LeadUnit(unit), side == "before")
    return Lead(lead.count, lead.unit, lead.before, int(at)) if lead.by_days else lead


def read_lead(typed: str, field: str, *, before: bool, after: bool) -> Lead:
    """As typed. Refused beside the field when it can't be read, or stands on the wrong side of what the
    message is about.
    """
    said = " ".join(typed.lower().split())
    if said in _AT_ONCE:
        return _allowed(AT_ONCE, field, before, after)
    same = _SAME_DAY.fullmatch(said)
    if same:
        return Lead(0, LeadUnit.DAY, False, _minute(same["at"], field))
    found = _TYPED.fullmatch(said)
    if found is None:
        raise Refused(HELP, field)
    unit, count = _UNITS[found["unit"]], int(found["count"])
    if count * _DAYS.get(unit, 0) > MOST_DAYS or count * _REAL_TIME.get(unit, timedelta(0)) > timedelta(
        days=7
    ):
        raise Refused(f"That’s too long. Up to {MOST_DAYS} days, or 7 days in hours.", field)
    if unit in _DAYS:
        lead = Lead(count, unit, found["side"] == "before", _minute(found["at"], field))
    elif found["at"]:
        raise Refused("Hours and minutes need no time of day. Leave out “at”.", field)
    else:
        lead = Lead(count, unit, found["side"] == "before")
    return _allowed(lead, field, before, after)


def _minute(typed: str | None, field: str) -> int:
    return parse_clock(typed, field) if typed else USUAL_MINUTE


def _allowed(lead: Lead, field: str, before: bool, after: bool) -> Lead:
    if lead.before and lead.count and not before:
        raise Refused("This is known only once it has happened, so it goes at once or after it.", field)
    if not (lead.before and lead.count) and not after:
        raise Refused("This has to go before the visit begins.", field)
    return lead


def due_at(lead: Lead, anchor: datetime, to_utc: Callable[[datetime], datetime]) -> datetime:
    """The moment, UTC. `anchor` is what it is about on the site's wall clock; `to_utc` turns one into the
    other.
    """
    if not lead.by_days:
        return to_utc(anchor) + lead.span
    minute = lead.at_min if lead.at_min is not None else USUAL_MINUTE
    day = anchor.date() + timedelta(days=lead.days)
    return to_utc(datetime.combine(day, time(minute // 60, minute % 60)))


def last_anchor_due(lead: Lead, wall: datetime) -> datetime:
    """The latest anchor (wall clock) for which a message of this lead is due by `wall`: what lies later isn't
    due yet. For leads in real time it is right to the hour of a clock change.
    """
    if not lead.by_days:
        return wall - lead.span
    minute = lead.at_min if lead.at_min is not None else USUAL_MINUTE
    reached = wall.hour * 60 + wall.minute >= minute
    day = wall.date() - timedelta(days=lead.days) - timedelta(days=0 if reached else 1)
    return datetime.combine(day, time.max)
