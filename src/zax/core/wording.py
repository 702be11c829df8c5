"""How days, times, lengths and money read to people: here and nowhere else, so that the whole product writes
them one way and a change of style is a change of this module.

Pages reach these as Jinja filters (web/shell/rendering). Files and addresses write their own formats: ISO
8601, X12's D8, and `decimal` of core/money/cents.

Units: minutes from local midnight, wall-clock moments, cents.
"""

from __future__ import annotations

from datetime import date, datetime

WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")


def weekday_name(day: date) -> str:
    """'Tuesday'."""
    return WEEKDAYS[day.weekday()]


def month_name(day: date) -> str:
    """'November'."""
    return f"{day:%B}"


def month_initial(day: date) -> str:
    """'N', where a chart has room for a letter."""
    return month_name(day)[0]


def month_words(day: date, full: bool = False) -> str:
    """'Nov 2026', in full 'November 2026'."""
    return f"{day:%B %Y}" if full else f"{day:%b %Y}"


def day_words(day: date, year: bool = False) -> str:
    """'24 Nov', with the year where it is not obvious."""
    return f"{day.day} {day:%b}{f' {day.year}' if year else ''}"


def full_day(day: date, year: bool = False) -> str:
    """'24 November', '24 November 2026'."""
    return f"{day.day} {day:%B}{f' {day.year}' if year else ''}"


def weekday_time(moment: datetime) -> str:
    """'Tue 10:30'."""
    return f"{weekday_name(moment)[:3]} {time_words(moment)}"


def weekday_day(day: date, year: bool = False) -> str:
    """'Tue 24 Nov', with the year where it is not obvious."""
    return f"{weekday_name(day)[:3]} {day_words(day, year)}"


def column_day(day: date) -> str:
    """'Tue 24', over a column whose month stands elsewhere."""
    return f"{weekday_name(day)[:3]} {day.day}"


def long_day(day: date) -> str:
    """'Tuesday 24 November'."""
    return f"{weekday_name(day)} {full_day(day)}"


def clock_words(minute: int) -> str:
    """630 -> '10:30'."""
    return f"{minute // 60}:{minute % 60:02d}"


def time_words(moment: datetime, seconds: bool = False) -> str:
    """'10:30', with its seconds '10:30:05'."""
    return f"{clock_words(moment.hour * 60 + moment.minute)}{f':{moment.second:02d}' if seconds else ''}"


def moment_words(moment: datetime, year: bool = False) -> str:
    """'24 Nov 10:30', with the year where it is not obvious."""
    return f"{day_words(moment, year)} {time_words(moment)}"


def span_words(minutes: int) -> str:
    """75 -> '1 h 15'; under an hour '14 min'."""
    return f"{minutes} min" if minutes < 60 else f"{minutes // 60} h {minutes % 60:02d}"


def money_words(cents: int, sign_of: str = "") -> str:
    """123450 -> '1,234.50'; `sign_of='$'` puts the currency before. Below zero it carries a true minus."""
    return f"{'−' if cents < 0 else ''}{sign_of}{abs(cents) // 100:,}.{abs(cents) % 100:02d}"


def dollars(cents: int) -> str:
    """123450 -> '$1,234.50'."""
    return money_words(cents, "$")


def balance_words(cents: int) -> str:
    """What somebody owes in all, in words: 2000 -> 'owes $20.00', and below zero 'credit of $20.00'."""
    if cents < 0:
        return f"credit of {dollars(-cents)}"
    return f"owes {dollars(cents)}" if cents else "owes nothing"
