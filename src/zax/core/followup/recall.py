"""Recalls: when a patient should come again for what. A visit that was done sets the next day; a later one
moves it on.

The interval is the visit type's, unless the desk chose another for this patient. Days are the clinic's own.
"""

from __future__ import annotations

from datetime import date

from zax.core.book.calendar import step_months
from zax.core.reading import whole_number

INTERVALS = (3, 4, 6, 12)


def next_due(done_on: date, months: int) -> date:
    """The day from which the patient is due again."""
    return step_months(done_on, months)


def overdue_days(due: date, today: date) -> int | None:
    """Days since the recall fell due; None while it is not due yet."""
    return (today - due).days if due <= today else None


def parse_interval(typed: str) -> int:
    """'6' -> 6 months; '' or '0' for none. Refused beside `recall`."""
    return whole_number(typed, "recall", 0, 120, "A recall repeats every 1 to 120 months; 0 for none.")
