"""When a person works at a site on a date: weekly rules with patterns, breaks, exceptions, closures, and
clocks that jump.

Rules hold from a date to a date, so changed hours never rewrite the past. A closure is a stretch of
wall-clock time that may cross midnight. Minutes that do not exist on a date (clocks go forward) are nobody's
working time. Minutes are local to the site.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from enum import StrEnum
from functools import lru_cache
from zoneinfo import ZoneInfo

from zax.core.book.hours import Span, joined, without

DAY = Span(0, 24 * 60)


class Pattern(StrEnum):
    """In which weeks a weekly rule holds. Every second week counts on from the rule's own week, whatever the
    year; odd and even are ISO 8601 week numbers, of which 53 and 1 follow each other and are both odd; first
    to last count the weekday in its month.
    """

    EVERY = "every"
    SECOND_WEEK = "biweekly"
    ODD = "odd"
    EVEN = "even"
    FIRST = "first"
    SECOND = "second"
    THIRD = "third"
    FOURTH = "fourth"
    LAST = "last"


PATTERN_WORDS = {
    Pattern.EVERY: "every week",
    Pattern.SECOND_WEEK: "every second week",
    Pattern.ODD: "odd weeks",
    Pattern.EVEN: "even weeks",
    Pattern.FIRST: "first of the month",
    Pattern.SECOND: "second of the month",
    Pattern.THIRD: "third of the month",
    Pattern.FOURTH: "fourth of the month",
    Pattern.LAST: "last of the month",
}
_NUMBERS = (Pattern.FIRST, Pattern.SECOND, Pattern.THIRD, Pattern.FOURTH)


@dataclass(frozen=True, slots=True, kw_only=True)
class WeeklyRule:
    """Working time, or with `rest` (its words, such as 'Lunch') a break inside it. `from_day` and `to_day`
    are inclusive; every second week counts from the week of `counted_from`.
    """

    site_id: int
    weekday: int
    span: Span
    pattern: Pattern = Pattern.EVERY
    from_day: date | None = None
    to_day: date | None = None
    rest: str = ""
    counted_from: date | None = None

    def holds(self, day: date) -> bool:
        if day.weekday() != self.weekday or not in_pattern(self.pattern, day, self.counted_from):
            return False
        return (self.from_day is None or self.from_day <= day) and (self.to_day is None or day <= self.to_day)


@dataclass(frozen=True, slots=True, kw_only=True)
class DayException:
    """One person on the dates `from_day` to `to_day`: away, or working besides (`extra`). Site None means
    every site.
    """

    from_day: date
    to_day: date
    span: Span
    words: str
    extra: bool = False
    site_id: int | None = None


@dataclass(frozen=True, slots=True)
class Closure:
    """The clinic, or one site of it, is shut from `start` to `end`: naive wall-clock times, [start, end)."""

    start: datetime
    end: datetime
    words: str
    site_id: int | None = None

    def on(self, day: date) -> Span | None:
        """The part of the date that is shut."""
        midnight = datetime(day.year, day.month, day.day)
        first = max(0, int((self.start - midnight).total_seconds() // 60))
        last = min(DAY.end, -int((midnight - self.end).total_seconds() // 60))
        return Span(first, last) if first < last else None


@dataclass(frozen=True, slots=True)
class DayHours:
    """The working windows of a date, and the stretches inside the clinic's day that are shut, with why."""

    windows: tuple[Span, ...]
    shut: tuple[tuple[Span, str], ...] = ()


def in_pattern(pattern: Pattern, day: date, counted_from: date | None = None) -> bool:
    """Whether the date is in a week in which the pattern holds; weeks begin on Monday."""
    if pattern == Pattern.EVERY:
        return True
    if pattern == Pattern.SECOND_WEEK:
        return counted_from is None or (_monday(day) - _monday(counted_from)).days % 14 == 0
    if pattern in (Pattern.ODD, Pattern.EVEN):
        return (day.isocalendar().week % 2 == 1) == (pattern == Pattern.ODD)
    if pattern == Pattern.LAST:
        return (day + timedelta(days=7)).month != day.month
    return (day.day - 1) // 7 == _NUMBERS.index(pattern)


