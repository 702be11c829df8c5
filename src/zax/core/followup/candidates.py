"""Whom to offer an opening to: everybody who might want it, best first, each with the points and their
reasons;
and who is skipped, with the reason, so that a person can put them in after all.

A person stands in it once, with what suits the opening best. Money is cents; days are the clinic's own.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from enum import StrEnum

from zax.core.book.waitlist import SHORT_NOTICE_DAYS, Gap
from zax.core.patients.wishes import Wishes, half_day, half_day_words
from zax.core.wording import day_words, weekday_day


class Source(StrEnum):
    """Why they might want it, the strongest first."""

    LOST = "lost"
    SHORT = "short"
    SOONER = "sooner"
    PLANNED = "planned"
    RECALL = "recall"


class By(StrEnum):
    """How they hear of it."""

    TEXT = "text"
    CALL = "call"


_SOURCE_POINTS = {Source.LOST: 20, Source.SHORT: 12, Source.SOONER: 8, Source.PLANNED: 8, Source.RECALL: 4}
MOST_FOR_FIT, MOST_FOR_WORTH, MOST_FOR_WAIT, MOST_FOR_EARLIER, MOST_FOR_MISSES = 40, 40, 20, 20, 30
CENTS_A_POINT, DAYS_A_POINT, A_MISS = 1_000, 5, 10
WISHED, SAME_PERSON, SOON = 20, 10, 10


@dataclass(frozen=True, slots=True, kw_only=True)
class Candidate:
    """Somebody and what they would come for. `since` is from when they wait or are due; `leaves` the day of
    the visit (`visit_id`) they would move; `provider_id` 0 means anybody. `to` is the phone, or `why_not`
    says why there is none; `blocked` why their kind of visit can't stand there. `lately` counts the offers of
    the last seven days.
    """

    patient_id: int
    source: Source
    since: date
    type_id: int
    type_words: str
    minutes: int
    worth: int
    name: str = ""
    called: str = ""
    language: str = ""
    provider_id: int = 0
    wait_id: int = 0
    recall_id: int = 0
    visit_id: int = 0
    leaves: date | None = None
    planned: tuple[int, ...] = ()
    wishes: Wishes = Wishes()
    short_notice: bool = False
    missed: int = 0
    visits: int = 0
    by: By = By.TEXT
    to: str = ""
    why_not: str = ""
    blocked: str = ""
    lately: int = 0
    visit_that_day: bool = False
    canceled_it: bool = False
    flag: str = ""


@dataclass(frozen=True, slots=True)
class Part:
    """One part of the points; `words` are empty where the columns of the list say it."""

    words: str
    points: int


@dataclass(frozen=True, slots=True)
class Ranked:
    """A candidate with their points; `left` minutes of the gap stay free; `wished` is whether every wish is
    met.
    """

    who: Candidate
    left: int
    wished: bool
    parts: tuple[Part, ...]

    @property
    def points(self) -> int:
        return sum(part.points for part in self.parts)

    @property
    def sentence(self) -> str:
        """ "fit 40, worth 28, wait 2": how the rank came about."""
        return ", ".join(
            f"{part.words} {part.points}".replace("-", "−") for part in self.parts if part.points
        )


@dataclass(frozen=True, slots=True)
class Skipped:
    """Somebody who isn't offered it, and why. `may` is whether a person may put them in."""

    who: Candidate
    why: str
    may: bool


@dataclass(frozen=True, slots=True)
class Ranking:
    best: tuple[Ranked, ...]
    skipped: tuple[Skipped, ...]

    def but(self, patient_ids: Collection[int], why: str) -> Ranking:
        """The same without some, whom a person doesn't want asked."""
        out = [Skipped(each.who, why, may=True) for each in self.best if each.who.patient_id in patient_ids]
        rest = tuple(each for each in self.best if each.who.patient_id not in patient_ids)
        return Ranking(rest, (*out, *self.skipped))


def ranking(candidates: Iterable[Candidate], gap: Gap, today: date, most_a_week: int) -> Ranking:
    """Everybody once: in the order to offer, or skipped."""
    fitting: dict[int, Ranked] = {}
    skipped: dict[int, Skipped] = {}
    for who in candidates:
        why = _skipped(who, gap, most_a_week)
        if why is not None:
            skipped.setdefault(who.patient_id, why)
            continue
        found = ranked(who, gap, today)
        known = fitting.get(who.patient_id)
        if known is None or _order(found) < _order(known):
            fitting[who.patient_id] = found
    best = sorted(fitting.values(), key=_order)
    kept, shared = _one_a_phone(best)
    left_out = [each for number, each in skipped.items() if number not in fitting]
    return Ranking(tuple(kept), tuple(shared + sorted(left_out, key=_by_name)))


def _order(found: Ranked) -> tuple[int, date, int]:
    return (-found.points, found.who.since, found.who.patient_id)


