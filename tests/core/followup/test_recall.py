"""Recalls by rule: intervals as typed, what a finished visit does, who is of age, when the next try is."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.errors import Problems, Refused
from zax.core.followup.recall import (
    LONGEST_TEXT,
    Interval,
    PlannedTry,
    RecallType,
    Unit,
    after_visit,
    checked,
    next_due,
    next_try,
    read_interval,
    read_tries,
    tries_words,
)
from zax.core.messages.channel import Channel

DAY = date(2026, 11, 24)
CLEANING = RecallType(id=1, name="Cleaning", every=Interval(6, Unit.MONTH), type_id=10)
HEALING = RecallType(
    id=2, name="Healing", every=Interval(3, Unit.DAY), type_id=11, starts=("D7140",), repeats=False
)
GUMS = RecallType(id=3, name="Gums", every=Interval(4, Unit.MONTH), type_id=12, ends=("D5110",))
Found = tuple[list[int], list[int], list[tuple[int, date]]]
INTERVALS = st.builds(Interval, st.integers(1, 110), st.sampled_from([Unit.DAY, Unit.WEEK, Unit.MONTH]))


@pytest.mark.parametrize(
    ("typed", "read"),
    [
        ("6 months", Interval(6, Unit.MONTH)),
        (" 6M ", Interval(6, Unit.MONTH)),
        ("1 yr", Interval(1, Unit.YEAR)),
        ("3 days", Interval(3, Unit.DAY)),
        ("2w", Interval(2, Unit.WEEK)),
        ("10 years", Interval(10, Unit.YEAR)),
    ],
)
def test_an_interval_is_typed_as_it_is_said(typed: str, read: Interval) -> None:
    assert read_interval(typed) == read


@pytest.mark.parametrize(
    "typed", ["", "0 months", "six months", "-3 days", "11 years", "6", "６ months", "9999d"]
)
def test_what_is_no_interval_is_refused(typed: str) -> None:
    with pytest.raises(Refused):
        read_interval(typed)


@given(INTERVALS, st.dates(date(1990, 1, 1), date(2090, 1, 1)))
def test_an_interval_reads_back_as_it_is_written_and_always_lies_ahead(every: Interval, day: date) -> None:
    assert read_interval(every.words) == every
    assert next_due(day, every) > day


def test_the_last_of_a_month_stays_the_last() -> None:
    assert next_due(date(2026, 8, 31), Interval(6, Unit.MONTH)) == date(2027, 2, 28)
    assert next_due(date(2024, 2, 29), Interval(1, Unit.YEAR)) == date(2025, 2, 28)


def after(open_ones: set[int], codes: set[str], type_id: int = 10, **more: object) -> Found:
    kinds = more.pop("kinds", (CLEANING, HEALING, GUMS))
    found = after_visit(
        kinds,  # type: ignore[arg-type]
        open_ones,
        more.pop("own", {}),  # type: ignore[arg-type]
        more.pop("chosen", {}),  # type: ignore[arg-type]
        type_id=type_id,
        codes=codes,
        day=DAY,
        birth=more.pop("birth", None),  # type: ignore[arg-type]
    )
    return (
        [each.id for each in found.done],
        [each.id for each in found.ended],
        [(each.kind.id, each.due) for each in found.next],
    )


def test_a_visit_of_its_type_starts_it_and_moves_it_on() -> None:
    assert after(set(), set()) == ([], [], [(1, date(2027, 5, 24))])
    assert after({1}, set()) == ([1], [], [(1, date(2027, 5, 24))])
    assert after({1}, set(), own={1: Interval(3, Unit.MONTH)})[2] == [(1, date(2027, 2, 24))]
    assert after({1}, set(), chosen={1: Interval(4, Unit.MONTH)})[2] == [(1, date(2027, 3, 24))]
    assert after({1}, set(), chosen={1: None}) == ([1], [], [])


def test_a_service_starts_one_that_does_not_repeat_and_another_visit_ends_one() -> None:
    assert after(set(), {"D7140"}, type_id=99) == ([], [], [(2, DAY + timedelta(days=3))])
    assert after({2}, {"D7140"}, type_id=99) == ([2], [], [])
    assert after({3}, {"D5110"}, type_id=12) == ([], [3], [])
    assert after(set(), {"D5110"}, type_id=12) == ([], [], [])


def test_a_type_no_longer_used_is_done_but_not_set_again() -> None:
    old = replace(CLEANING, active=False)
    assert after(set(), set(), kinds=(old,)) == ([], [], [])
    assert after({1}, set(), kinds=(old,)) == ([1], [], [])


def test_ages_are_those_of_the_day_it_is_due() -> None:
    child = replace(CLEANING, youngest=3, oldest=17)
    almost = date(2009, 5, 20)  # eighteen when it would be due
    assert after(set(), set(), kinds=(child,), birth=almost) == ([], [], [])
    assert after(set(), set(), kinds=(child,), birth=date(2009, 5, 25))[2] == [(1, date(2027, 5, 24))]
    assert after(set(), set(), kinds=(child,), birth=None)[2] == [(1, date(2027, 5, 24))]


@given(
    st.sets(st.sampled_from([1, 2, 3])),
    st.sets(st.sampled_from(["D7140", "D5110", "D1110"])),
    st.sampled_from([10, 11, 12, 99]),
)
def test_whatever_is_done_nothing_open_vanishes(open_ones: set[int], codes: set[str], type_id: int) -> None:
    """Each open recall is done, ended or untouched; what is set anew was not left open beside it."""
    done, ended, following = after(open_ones, codes, type_id)
    assert not set(done) & set(ended) and set(done) | set(ended) <= open_ones
    still_open = open_ones - set(done) - set(ended)
    assert not still_open & {kind for kind, _ in following}


def test_tries_follow_each_other_and_the_past_means_today() -> None:
    kind = replace(CLEANING, tries=read_tries("text -14, call 7"))
    due = DAY + timedelta(days=30)
    assert next_try(kind, due, 0, DAY) == (due - timedelta(days=14), Channel.TEXT)
    assert next_try(kind, DAY, 0, DAY) == (DAY, Channel.TEXT)
    assert next_try(kind, DAY, 1, DAY) == (DAY + timedelta(days=7), Channel.CALL)
    assert next_try(kind, DAY, 2, DAY) is None


def test_tries_read_back_as_they_are_written() -> None:
    tries = read_tries("text −14,  email 0, letter +30")
    assert tries == (
        PlannedTry(-14, Channel.TEXT),
        PlannedTry(0, Channel.EMAIL),
        PlannedTry(30, Channel.LETTER),
    )
    assert read_tries(tries_words(tries)) == tries and read_tries("") == ()
    for wrong in (
        "text",
        "shout 3",
        "text x",
        "text 7, call 7",
        "text 1,text 2,text 3,text 4,text 5,text 6,text 7",
    ):
        with pytest.raises(Refused):
            read_tries(wrong)


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"name": " "}, "name"),
        ({"type_id": 0}, "type_id"),
        ({"after": 181}, "after"),
        ({"youngest": 20, "oldest": 10}, "oldest"),
        ({"youngest": 140}, "youngest"),
        ({"starts": ("D1",), "ends": ("D1",)}, "ends"),
        ({"text": "x" * (LONGEST_TEXT + 1)}, "text"),
        ({"letter": "{nobody}"}, "letter"),
    ],
)
def test_a_type_is_checked_beside_its_fields(changes: dict[str, object], field: str) -> None:
    with pytest.raises(Problems) as wrong:
        checked(replace(CLEANING, **changes))  # type: ignore[arg-type]
    assert field in wrong.value.problems
