"""What a time is worth, and why: one table of points, each of them a reason in words that the desk reads."""

from __future__ import annotations

from collections.abc import Iterator

from zax.core.book.hours import Span
from zax.core.book.minutes import run_around
from zax.core.book.search_request import Opening, SearchRequest, SiteDay
from zax.core.patients.wishes import half_day, half_day_words
from zax.core.wording import clock_span

LONG_BLOCK = 120
NEAR_HOUSEHOLD = 15
POINTS = {
    "exact": 40,
    "household": 25,
    "tidy": 15,
    "same_person": 15,
    "edge": 10,
    "likes": 10,
    "goal": 10,
    "scrap": -20,
    "cuts": -10,
    "never": -60,
}


def reasons_for(need: SearchRequest, site_day: SiteDay, visit: Opening) -> Iterator[tuple[str, int]]:
    """Each reason for or against the time, in words, with its points."""
    yield from _fit(need, site_day, visit)
    span = Span(visit.start, visit.start + visit.minutes)
    near = next((name for other, name in site_day.household if _near(span, other)), None)
    if near:
        yield f"Next to {near}’s visit", POINTS["household"]
    if need.wishes.liked(visit.day, visit.start):
        yield f"{half_day_words(half_day(visit.day, visit.start))}, as they prefer", POINTS["likes"]
    elif need.wishes.ruled_out(visit.day, visit.start):
        yield f"They can’t come on {half_day_words(half_day(visit.day, visit.start))}s", POINTS["never"]
    if need.last_person and need.last_person == visit.lead:
        yield "Same person as last time", POINTS["same_person"]
    have = site_day.counts.get(need.type_id, 0)
    if have < need.goal:
        yield f"Number {have + 1} of the {need.goal} wanted that day", POINTS["goal"]


def _fit(need: SearchRequest, site_day: SiteDay, visit: Opening) -> Iterator[tuple[str, int]]:
    """How the visit lies in the lead's stretch of free time."""
    run = run_around(site_day.free(visit.lead), visit.start)
    end = visit.start + visit.minutes
    if run is None or end > run.end:
        return
    before, after = visit.start - run.start, run.end - end
    if not before and not after:
        yield f"Fills a {run.minutes}-min gap exactly", POINTS["exact"]
        return
    scraps = [rest for rest in (before, after) if 0 < rest < need.shortest]
    if scraps:
        yield f"Leaves {sum(scraps)} min that’s hard to fill", POINTS["scrap"]
    else:
        yield "Leaves no unusable gap", POINTS["tidy"]
    if run.minutes >= LONG_BLOCK and visit.minutes <= run.minutes // 2:
        if before and after:
            yield (
                f"Splits the open time {clock_span(run.start, run.end)} in two",
                POINTS["cuts"],
            )
        else:
            yield "Keeps a long block open", POINTS["edge"]


def _near(span: Span, other: Span) -> bool:
    """Side by side, or one soon after the other."""
    return span.start - other.end <= NEAR_HOUSEHOLD and other.start - span.end <= NEAR_HOUSEHOLD
