"""What a line of a list is about, so that whoever shows it can lead there. Core and desk name the thing;
where its page is, the web alone knows.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class About(StrEnum):
    """What can be led to. The last five are lists and have no number."""

    VISIT = "visit"
    CHECKOUT = "checkout"
    TODAYS_VISIT = "todays_visit"
    RECEIPT = "receipt"
    ACCOUNT = "account"
    REQUESTS = "requests"
    BALANCES = "balances"
    CLAIMS_IN_TROUBLE = "claims_in_trouble"
    ANSWERS = "answers"
    SET_ASIDE = "set_aside"


@dataclass(frozen=True, slots=True)
class Subject:
    """`number` is the row's id, of an account its patient's; `visit_id` or `entry_id` is a place on
    an account.
    """

    about: About
    number: int = 0
    visit_id: int = 0
    entry_id: int = 0
