"""Several visits at once: a series of the same visit, or one for each of a household, planned before anything
is booked.

A plan is a list of wanted times; each is tried by the desk and shown with its conflict and the nearest time
instead. Days are local.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import date, timedelta

from zax.core.book.calendar import step_months, step_weeks
from zax.core.errors import Refused

MOST_IN_A_SERIES = 26


def series_days(first: date, every: int, unit: str, times: int) -> list[date]:
    """`times` days from `first`, every so many weeks or months. Months keep the day of the month where there
    is one.
    """
    if not 1 <= times <= MOST_IN_A_SERIES:
        raise Refused(f"A series is 2 to {MOST_IN_A_SERIES} visits.", "times")
    if not 1 <= every <= 26:
        raise Refused("Repeat every 1 to 26 weeks or months.", "every")
    step = step_months if unit == "months" else step_weeks
    return [step(first, number * every) for number in range(times)]


def row_of_starts(start: int, lengths: Sequence[int], together: bool) -> list[int]:
    """When each of a household begins: one after the other, or all at the same minute."""
    if together:
        return [start] * len(lengths)
    return [start + sum(lengths[:number]) for number in range(len(lengths))]


_STEP = re.compile(r"([+-]?)\s*(\d{1,3})\s*(d|w|m|y)[a-z]*", re.IGNORECASE)
_DATES = (
    re.compile(r"(?P<y>\d{4})-(?P<m>\d{1,2})-(?P<d>\d{1,2})"),
    re.compile(r"(?P<m>\d{1,2})[/. -](?P<d>\d{1,2})(?:[/. -](?P<y>\d{4}|\d{2}))?"),
)
WEEKDAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")


def parse_jump(text: str, shown: date, today: date) -> date:
    """Where to jump: '3w', '-2w', '6m' from the day shown, 'fri' the next one, '12/24' the next one,
    '2027-01-05'. Refused otherwise.
    """
    typed = text.strip().lower()
    if not typed or typed == "today":
        return today
    step = _STEP.fullmatch(typed)
    if step:
        number = int(step[2]) * (-1 if step[1] == "-" else 1)
        if step[3] == "d":
            return shown + timedelta(days=number)
        return (
            step_weeks(shown, number)
            if step[3] == "w"
            else step_months(shown, number * (12 if step[3] == "y" else 1))
        )
    if typed[:3] in WEEKDAYS and typed.isalpha():
        return today + timedelta(days=(WEEKDAYS.index(typed[:3]) - today.weekday()) % 7 or 7)
    found = next((match for pattern in _DATES if (match := pattern.fullmatch(typed))), None)
    if found is None:
        raise Refused(
            f"“{text.strip()[:20]}” isn’t a day. Enter 12/24, fri, 3w (three weeks out) or 6m.", "to"
        )
    return _next_date(found, today)


def _next_date(found: re.Match[str], today: date) -> date:
    """The date; without a year the next one from today on."""
    year = int(found["y"]) if found["y"] else 0
    years = [year + 2000 if 0 < year < 100 else year] if year else [today.year, today.year + 1]
    for each in years:
        try:
            made = date(each, int(found["m"]), int(found["d"]))
        except ValueError:
            continue
        if year or made >= today:
            return made
    raise Refused(f"There is no {found['m']}/{found['d']} in the year to come.", "to")
