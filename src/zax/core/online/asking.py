"""Asking for a time online: the code that proves a phone, and how often anybody may try.

A code has six digits, holds ten minutes and five tries, and counts only in the browser that asked for it. How
often somebody may try is counted by address, by number and for the clinic as a whole, so that nobody can fill
the Book, or somebody's phone, from one place.
"""

from __future__ import annotations

import hashlib
import hmac
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

CODE_DIGITS, CODE_TRIES = 6, 5
CODE_HOLDS = timedelta(minutes=10)
# The earliest of a request to be answered is at most so far off.
ANSWERED_WITHIN = timedelta(hours=24)


@dataclass(frozen=True, slots=True)
class Limit:
    """At most so many within the window; `kind` says of what."""

    kind: str
    most: int
    window: timedelta


HOUR, DAY = timedelta(hours=1), timedelta(days=1)
LIMITS = (
    Limit("address", 20, HOUR),
    Limit("number", 3, HOUR),
    Limit("number", 6, DAY),
    Limit("clinic", 300, HOUR),
)


def too_many(counted: Mapping[Limit, int]) -> bool:
    """Whether one more would be one too many."""
    return any(count >= limit.most for limit, count in counted.items())


def sealed(secret: bytes, *parts: str) -> str:
    """What is kept instead of a code, an address or a number."""
    return hmac.new(secret, "\n".join(parts).encode(), hashlib.sha256).hexdigest()


def typed_code(text: str) -> str:
    """'482-917' -> '482917'; empty for what is no code."""
    digits = "".join(each for each in text if each in "0123456789")
    return digits if len(digits) == CODE_DIGITS else ""


def code_holds(code_at: datetime, tries: int, now: datetime) -> bool:
    """Whether a code may still be tried."""
    return tries < CODE_TRIES and now < code_at + CODE_HOLDS