def _monday(day: date) -> date:
    return day - timedelta(days=day.weekday())


@lru_cache(maxsize=4096)
def skipped(timezone: str, day: date) -> tuple[Span, ...]:
    """The minutes of the date that the zone's clocks jump over; empty on nearly every day."""
    zone = ZoneInfo(timezone)
    midnight = datetime(day.year, day.month, day.day, tzinfo=zone)
    tomorrow = midnight + timedelta(days=1)
    if midnight.utcoffset() == tomorrow.utcoffset():
        return ()
    missing = [
        minute for minute in range(0, DAY.end, 5) if not _exists(midnight + timedelta(minutes=minute), zone)
    ]
    return tuple(joined(Span(minute, minute + 5) for minute in missing))


def _exists(wall: datetime, zone: ZoneInfo) -> bool:
    return wall.astimezone(UTC).astimezone(zone).replace(tzinfo=None) == wall.replace(tzinfo=None)


def closed_spans(closures: Iterable[Closure], site_id: int, day: date) -> list[tuple[Span, str]]:
    """What the closures take out of the site's date, with their words."""
    spans = ((closure.on(day), closure) for closure in closures if closure.site_id in {None, site_id})
    return [(span, closure.words) for span, closure in spans if span]


def hours_on(
    rules: Sequence[WeeklyRule],
    exceptions: Sequence[DayException],
    closures: Sequence[Closure],
    site_id: int,
    day: date,
    timezone: str,
) -> DayHours:
    """A person's hours at the site on the date: rules, less breaks, with extra time, less absence, closures
    and minutes that do not exist.
    """
    today = [rule for rule in rules if rule.site_id == site_id and rule.holds(day)]
    here = [e for e in exceptions if e.from_day <= day <= e.to_day and e.site_id in {None, site_id}]
    work = [rule.span for rule in today if not rule.rest] + [e.span for e in here if e.extra]
    rests = [(rule.span, rule.rest) for rule in today if rule.rest]
    shut = rests + [(e.span, e.words) for e in here if not e.extra] + closed_spans(closures, site_id, day)
    shut += [(span, "Clocks spring forward") for span in skipped(timezone, day)]
    extra = [e.span for e in here if e.extra]
    breaks = [span for rest, _ in rests for span in without([rest], extra)]
    windows = without(work, [*breaks, *(span for span, _ in shut[len(rests) :])])
    return DayHours(tuple(windows), tuple(shut))


def on_wall(day: date, span: Span, timezone: str, other_day: date, other_zone: str) -> Span | None:
    """What a span of one site's date is on another site's date and clock; None where they do not meet."""
    if timezone == other_zone:
        return span if day == other_day else None
    shift = _shift(day, timezone, other_day, other_zone)
    start, end = max(0, span.start + shift), min(DAY.end, span.end + shift)
    return Span(start, end) if start < end else None


def _shift(day: date, timezone: str, other_day: date, other_zone: str) -> int:
    """Minutes to add to a time of the one date and zone to get that of the other, as their clocks stand at
    noon.
    """
    noon = datetime(day.year, day.month, day.day, 12, tzinfo=ZoneInfo(timezone))
    there = noon.astimezone(ZoneInfo(other_zone)).replace(tzinfo=None)
    midnight = datetime(other_day.year, other_day.month, other_day.day)
    return int((there - midnight).total_seconds() // 60) - 12 * 60


def step_weeks(day: date, weeks: int) -> date:
    return day + timedelta(weeks=weeks)


def step_months(day: date, months: int) -> date:
    """The same day of another month; its last day where there is no such day (31 January + 1 month is 28 or
    29 February).
    """
    number = day.year * 12 + day.month - 1 + months
    year, month = divmod(number, 12)
    for number_of_day in range(day.day, 27, -1):
        try:
            return date(year, month + 1, number_of_day)
        except ValueError:
            continue
    return date(year, month + 1, min(day.day, 28))
