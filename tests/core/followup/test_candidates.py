"""Whom to offer an opening to, in which order, and who is skipped and why."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.book.waitlist import Gap
from zax.core.followup.candidates import By, Candidate, Source, ranking
from zax.core.patients.wishes import Wishes, half_day

TODAY = date(2026, 11, 24)
GAP = Gap(1, TODAY + timedelta(days=1), 14 * 60 + 20, 40, 7, "dentist", frozenset({1}))
ADA = Candidate(
    patient_id=1,
    name="Ada Lorne",
    source=Source.LOST,
    since=TODAY - timedelta(days=12),
    type_id=1,
    type_words="Filling",
    minutes=40,
    worth=28_600,
    to="3605550101",
)


def names(*who: Candidate, week: int = 2) -> list[str]:
    return [each.who.name for each in ranking(who, GAP, TODAY, week).best]


def why_not(who: Candidate) -> str:
    (only,) = ranking([who], GAP, TODAY, 2).skipped
    return only.why


def other(number: int, name: str, **more: object) -> Candidate:
    return replace(ADA, patient_id=number, name=name, to=f"360555{number:04}", **more)  # type: ignore[arg-type]


def test_what_fills_it_and_is_worth_more_comes_first() -> None:
    short = other(2, "Noor", minutes=30, worth=21_000)
    misses = other(3, "Otto", missed=3)
    wished = other(4, "Bram", wishes=Wishes(1 << half_day(GAP.day, GAP.start)))
    assert names(short, misses, ADA, wished) == ["Bram", "Ada Lorne", "Noor", "Otto"]


def test_a_person_stands_once_with_what_suits_best() -> None:
    recall = replace(ADA, source=Source.RECALL, minutes=20, worth=9_000, recall_id=5)
    (only,) = ranking([recall, ADA], GAP, TODAY, 2).best
    assert only.who.source is Source.LOST and only.left == 0
    too_long = replace(ADA, minutes=60, type_words="Crown prep")
    both = ranking([too_long, recall], GAP, TODAY, 2)
    assert [each.who.recall_id for each in both.best] == [5] and both.skipped == ()


@pytest.mark.parametrize(
    ("more", "why"),
    [
        ({"minutes": 60, "type_words": "Crown prep"}, "crown prep takes 60 min"),
        ({"why_not": "wants no texts", "to": ""}, "wants no texts"),
        ({"lately": 2}, "had 2 offers this week, the limit"),
        ({"visit_that_day": True}, "has a visit Wed, Nov 25 already"),
        ({"flag": "see billing before booking"}, "flag: see billing before booking"),
        ({"wishes": Wishes(never=1 << half_day(GAP.day, GAP.start))}, "can’t come Wednesday afternoons"),
        ({"leaves": GAP.day}, "comes Nov 25 anyway"),
        ({"provider_id": 9}, "waits for someone else"),
    ],
)
def test_who_is_skipped_and_why(more: dict[str, object], why: str) -> None:
    assert why_not(replace(ADA, **more)) == why  # type: ignore[arg-type]


def test_a_phone_is_texted_once() -> None:
    child = replace(ADA, patient_id=9, name="Tim Lorne", worth=100)
    found = ranking([ADA, child], GAP, TODAY, 2)
    assert [each.who.name for each in found.best] == ["Ada Lorne"]
    assert [(each.who.name, each.why, each.may) for each in found.skipped] == [
        ("Tim Lorne", "same phone as Ada Lorne", False)
    ]
    called = replace(child, by=By.CALL)
    assert len(ranking([ADA, called], GAP, TODAY, 2).best) == 2


SOMEBODY = st.builds(
    Candidate,
    patient_id=st.integers(1, 12),
    name=st.sampled_from("ABCDEF"),
    source=st.sampled_from(sorted(Source)),
    since=st.dates(date(2016, 1, 1), TODAY + timedelta(days=30)),
    type_id=st.just(1),
    type_words=st.just("Exam"),
    minutes=st.integers(5, 60),
    worth=st.integers(-100, 500_000),
    wishes=st.builds(Wishes, likes=st.integers(0, 2**14 - 1)),
    missed=st.integers(0, 20),
    lately=st.integers(0, 3),
    to=st.sampled_from(["3605550101", "3605550102", "3605550103"]),
)


@given(st.lists(SOMEBODY, max_size=20))
def test_nobody_is_lost_and_nobody_stands_twice(people: list[Candidate]) -> None:
    found = ranking(people, GAP, TODAY, 2)
    best = [each.who.patient_id for each in found.best]
    skipped = [each.who.patient_id for each in found.skipped]
    assert sorted(best + skipped) == sorted({each.patient_id for each in people})
    phones = [each.who.to for each in found.best if each.who.by is By.TEXT]
    assert len(set(phones)) == len(phones)
    points = [each.points for each in found.best]
    assert points == sorted(points, reverse=True)
    assert all(each.left >= 0 for each in found.best)


@given(st.lists(SOMEBODY, max_size=8), st.randoms())
def test_the_order_does_not_hang_on_the_order_of_reading(people: list[Candidate], random: object) -> None:
    once = {each.patient_id: each for each in people}
    mixed = list(once.values())
    random.shuffle(mixed)  # type: ignore[attr-defined]
    assert ranking(once.values(), GAP, TODAY, 2) == ranking(mixed, GAP, TODAY, 2)