def _by_name(skipped: Skipped) -> tuple[str, int]:
    return (skipped.who.name, skipped.who.patient_id)


def _one_a_phone(best: Sequence[Ranked]) -> tuple[list[Ranked], list[Skipped]]:
    """A phone gets one text for one opening, or nobody could tell whose yes it was."""
    kept: list[Ranked] = []
    shared: list[Skipped] = []
    whose: dict[str, str] = {}
    for found in best:
        who = found.who
        if who.by is By.TEXT and who.to in whose:
            shared.append(Skipped(who, f"same phone as {whose[who.to]}", may=False))
            continue
        whose.setdefault(who.to, who.name)
        kept.append(found)
    return kept, shared


def _skipped(who: Candidate, gap: Gap, most_a_week: int) -> Skipped | None:
    day = weekday_day(gap.day)
    if who.minutes > gap.minutes:
        return Skipped(who, f"{who.type_words.lower()} takes {who.minutes} min", may=False)
    if who.leaves is not None and who.leaves <= gap.day:
        return Skipped(who, f"comes {day_words(who.leaves)} anyway", may=False)
    if who.blocked:
        return Skipped(who, who.blocked, may=False)
    if who.why_not:
        return Skipped(who, who.why_not, may=False)
    reasons = (
        (
            who.provider_id not in {0, gap.provider_id},
            "saw someone else last time" if who.source is Source.RECALL else "waits for someone else",
        ),
        (
            who.wishes.ruled_out(gap.day, gap.start),
            f"can’t come {half_day_words(half_day(gap.day, gap.start))}s",
        ),
        (who.canceled_it, "canceled this very time"),
        (who.visit_that_day, f"has a visit {day} already"),
        (bool(who.flag), f"flag: {who.flag}"),
        (who.lately >= most_a_week, f"had {who.lately} offers this week, the limit"),
    )
    return next((Skipped(who, words, may=True) for applies, words in reasons if applies), None)


def ranked(who: Candidate, gap: Gap, today: date) -> Ranked:
    """The points of somebody whom it fits."""
    liked = who.wishes.liked(gap.day, gap.start)
    wished = (liked or not who.wishes.likes) and not who.wishes.ruled_out(gap.day, gap.start)
    waited = max(0, (today - who.since).days)
    earlier = (who.leaves - gap.day).days if who.leaves else 0
    soon = (gap.day - today).days <= SHORT_NOTICE_DAYS
    parts = (
        Part(_source_words(who), _SOURCE_POINTS[who.source]),
        Part("fit", MOST_FOR_FIT * who.minutes // max(1, gap.minutes)),
        Part("worth", min(MOST_FOR_WORTH, max(0, who.worth) // CENTS_A_POINT)),
        Part("wait", min(MOST_FOR_WAIT, waited // DAYS_A_POINT)),
        Part("comes sooner", min(MOST_FOR_EARLIER, max(0, earlier) // 2)),
        Part("wished time" if liked else "different time", WISHED if liked else 0 if wished else -WISHED),
        Part("same person", SAME_PERSON if who.provider_id == gap.provider_id else 0),
        Part("short notice", SOON if soon and who.short_notice else 0),
        Part("missed visits", -min(MOST_FOR_MISSES, A_MISS * who.missed)),
    )
    return Ranked(who, gap.minutes - who.minutes, wished, parts)


def _source_words(who: Candidate) -> str:
    return {
        Source.LOST: "lost their time",
        Source.SHORT: "short notice",
        Source.SOONER: "would come sooner",
        Source.PLANNED: "planned work",
        Source.RECALL: "recall",
    }[who.source]


def why_words(who: Candidate, gap: Gap) -> tuple[str, str]:
    """Why they might want it, and what else speaks for or against, as two short lines."""
    since = day_words(who.since)
    first = {
        Source.LOST: f"lost their time {since}",
        Source.SHORT: "comes at short notice",
        Source.SOONER: f"would leave {weekday_day(who.leaves)}" if who.leaves else "would come sooner",
        Source.PLANNED: f"signed {since}, not booked",
        Source.RECALL: f"due {since}",
    }[who.source]
    if who.wishes.liked(gap.day, gap.start):
        return first, f"prefers {half_day_words(half_day(gap.day, gap.start))}s"
    if who.wishes.likes:
        return first, "prefers other times"
    if who.source is Source.RECALL:
        return first, "no visit booked"
    return first, f"waits since {since}" if who.source is not Source.LOST else ""


def kept_words(who: Candidate) -> tuple[str, str]:
    """How they keep their visits: "missed 2", "of 11 visits"."""
    if not who.visits:
        return "first visit", ""
    of = "of 1 visit" if who.visits == 1 else f"of {who.visits} visits"
    return ("never missed" if not who.missed else f"missed {who.missed}"), of
