"""Codes that exist twice, for patients who are new and for those who are not: nobody new is charged a
known-patient code, nor the other way round.

New is who was not seen here for that kind of care within three years before the day (CPT, Evaluation and
Management guidelines, "New and Established Patients"; CDT D0150). Of the exams, the one for new patients may
be right for others as well, so it is only put in the place of the regular one, never the reverse.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date

from zax.core.book.calendar import step_months

MONTHS = 36
# The known patient's code -> the new patient's.
_NEW: Mapping[str, str] = {
    "99211": "99202",
    "99212": "99202",
    "99213": "99203",
    "99214": "99204",
    "99215": "99205",
    **{f"9939{n}": f"9938{n}" for n in range(1, 8)},
    "D0120": "D0150",
}
_KNOWN: Mapping[str, str] = {
    new: known for known, new in _NEW.items() if new.isdecimal() and known != "99211"
}


def is_new_for(last_seen: date | None, day: date) -> bool:
    """Whether somebody last seen then for this kind of care is new on the day."""
    return last_seen is None or step_months(last_seen, MONTHS) <= day


def is_new_patient_code(code: str) -> bool:
    """Whether a code is only for patients who are new."""
    return code in _KNOWN


def counterpart(code: str, new: bool) -> str:
    """The code that a patient who is new, or is not, needs in place of this one; empty when it fits."""
    return (_NEW if new else _KNOWN).get(code, "")


def misfit_words(code: str, new: bool, name: str) -> str:
    """Why a code does not fit a patient, and which does; empty when it fits."""
    other = counterpart(code, new)
    if not other:
        return ""
    if new:
        return f"{code} is for patients seen here in the last three years, and {name} is new. Use {other}"
    return f"{code} is for new patients, and {name} was seen here in the last three years. Use {other}"
