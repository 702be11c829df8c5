"""A hand-over: a row of any list given to a person or a role with a word and a day. It is in their list until
it is done, and whoever gave it sees it done.

An amount makes it something to take at the counter: it stands on the patient's checkout as a line of its own.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date
from enum import StrEnum

from zax.core.book.day_phrases import coming_day
from zax.core.errors import ProblemCollector
from zax.core.people.roles import SHIPPED

LONGEST = 200
MOST_CENTS = 10_000_000


class About(StrEnum):
    """What is handed over."""

    PATIENT = "patient"
    VISIT = "visit"
    RETURN = "return"
    RECALL = "recall"
    CLAIM = "claim"
    PAYMENT = "payment"
    BALANCE = "balance"
    REQUEST = "request"
    FILE = "file"
    ANSWER = "answer"


ABOUT_WORDS = {
    About.PATIENT: "record",
    About.VISIT: "visit",
    About.RETURN: "asked back",
    About.RECALL: "recall",
    About.CLAIM: "claim",
    About.PAYMENT: "insurer payment",
    About.BALANCE: "account",
    About.REQUEST: "web request",
    About.FILE: "file",
    About.ANSWER: "text",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class HandOver:
    """As it is given: to a person (`to_user`) or everybody of a role (its key, empty for none), with a word,
    by a day, for an amount in cents to take; 0 for none.
    """

    to_user: int | None
    to_role: str
    words: str
    due: date | None
    cents: int


def handed(
    to: str, words: str, by: str, cents: int, today: date, roles: Collection[str] = SHIPPED.keys()
) -> HandOver:
    """`to` is "user-3" or "role-biller", `by` a day as people say it, empty for none; `roles` are the keys
    of those in use. Raises Problems beside
    `to`, `words`, `by` and `amount`.
    """
    wrong = ProblemCollector()
    kind, _, who = to.partition("-")
    user = int(who) if kind == "user" and who.isascii() and who.isdecimal() and len(who) < 10 else None
    role = who if kind == "role" and who in roles else ""
    if user is None and not role:
        wrong.add("to", "Choose who gets it.")
    said = " ".join(words.split())
    if not said:
        wrong.add("words", "Say what is to be done.")
    if len(said) > LONGEST:
        wrong.add("words", f"Keep it to {LONGEST} characters.")
    if not 0 <= cents <= MOST_CENTS:
        wrong.add("amount", "Enter an amount up to $100,000.00.")
    due = wrong.take(coming_day, by, today, "by") if by.strip() else None
    wrong.raise_if_any()
    return HandOver(to_user=user, to_role=role, words=said, due=due.day if due else None, cents=cents)
