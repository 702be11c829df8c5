"""The waitlist: people who lost their time, would come sooner, or can come at short notice. A person is in it
once, with all reasons.

It must not grow until nobody opens it: an entry that has waited as long as its type allows is asked again,
and leaves only with a reason. For a gap in the Book it says who fits, best first, and why. Money is cents;
`since` and `asked` are local dates.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date
from enum import StrEnum

from zax.core.patients.wishes import Wishes, half_day, half_day_words
from zax.core.spelling import plain_spelling
from zax.core.wording import day_words


class WaitWhy(StrEnum):
    LOST = "lost"
    SOONER = "sooner"
    SHORT = "short"


WAIT_WORDS = {
    WaitWhy.LOST: "lost their spot",
    WaitWhy.SOONER: "would come sooner",
    WaitWhy.SHORT: "short notice",
}
_ORDER = list(WaitWhy)
SHORT_NOTICE_DAYS = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class Waits:
    """One reason of one person: what they wait for. `provider_id` 0 means anybody of the role; `booked` is
    the visit they would leave.
    """

    id: int
    why: WaitWhy
    since: date
    asked: date
    ask_after: int
    type_id: int
    type_words: str
    role: str
    minutes: int
    provider_id: int
    value: int
    site_id: int
    note: str = ""
    visit_id: int = 0
    booked: date | None = None

    def days_unasked(self, today: date) -> int:
        return (today - self.asked).days

    def stale(self, today: date) -> bool:
        """Whether it is time to ask whether they still wait."""
        return self.days_unasked(today) >= self.ask_after


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """One person with every reason, the weightiest first."""

    patient_id: int
    name: str
    phone: str
    wishes: Wishes
    missed: int = 0
    reasons: tuple[Waits, ...]
    last_try: str = ""

    @property
    def main(self) -> Waits:
        return self.reasons[0]

    @property
    def value(self) -> int:
        return max(reason.value for reason in self.reasons)

    @property
    def since(self) -> date:
        return min(reason.since for reason in self.reasons)

    @property
    def short_notice(self) -> bool:
        return any(reason.why == WaitWhy.SHORT for reason in self.reasons)


@dataclass(frozen=True, slots=True)
class Gap:
    """Free time of one provider. `equipped` are the types that a free room there can hold."""

    site_id: int
    day: date
    start: int
    minutes: int
    provider_id: int
    role: str
    types: frozenset[int]


@dataclass(frozen=True, slots=True, kw_only=True)
class Fit:
    """How an entry fits a gap: `left` minutes over (negative: too long), whether every wish is met, points
    and why in words.
    """

    entry: Entry
    wait: Waits
    left: int
    wishes_met: bool
    points: int
    gap: Gap
    today: date

    @property
    def why(self) -> str:
        """In a sentence; put together for the few that are shown, not for everybody who waits."""
        return _why(self)

    @property
    def words(self) -> str:
        """The few words under the picture of the fit."""
        if self.left < 0:
            return f"{-self.left} too long"
        if not self.wishes_met:
            return "different time"
        return "fills it" if self.left == 0 else f"{self.left} left"


def weightiest_first(reasons: Iterable[Waits]) -> tuple[Waits, ...]:
    return tuple(sorted(reasons, key=lambda r: (_ORDER.index(r.why), -r.value, r.since, r.id)))


def fit_to(entry: Entry, gap: Gap, today: date) -> Fit | None:
    """The best of the entry's reasons for this gap; None if it is of no use to any of them."""
    fits = [fit for reason in entry.reasons if (fit := _fit(entry, reason, gap, today))]
    return max(fits, key=lambda fit: fit.points, default=None)


