"""A row of the Inbox: something from outside that waits for a person, and by when it should be answered.

What runs out first stands first: a request is held until a moment, a text should be answered within half an
hour, a mail within four, and both before the visit it is about, a call before the visit, a bounce within
three days.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum


class Source(StrEnum):
    TEXT = "text"
    EMAIL = "email"
    CALL = "call"
    WEB = "web"
    BOUNCED = "bounced"
    HANDED = "handed"


SOURCE_WORDS = {
    Source.TEXT: "Texts",
    Source.EMAIL: "Emails",
    Source.CALL: "Calls",
    Source.WEB: "Web",
    Source.BOUNCED: "Bounced",
    Source.HANDED: "Handed over",
}
ANSWER_WITHIN = timedelta(minutes=30)
EMAIL_WITHIN = timedelta(hours=4)
BOUNCE_WITHIN = timedelta(days=3)
HAND_OVER_WITHIN = timedelta(days=1)
REGISTRATION_WITHIN = timedelta(days=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class InboxRow:
    """`key` names it in addresses, `at` when it came and `by` when it should be answered (UTC). `says` is
    what it says, `why` why it is here; `stop` where the visit it is about stands. `next` are the words of its
    one act.
    """

    key: str
    source: Source
    name: str
    patient_id: int | None
    visit_id: int | None
    stop: str
    what: str
    says: str
    why: str
    at: datetime
    by: datetime
    next: str
    href: str = ""

    def share_gone(self, now: datetime) -> float:
        """How much of the time to answer is over, 0 to 1."""
        whole = (self.by - self.at).total_seconds()
        return min(1.0, max(0.0, (now - self.at).total_seconds() / whole)) if whole > 0 else 1.0


def in_order(rows: Iterable[InboxRow]) -> list[InboxRow]:
    return sorted(rows, key=lambda row: (row.by, row.at, row.key))


def answer_by(at: datetime, visit_begins: datetime | None, within: timedelta = ANSWER_WITHIN) -> datetime:
    """When a text, mail or call should be answered: soon, and before the visit begins."""
    soon = at + within
    return min(soon, visit_begins) if visit_begins is not None and visit_begins > at else soon
