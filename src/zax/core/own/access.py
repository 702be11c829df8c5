"""How long a patient's sign-in holds, and for whom somebody may look.

A sign-in ends after half an hour without use and after twelve hours whatever is done. Somebody sees
themselves and those the desk let them see with a proof; what was allowed for a child ends by itself when they
come of age.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta

from zax.core.patients.person import age_on

IDLE = timedelta(minutes=30)
LONGEST = timedelta(hours=12)
OF_AGE = 18
MOST_WRONG = 6
SHUT_FOR = timedelta(minutes=30)


@dataclass(frozen=True, slots=True)
class Permission:
    """For whom, allowed when and on which proof; `birth` is theirs."""

    for_id: int
    birth: date | None
    at: date


def session_holds(made_at: datetime, used_at: datetime, now: datetime) -> bool:
    return now < used_at + IDLE and now < made_at + LONGEST


def still_allowed(permission: Permission, today: date) -> bool:
    """What was allowed for a child doesn't go on for the grown-up; what was allowed for a grown-up does."""
    if permission.birth is None:
        return True
    was_child = age_on(permission.birth, permission.at) < OF_AGE
    return not was_child or age_on(permission.birth, today) < OF_AGE


def password_shut(wrong_tries: int, wrong_at: datetime | None, now: datetime) -> bool:
    """After too many wrong tries a password opens nothing for a while."""
    return wrong_tries >= MOST_WRONG and wrong_at is not None and now < wrong_at + SHUT_FOR
