"""Several visits at once: a series of the same visit, or one for each of a household, planned before anything
is booked.

A plan is a list of wanted times; each is tried by the desk and shown with its conflict and the nearest time
instead. Days are local.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

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
