"""A return: a clinician's one-off "come back for this by then". Unlike a recall it does not repeat, and it
ends only when it was done, or with a reason.

By when is said in days, weeks or months, or as a day; it lies ahead and within two years. Whom it is for and
how urgent it is come from the clinic's own list of reasons and may be changed for one patient.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date

from zax.core.book.calendar import step_months
from zax.core.book.day_phrases import read_day
from zax.core.errors import ProblemCollector, Refused

FOR_WHOM = {"physician": "the clinician", "nurse": "a nurse", "lab": "the lab", "phone": "by phone"}
LONGEST_WORDS, LONGEST_NOTE, MONTHS_AHEAD = 80, 300, 24


@dataclass(frozen=True, slots=True, kw_only=True)
class ReturnReason:
    """One of the clinic's own list. `by_when` is how it is usually said ("4 weeks"), empty for none;
    `type_id` what is booked for it, None for whatever fits.
    """

    id: int
    words: str
    by_when: str
    for_whom: str
    urgent: bool
    type_id: int | None
    active: bool
    version: int = 1


@dataclass(frozen=True, slots=True, kw_only=True)
class ReturnOrder:
    """A return as it is asked for."""

    words: str
    note: str
    due: date
    for_whom: str
    urgent: bool
    reason_id: int | None
    type_id: int | None


def ordered(
    reason: ReturnReason | None,
    words: str,
    by: str,
    today: date,
    *,
    for_whom: str = "",
    urgent: bool | None = None,
) -> ReturnOrder:
    """What was typed, filled up from the reason. Raises Problems beside `words`, `by` and `for_whom`."""
    wrong = ProblemCollector()
    note = " ".join(words.split())
    if not note and reason is None:
        wrong.add("words", "Say what they should come back for.")
    if len(note) > LONGEST_NOTE:
        wrong.add("words", f"Keep it to {LONGEST_NOTE} characters.")
    due = wrong.take(due_day, by.strip() or (reason.by_when if reason else ""), today)
    whom = for_whom or (reason.for_whom if reason else "physician")
    if whom not in FOR_WHOM:
        wrong.add("for_whom", "Choose whom it is for.")
    wrong.raise_if_any()
    assert due is not None
    return ReturnOrder(
        words=reason.words if reason else note[:LONGEST_WORDS],
        note=note if reason or len(note) > LONGEST_WORDS else "",
        due=due,
        for_whom=whom,
        urgent=reason.urgent if urgent is None and reason else bool(urgent),
        reason_id=reason.id if reason else None,
        type_id=reason.type_id if reason else None,
    )


def due_day(by: str, today: date) -> date:
    """ "4 weeks", "10d", "dec 15": the last day on which it is in time. Refused beside `by`."""
    if not by:
        raise Refused("Say by when: 10 days, 4 weeks, Dec 15.", "by")
    day = read_day(by, today, field="by").day
    if not today < day <= step_months(today, MONTHS_AHEAD):
        raise Refused("Choose a day from tomorrow on, within two years.", "by")
    return day


def checked_reason(reason: ReturnReason, today: date) -> ReturnReason:
    """A reason that may be kept. Raises Problems beside its fields."""
    wrong = ProblemCollector()
    words, by = " ".join(reason.words.split()), " ".join(reason.by_when.split())
    if not words or len(words) > LONGEST_WORDS:
        wrong.add("words", f"Say what it is in up to {LONGEST_WORDS} characters.")
    if by:
        wrong.take(due_day, by, today)
    if len(by) > 20:
        wrong.add("by", "Keep it short: 4 weeks.")
    if reason.for_whom not in FOR_WHOM:
        wrong.add("for_whom", "Choose whom it is for.")
    wrong.raise_if_any()
    return replace(reason, words=words, by_when=by)