def _fit(entry: Entry, wait: Waits, gap: Gap, today: date) -> Fit | None:
    if wait.role != gap.role or wait.type_id not in gap.types or wait.site_id != gap.site_id:
        return None
    if wait.provider_id not in {0, gap.provider_id}:
        return None
    if wait.booked is not None and gap.day >= wait.booked:
        return None
    left = gap.minutes - wait.minutes
    ruled_out = entry.wishes.ruled_out(gap.day, gap.start)
    liked = entry.wishes.liked(gap.day, gap.start)
    soon = _is_soon(gap, today)
    wishes_met = not ruled_out and (liked or not entry.wishes.likes)
    points = 1000 if left >= 0 else 0
    points += 200 if wishes_met else -300 if ruled_out else 0
    points += 100 if left == 0 else -abs(left)
    points += {WaitWhy.LOST: 80, WaitWhy.SHORT: 40, WaitWhy.SOONER: 20}[wait.why]
    points += 60 if soon and entry.short_notice else 0
    points += 40 if wait.provider_id == gap.provider_id else 0
    points += min(60, (today - wait.since).days) + min(100, wait.value // 2000) - 25 * entry.missed
    return Fit(
        entry=entry,
        wait=wait,
        left=left,
        wishes_met=wishes_met,
        points=points,
        gap=gap,
        today=today,
    )


def _is_soon(gap: Gap, today: date) -> bool:
    return (gap.day - today).days <= SHORT_NOTICE_DAYS


def _why(fit: Fit) -> str:
    entry, wait, gap = fit.entry, fit.wait, fit.gap
    ruled_out = entry.wishes.ruled_out(gap.day, gap.start)
    liked = entry.wishes.liked(gap.day, gap.start)
    half = half_day_words(half_day(gap.day, gap.start))
    parts = {
        WaitWhy.LOST: f"lost their spot, waiting since {day_words(wait.since)}",
        WaitWhy.SOONER: f"would leave {day_words(wait.booked)} for it"
        if wait.booked
        else "would come sooner",
        WaitWhy.SHORT: "available on short notice",
    }
    found = [parts[wait.why]]
    if ruled_out:
        found.append(f"but never on {half}s")
    elif liked:
        found.append(f"prefers {half}s")
    elif entry.wishes.likes:
        found.append(f"but {Wishes(entry.wishes.likes).words}")
    if _is_soon(gap, fit.today) and entry.short_notice and wait.why != WaitWhy.SHORT:
        found.append("short notice is fine")
    if entry.missed > 1:
        found.append(f"missed {entry.missed} visits, so call")
    words = ", ".join(found)
    return words[0].upper() + words[1:]


def best_for(entries: Iterable[Entry], gap: Gap, today: date) -> list[Fit]:
    """Who fits the gap, best first; those it is too short for come last."""
    fits = [fit for entry in entries if (fit := fit_to(entry, gap, today))]
    return sorted(fits, key=lambda fit: (-fit.points, fit.wait.since, fit.entry.patient_id))


def stale_first(entries: Sequence[Entry], today: date) -> list[tuple[Entry, Waits]]:
    """Every reason whose time to be asked again has come, the longest overdue first."""
    found = [(entry, reason) for entry in entries for reason in entry.reasons if reason.stale(today)]
    return sorted(found, key=lambda pair: (pair[1].asked, pair[0].patient_id))


def chosen(
    found: Sequence[Entry],
    *,
    name: str = "",
    provider_id: int = 0,
    room_types: frozenset[int] | None = None,
    type_id: int = 0,
    why: str = "",
    since: date | None = None,
    order: str = "value",
) -> list[Entry]:
    """The entries that a filter keeps, each with only the reasons that match, in the order asked for: value
    or wait.
    """
    kept = []
    words = plain_spelling(name).lower().split()
    for entry in found:
        if words and not all(word in plain_spelling(entry.name).lower() for word in words):
            continue
        reasons = tuple(r for r in entry.reasons if _matches(r, provider_id, room_types, type_id, why, since))
        if reasons:
            kept.append(entry if len(reasons) == len(entry.reasons) else replace(entry, reasons=reasons))
    if order == "wait":
        return sorted(kept, key=lambda entry: (entry.since, -entry.value))
    return sorted(kept, key=lambda entry: (-entry.value, entry.since))


def _matches(
    wait: Waits,
    provider_id: int,
    room_types: frozenset[int] | None,
    type_id: int,
    why: str,
    since: date | None,
) -> bool:
    if provider_id and wait.provider_id not in {0, provider_id}:
        return False
    if room_types is not None and wait.type_id not in room_types:
        return False
    return (
        (not type_id or wait.type_id == type_id)
        and (not why or wait.why == why)
        and (since is None or wait.since <= since)
    )
