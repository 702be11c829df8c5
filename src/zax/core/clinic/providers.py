"""Who sees patients. A provider's role decides which visit types they lead."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

ROLE_NAMES = {"dentist": "dentist", "hygienist": "hygienist", "medical": "physician or nurse practitioner"}


@dataclass(frozen=True, slots=True, kw_only=True)
class Provider:
    """`room_id` is where they usually work; `at_once` how many visits they may have at a time; `left_on`
    the first day on which they are gone.
    """

    id: int
    first: str
    last: str
    name: str
    short: str
    role: str
    dental: bool
    npi: str
    taxonomy: str
    room_id: int
    at_once: int
    left_on: date | None = None

    def here(self, day: date) -> bool:
        """Whether they still work here that day."""
        return self.left_on is None or day < self.left_on
