"""The half days a patient likes and those they can never come: kept on the patient, used by openings and the
waitlist.

A half day is a weekday (Monday is 0) before or from noon. Kept as one number: bit 2 * weekday, plus 1 for the
afternoon.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from zax.core.wording import WEEKDAYS

NOON = 12 * 60
HALVES = ("morning", "afternoon")


def half_day(day: date, minute: int) -> int:
    return day.weekday() * 2 + (minute >= NOON)


def half_day_words(number: int) -> str:
    """3 -> 'Tuesday afternoon'."""
    return f"{WEEKDAYS[number // 2]} {HALVES[number % 2]}"


@dataclass(frozen=True, slots=True)
class Wishes:
    """`likes` and `never` are sets of half days as bits; a half day is never in both."""

    likes: int = 0
    never: int = 0

    def liked(self, day: date, minute: int) -> bool:
        return bool(self.likes >> half_day(day, minute) & 1)

    def ruled_out(self, day: date, minute: int) -> bool:
        return bool(self.never >> half_day(day, minute) & 1)

    @property
    def words(self) -> str:
        """'prefers Tuesday mornings; never Friday afternoons', or nothing."""
        parts = [("prefers", self.likes), ("never", self.never)]
        return "; ".join(f"{what} {', '.join(_listed(bits))}" for what, bits in parts if bits)


def _listed(bits: int) -> list[str]:
    found = []
    for weekday, name in enumerate(WEEKDAYS):
        both = bits >> (2 * weekday) & 3
        if both == 3:
            found.append(f"{name}s")
        elif both:
            found.append(f"{name} {HALVES[both - 1]}s")
    return found


def wishes_of(likes: Iterable[int], never: Iterable[int]) -> Wishes:
    """From numbers of half days; one that is in both is never."""
    no = sum(1 << number for number in {n for n in never if 0 <= n < 14})
    yes = sum(1 << number for number in {n for n in likes if 0 <= n < 14})
    return Wishes(yes & ~no, no)
