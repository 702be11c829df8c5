"""Openings against a brute-force oracle that walks every minute, and the reasons given for them."""

import itertools
from datetime import date, timedelta
from functools import cache

from hypothesis import given, settings
from hypothesis import strategies as st

from zax.core.book.hours import Span
from zax.core.book.minutes import bits_of, minutes_in, on_grid, run_around, starts
from zax.core.book.openings import BEST_OF_A_DAY, LONGEST_WAIT, best_openings, feasible
from zax.core.book.scoring import LONG_BLOCK, POINTS
from zax.core.book.search_request import Helpers, Opening, SearchRequest, SiteDay
from zax.core.patients.wishes import Wishes, half_day, half_day_words, wishes_of

FIRST = date(2026, 11, 23)
FROM, TO = 8 * 60, 12 * 60
five = st.integers(FROM // 5, TO // 5 - 1).map(lambda n: n * 5)
pieces = st.lists(
    st.tuples(five, st.integers(1, 14)).map(lambda p: Span(p[0], min(TO, p[0] + p[1] * 5))), max_size=4
)
LEADS, HELPERS, ROOMS = (1, 2), (7, 8, 1), (11, 12)


@cache
def minutes_of(bits: int) -> frozenset[int]:
    return frozenset(minute + more for minute in minutes_in(bits) for more in range(5))


@given(pieces, st.integers(1, 30).map(lambda n: n * 5))
def test_bits_know_the_same_starts_as_minutes(spans: list[Span], length: int) -> None:
    free = {minute for span in spans for minute in range(span.start, span.end)}
    assert set(minutes_in(starts(bits_of(spans), length))) == {
        s for s in range(0, 1440, 5) if all(m in free for m in range(s, s + length))
    }


@given(pieces, five)
def test_the_run_around_a_minute(spans: list[Span], minute: int) -> None:
    free = {m for span in spans for m in range(span.start, span.end)}
    run = run_around(bits_of(spans), minute)
    assert (run is not None) == (minute in free)
    if run:
        assert set(range(run.start, run.end)) <= free and run.start - 1 not in free and run.end not in free


def test_a_grid_is_every_so_many_minutes() -> None:
    assert list(minutes_in(on_grid(15)))[:3] == [0, 15, 30]


@st.composite
def site_days(draw: st.DrawFn, number: int, site: int = 1) -> SiteDay:
    people = {1, 2, 7, 8}
    return SiteDay(
        day=FIRST + timedelta(days=number),
        site_id=site,
        grid=draw(st.sampled_from([5, 10, 15])),
        open={p: bits_of([Span(FROM, TO)] if draw(st.booleans()) else draw(pieces)) for p in people},
        busy={p: bits_of(draw(pieces)) for p in people},
        rooms={room: bits_of(draw(pieces)) for room in ROOMS},
        counts={5: draw(st.integers(0, 3))},
        household=tuple(
            (span, "Ana")
            for span in draw(
                st.lists(st.tuples(five, st.just(30)).map(lambda p: Span(p[0], p[0] + p[1])), max_size=1)
            )
        ),
        own=bits_of(draw(st.lists(st.just(Span(600, 630)), max_size=1))),
        earliest=draw(st.sampled_from([0, 0, 540])),
    )


@st.composite
def needs(draw: st.DrawFn, helping: bool = True) -> SearchRequest:
    minutes = draw(st.sampled_from([15, 20, 30, 40, 60]))
    offsets = st.lists(st.sampled_from([0, 5, 10, 20]), min_size=1, max_size=3, unique=True).map(tuple)
    several = draw(st.integers(0, 3)) if helping else 0
    helpers = tuple(
        Helpers(
            draw(st.permutations(HELPERS).map(tuple)),
            draw(st.sampled_from([5, 10])),
            draw(offsets),
            "exam",
            draw(st.sampled_from([None, 0])) if n == 1 else None,
        )
        for n in range(several)
    )
    return SearchRequest(
        minutes=minutes,
        leads=draw(st.sampled_from([(1,), (1, 2), (2, 1)])),
        rooms=ROOMS,
        type_id=5,
        home_rooms={1: 12},
        helpers=helpers,
        lead_parts=draw(st.sampled_from([(), (), ((0, 5), (10, 5))])),
        buffer=draw(st.sampled_from([0, 0, 10])),
        hours=(bits_of([Span(FROM, TO - 30)]),) * 7
        if draw(st.booleans())
        else (bits_of([Span(0, 1440)]),) * 7,
        shortest=draw(st.sampled_from([15, 30])),
        goal=draw(st.sampled_from([0, 2])),
        most=draw(st.sampled_from([0, 0, 2])),
        wishes=wishes_of(
            draw(st.lists(st.integers(0, 5), max_size=2)), draw(st.lists(st.integers(0, 5), max_size=2))
        ),
        last_person=draw(st.sampled_from([0, 1])),
    )


def can_be(need: SearchRequest, day: SiteDay, lead: int, start: int) -> bool:
    """The oracle: minute by minute, trying every combination of helpers."""
    open_, busy = (
        {p: minutes_of(day.open[p]) for p in day.open},
        {p: minutes_of(day.busy[p]) for p in day.busy},
    )
    whole = range(start, start + need.minutes)
    parts = need.lead_parts or ((0, need.minutes),)
    mine = {start + offset + m for offset, length in parts for m in range(length)}
    end = start + parts[-1][0] + parts[-1][1]
    if (
        start % day.grid
        or start < day.earliest
        or not set(whole) <= minutes_of(need.hours[day.day.weekday()])
    ):
        return False
    if need.most and day.counts.get(need.type_id, 0) >= need.most:
        return False
    if (
        not mine <= open_[lead] - busy[lead]
        or set(range(end, end + need.buffer)) & busy[lead]
        or set(whole) & minutes_of(day.own)
    ):
        return False
    if all(
        set(range(start, start + need.minutes + need.buffer)) & minutes_of(day.rooms[room])
        for room in need.rooms
    ):
        return False
    choices = [
        [(p, start + o, start + o + h.minutes) for p in h.people for o in h.offsets if p != lead]
        for h in need.helpers
    ]
    for chosen in itertools.product(*choices):
        free = all(set(range(a, b)) <= open_[p] - busy[p] for p, a, b in chosen)
        same = all(
            h.same_as is None or chosen[n][0] == chosen[h.same_as][0] for n, h in enumerate(need.helpers)
        )
        apart = all(
            a[0] != b[0] or a[2] <= b[1] or b[2] <= a[1] for a, b in itertools.combinations(chosen, 2)
        )
        if free and same and apart:
            return True
    return not need.helpers


def worth(need: SearchRequest, day: SiteDay, lead: int, start: int) -> int:
    """The oracle's own sum of points."""
    free = minutes_of(day.open[lead]) - minutes_of(day.busy[lead])
    end, points = start + need.minutes, -(day.day - FIRST).days
    before = next(n for n in itertools.count() if start - n - 1 not in free)
    if set(range(start, end)) <= free:
        after = next(n for n in itertools.count() if end + n not in free)
        if before == after == 0:
            points += POINTS["exact"]
        else:
            points += (
                POINTS["scrap"]
                if any(0 < rest < need.shortest for rest in (before, after))
                else POINTS["tidy"]
            )
            if (
                before + need.minutes + after >= LONG_BLOCK
                and need.minutes * 2 <= before + need.minutes + after
            ):
                points += POINTS["cuts"] if before and after else POINTS["edge"]
    if any(start - span.end <= 15 and span.start - end <= 15 for span, _ in day.household):
        points += POINTS["household"]
    half = 1 << half_day(day.day, start)
    points += (
        POINTS["likes"] if need.wishes.likes & half else POINTS["never"] if need.wishes.never & half else 0
    )
    points += POINTS["same_person"] if need.last_person == lead else 0
    return points + (POINTS["goal"] if day.counts.get(need.type_id, 0) < need.goal else 0)


def brute_force(need: SearchRequest, days: list[SiteDay], limit: int) -> list[tuple[int, date, int, int]]:
    found = []
    for day, lead in itertools.product(days, need.leads):
        possible = [s for s in range(FROM, TO, 5) if can_be(need, day, lead, s)]
        offered = [
            s for s in possible if s % 30 == 0 or s - day.grid not in possible or s + day.grid not in possible
        ]
        ranked = sorted((-worth(need, day, lead, s), day.day, s, lead) for s in offered)
        found += ranked[:BEST_OF_A_DAY]
    return sorted(found)[:limit]


@settings(max_examples=120, deadline=None)
@given(needs(), st.tuples(site_days(0), site_days(1), site_days(30)), st.integers(1, 6))
def test_the_best_openings_are_those_of_the_oracle(
    need: SearchRequest, days: tuple[SiteDay, ...], limit: int
) -> None:
    found = best_openings([need], days, FIRST, limit)
    assert [(-o.score, o.day, o.start, o.lead) for o in found] == brute_force(need, list(days), limit)
    for opening in found:
        assert can_be(need, next(d for d in days if d.day == opening.day), opening.lead, opening.start)
        check_staff(need, next(d for d in days if d.day == opening.day), opening)


def check_staff(need: SearchRequest, day: SiteDay, opening: Opening) -> None:
    """The people and the room named are really free."""
    helpers = opening.staff[len(need.lead_parts or (1,)) :]
    assert len(helpers) == len(need.helpers)
    for slot, helper in zip(helpers, need.helpers, strict=True):
        assert slot.provider_id in helper.people and slot.provider_id != opening.lead
        assert slot.span.start - opening.start in helper.offsets and slot.span.minutes == helper.minutes
        assert set(range(slot.span.start, slot.span.end)) <= minutes_of(day.free(slot.provider_id))
        assert helper.same_as is None or helpers[helper.same_as].provider_id == slot.provider_id
    whole = range(opening.start, opening.start + opening.minutes + need.buffer)
    assert not set(whole) & minutes_of(day.rooms[opening.room])


@settings(max_examples=50, deadline=None)
@given(
    st.lists(needs(helping=False), min_size=2, max_size=3),
    st.tuples(site_days(0), site_days(1)),
    st.booleans(),
)
def test_several_visits_of_one_day_never_collide_and_keep_their_order(
    wanted: list[SearchRequest], days: tuple[SiteDay, ...], together: bool
) -> None:
    for opening in best_openings(wanted, days, FIRST, 4, together):
        day = next(d for d in days if d.day == opening.day)
        chain = (opening, *opening.then)
        assert len(chain) == len(wanted)
        for need, visit in zip(wanted, chain, strict=True):
            assert can_be(need, day, visit.lead, visit.start)
        for one, other in itertools.pairwise(chain):
            wait = other.start - one.start if together else other.start - one.start - one.minutes
            assert wait == 0 if together else 0 <= wait <= LONGEST_WAIT
        busy = [(s.provider_id, m) for v in chain for s in v.staff for m in range(s.span.start, s.span.end)]
        assert len(busy) == len(set(busy))
        held = [
            (v.room, m)
            for n, v in zip(wanted, chain, strict=True)
            for m in range(v.start, v.start + v.minutes + n.buffer)
        ]
        assert len(held) == len(set(held))


@settings(max_examples=40, deadline=None)
@given(needs(helping=False), needs(helping=False), site_days(0))
def test_a_chain_is_found_whenever_there_is_one_with_rooms_to_spare(
    one: SearchRequest, other: SearchRequest, day: SiteDay
) -> None:
    roomy = SiteDay(
        day=day.day,
        site_id=1,
        grid=day.grid,
        open=day.open,
        busy=day.busy,
        rooms={11: 0, 12: 0},
        counts=day.counts,
        household=day.household,
        own=day.own,
        earliest=day.earliest,
    )
    apart = [
        SearchRequest(
            **{f: getattr(n, f) for f in SearchRequest.__slots__}
            | {"rooms": (room,), "leads": (lead,), "buffer": 0}
        )
        for n, room, lead in ((one, 11, 1), (other, 12, 2))
    ]
    exists = any(
        can_be(apart[0], roomy, 1, s)
        and any(
            can_be(apart[1], roomy, 2, t)
            for t in range(s + apart[0].minutes, s + apart[0].minutes + LONGEST_WAIT + 1, 5)
        )
        for s in range(FROM, TO, 5)
    )
    assert bool(best_openings(apart, [roomy], FIRST)) == exists


def day_of(free: list[tuple[int, int]], number: int = 0, **more: object) -> SiteDay:
    return SiteDay(
        day=FIRST + timedelta(days=number),
        site_id=1,
        grid=5,
        open={1: bits_of(Span(a, b) for a, b in free)},
        busy={},
        rooms={11: 0},
        **more,
    )  # type: ignore[arg-type]


def reasons(need: SearchRequest, *days: SiteDay) -> list[tuple[str, ...]]:
    return [opening.reasons for opening in best_openings([need], days, FIRST)]


def test_each_reason_says_what_it_is_worth() -> None:
    need = SearchRequest(minutes=60, leads=(1,), rooms=(11,))
    assert reasons(need, day_of([(600, 660)])) == [("Fills a 60-min gap exactly",)]
    assert reasons(need, day_of([(600, 670)]))[0] == ("Leaves 10 min that’s hard to fill",)
    assert reasons(need, day_of([(600, 690)]))[0] == ("Leaves no unusable gap",)
    whole = best_openings([need], [day_of([(480, 720)])], FIRST)
    assert [o.start for o in whole] == [480, 660] and "Keeps a long block open" in whole[0].reasons
    assert any(
        "Next to Ana’s visit" in r
        for r in reasons(need, day_of([(480, 720)], household=((Span(560, 600), "Ana"),)))[:1]
    )
    liking = SearchRequest(
        minutes=60, leads=(1,), rooms=(11,), wishes=Wishes(likes=1 << half_day(FIRST, 480))
    )
    assert f"{half_day_words(0)}, as they prefer" in reasons(liking, day_of([(480, 540)]))[0]
    assert (
        "Number 3 of the 4 wanted that day"
        in reasons(
            SearchRequest(minutes=60, leads=(1,), rooms=(11,), type_id=5, goal=4),
            day_of([(480, 540)], counts={5: 2}),
        )[0]
    )
    assert (
        "Same person as last time"
        in reasons(SearchRequest(minutes=60, leads=(1,), rooms=(11,), last_person=1), day_of([(480, 540)]))[0]
    )


def test_days_are_read_only_as_far_as_they_can_matter() -> None:
    read = []

    def days() -> object:
        for number in range(700):
            read.append(number)
            yield day_of([(600, 660)], number)

    found = best_openings([SearchRequest(minutes=60, leads=(1,), rooms=(11,))], days(), FIRST, 5)  # type: ignore[arg-type]
    assert [(o.day - FIRST).days for o in found] == [0, 1, 2, 3, 4]
    assert len(read) < 60


def test_a_type_that_is_full_that_day_has_no_opening() -> None:
    assert (
        feasible(
            SearchRequest(minutes=60, leads=(1,), rooms=(11,), type_id=5, most=2),
            day_of([(480, 720)], counts={5: 2}),
            1,
        )
        == 0
    )
