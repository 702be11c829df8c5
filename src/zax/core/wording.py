"""How days, times, lengths, phones, money and lists read to people: here and nowhere else, so that the whole
product writes them one way and a change of style is a change of this module.

Pages reach these as Jinja filters (web/shell/rendering). Names of days and months and the spelling of dates
are CLDR's, through Babel, in American English; a clinic may choose the 24-hour clock and the day before the
month. A process serves one clinic, so its style is set once, where its setup is read (`use`). Files and
addresses write their own formats: ISO 8601, X12's D8, `plain_clock` of core/reading, `decimal` of
core/money/cents.

Units: minutes from local midnight, wall-clock moments, cents.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from functools import lru_cache

from babel.dates import format_date

WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
END_OF_DAY = 24 * 60


@dataclass(frozen=True, slots=True, kw_only=True)
class Style:
    """What a clinic chooses: '1:30 pm' or '13:30', 'Nov 30' or '30 Nov'."""

    hours_24: bool = False
    day_first: bool = False


class _Process:
    style = Style()


def use(style: Style) -> None:
    """From now on this process writes, and reads what is typed, in this style."""
    _Process.style = style


def style() -> Style:
    return _Process.style


@lru_cache(maxsize=16_384)
def _spelled(day: date, pattern: str) -> str:
    """A day by a CLDR date pattern. A page spells the same few days many times over."""
    return format_date(day, pattern, locale="en_US")


def _in_order(day: date, month_first: str, day_first: str) -> str:
    day = day.date() if isinstance(day, datetime) else day
    return _spelled(day, day_first if _Process.style.day_first else month_first)


def weekday_name(day: date) -> str:
    """'Tuesday'."""
    return WEEKDAYS[day.weekday()]


def month_name(day: date) -> str:
    """'November'."""
    return _in_order(day, "MMMM", "MMMM")


def month_initial(day: date) -> str:
    """'N', where a chart has room for a letter."""
    return month_name(day)[0]


def month_abbr(day: date) -> str:
    """'Nov'."""
    return _spelled(day, "MMM")


def month_words(day: date, full: bool = False) -> str:
    """'Nov 2026', in full 'November 2026'."""
    pattern = "MMMM y" if full else "MMM y"
    return _in_order(day, pattern, pattern)


def day_words(day: date, year: bool = False) -> str:
    """'Nov 24', with the year where it is not obvious 'Nov 24, 2026'."""
    return _in_order(day, "MMM d, y", "d MMM y") if year else _in_order(day, "MMM d", "d MMM")


def visit_time(start_min: int, minutes: int) -> str:
    """When a visit of the day begins; one of no minutes was entered afterwards and stood on no Book."""
    return clock_words(start_min) if minutes else "entered afterwards"


def full_day(day: date, year: bool = False) -> str:
    """'November 24', 'November 24, 2026'."""
    return _in_order(day, "MMMM d, y", "d MMMM y") if year else _in_order(day, "MMMM d", "d MMMM")


def weekday_time(moment: datetime) -> str:
    """'Tue 10:30 am'."""
    return f"{weekday_name(moment)[:3]} {time_words(moment)}"


def weekday_day(day: date, year: bool = False) -> str:
    """'Tue, Nov 24', with the year where it is not obvious 'Tue, Nov 24, 2026'."""
    return f"{weekday_name(day)[:3]}{' ' if _Process.style.day_first else ', '}{day_words(day, year)}"


def column_day(day: date) -> str:
    """'Tue 24', over a column whose month stands elsewhere."""
    return f"{weekday_name(day)[:3]} {day.day}"


def long_day(day: date, year: bool = False) -> str:
    """'Tuesday, November 24'."""
    return f"{weekday_name(day)}{' ' if _Process.style.day_first else ', '}{full_day(day, year)}"


def typed_day(day: date) -> str:
    """'5/3/1984', as a date is typed."""
    return _in_order(day, "M/d/y", "d/M/y")


def clock_words(minute: int) -> str:
    """630 -> '10:30 am', in the 24-hour style '10:30'. The end of a day is 'midnight', or '24:00'."""
    return _clock(minute, _Process.style.hours_24)


@lru_cache(maxsize=2 * END_OF_DAY + 2)
def _clock(minute: int, hours_24: bool) -> str:
    hour, past = divmod(minute, 60)
    if hours_24:
        return f"{hour}:{past:02d}"
    if minute == END_OF_DAY:
        return "midnight"
    return f"{hour % 12 or 12}:{past:02d} {'am' if hour < 12 else 'pm'}"


def hour_words(minute: int) -> str:
    """The axis of a day: 540 -> '9 am', 720 -> 'noon', in the 24-hour style '9:00'."""
    words = clock_words(minute)
    return "noon" if words == "12:00 pm" else words.replace(":00 ", " ")


def clock_face(minute: int) -> str:
    """630 -> '10:30', where the hours beside it say which half of the day it is."""
    return clock_words(minute).partition(" ")[0]


def past_hour(minute: int) -> str:
    """630 -> ':30', where the hour stands beside it."""
    return f":{minute % 60:02d}"


def clock_span(start: int, end: int) -> str:
    """'10:30 to 11:00 am', '11:30 am to 1:00 pm'."""
    first, last = clock_words(start), clock_words(end)
    same_half = not _Process.style.hours_24 and last[-3:] == first[-3:]
    return f"{first[:-3] if same_half else first} to {last}"


def time_words(moment: datetime, seconds: bool = False) -> str:
    """'10:30 am', with its seconds '10:30:05 am'."""
    clock = clock_words(moment.hour * 60 + moment.minute)
    if not seconds:
        return clock
    time, _, half = clock.partition(" ")
    return f"{time}:{moment.second:02d} {half}".rstrip()


def moment_words(moment: datetime, year: bool = False) -> str:
    """'Nov 24, 10:30 am', with the year where it is not obvious."""
    return f"{day_words(moment, year)}, {time_words(moment)}"


def span_words(minutes: int) -> str:
    """75 -> '1 h 15'; under an hour '14 min'."""
    return f"{minutes} min" if minutes < 60 else f"{minutes // 60} h {minutes % 60:02d}"


def phone_words(digits: str) -> str:
    """'3605550148' -> '(360) 555-0148': the one form in which phones are shown."""
    return f"({digits[:3]}) {digits[3:6]}-{digits[6:]}" if len(digits) == 10 else digits


def money_words(cents: int, sign_of: str = "") -> str:
    """123450 -> '1,234.50'; `sign_of='$'` puts the currency before. Below zero it carries a true minus."""
    return f"{'−' if cents < 0 else ''}{sign_of}{abs(cents) // 100:,}.{abs(cents) % 100:02d}"


def dollars(cents: int) -> str:
    """123450 -> '$1,234.50'."""
    return money_words(cents, "$")


def list_words(names: Sequence[str], most: int = 0) -> str:
    """'Dr. Wren and N. Ferro', 'Name, Code and Fee'; with `most`, the first of them and 'and 2 more'."""
    shown, more = list(names[:most] if most else names), len(names) - most
    if most and more > 0:
        return f"{', '.join(shown)} and {more} more"
    return " and ".join([", ".join(shown[:-1]), shown[-1]] if len(shown) > 2 else shown)


def balance_words(cents: int) -> str:
    """What somebody owes in all, in words: 2000 -> 'owes $20.00', and below zero 'credit of $20.00'."""
    if cents < 0:
        return f"credit of {dollars(-cents)}"
    return f"owes {dollars(cents)}" if cents else "owes nothing"
