"""Whom to call first: a score whose parts add up, overdue returns above it, what a try says of the next."""

from __future__ import annotations

from datetime import date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.followup.attempts import Attempt, Outcome, calls_in_vain, hours_of, rests_until
from zax.core.followup.call_sheet import (
    A_TRY,
    MOST_FOR_WAITING,
    SHIPPED_WEIGHTS,
    URGENT,
    WHY_WORDS,
    Reason,
    Why,
    points_of,
    ranked,
    score_of,
)
from zax.core.followup.say_first import say_first

DAY = date(2026, 11, 24)
NEXT = DAY + timedelta(days=6)


def reason(why: Why = Why.RECALL, ago: int = 0, patient: int = 1, **more: object) -> Reason:
    return Reason(patient, why, DAY - timedelta(days=ago), f"{why}-{patient}", "Hygiene", **more)  # type: ignore[arg-type]


REASONS = st.builds(
    lambda why, ago, patient, cents, urgent, overdue: Reason(
        patient, why, DAY - timedelta(days=ago), f"{why}-{patient}-{ago}", "x", cents, urgent, overdue
    ),
    st.sampled_from(list(Why)),
    st.integers(-5, 4000),
    st.integers(1, 6),
    st.integers(-5_000, 500_000),
    st.booleans(),
    st.booleans(),
)


def test_a_reason_weighs_more_the_longer_it_waits_and_the_more_is_owed() -> None:
    assert points_of(reason(), DAY, SHIPPED_WEIGHTS) == 20
    assert points_of(reason(ago=42), DAY, SHIPPED_WEIGHTS) == 26
    assert points_of(reason(ago=3652), DAY, SHIPPED_WEIGHTS) == 20 + MOST_FOR_WAITING
    assert points_of(reason(Why.BALANCE, cents=12_600), DAY, SHIPPED_WEIGHTS) == 20
    assert points_of(reason(Why.BALANCE, cents=-90_000), DAY, SHIPPED_WEIGHTS) == 15
    assert points_of(reason(Why.UNCONFIRMED, ago=-1, urgent=True), DAY, SHIPPED_WEIGHTS) == 40 + URGENT


def test_the_score_says_how_it_came_about() -> None:
    score = score_of([reason(ago=42), reason(Why.BALANCE, cents=12_600)], 2, DAY, SHIPPED_WEIGHTS)
    assert (score.points, score.sentence) == (26, "recall 26, balance 20, 2 tries −20")
    first = score_of([reason(Why.RETURN, ago=4, overdue=True)], 0, DAY, SHIPPED_WEIGHTS)
    assert first.first and first.sentence == "an overdue return stands above any score: asked to return 60"


@given(st.lists(REASONS, max_size=40), st.dictionaries(st.integers(1, 6), st.integers(0, 5)))
def test_everybody_stands_once_with_all_reasons_and_the_parts_add_up(
    reasons: list[Reason], tries: dict[int, int]
) -> None:
    rows = ranked(reasons, tries, DAY, SHIPPED_WEIGHTS)
    assert sorted(each for row in rows for each in row.reasons) == sorted(reasons)
    assert len({row.patient_id for row in rows}) == len(rows)
    for row in rows:
        assert row.score.points == sum(part.points for part in row.score.parts)
        assert row.score.points >= -A_TRY * tries.get(row.patient_id, 0)
    order = [(not row.score.first, -row.score.points) for row in rows]
    assert order == sorted(order)
    if len({each.about for each in reasons}) == len(reasons):
        assert ranked(list(reversed(reasons)), tries, DAY, SHIPPED_WEIGHTS) == rows


@given(st.lists(REASONS, min_size=1, max_size=20))
def test_an_overdue_return_stands_above_whatever_else(reasons: list[Reason]) -> None:
    lowly = Reason(99, Why.RETURN, DAY - timedelta(days=1), "return-1", "x", 0, False, True)
    rows = ranked([*reasons, lowly], {99: 9}, DAY, SHIPPED_WEIGHTS)
    place = [row.patient_id for row in rows].index(99)
    assert all(row.score.first for row in rows[:place])


def test_every_reason_has_a_weight_words_and_a_sentence() -> None:
    assert set(SHIPPED_WEIGHTS) == set(WHY_WORDS) == set(Why)
    said = [say_first(reason(why, cents=12_345), DAY) for why in Why]
    assert len(set(said)) == len(said)
    assert all(words.endswith((".", "?")) and "{" not in words for words in said)
    assert say_first(reason(Why.RETURN, ago=4, overdue=True), DAY).endswith("It was to be done by Nov 20.")


def tried(ago: int, outcome: Outcome, *about: str, hour: int = 10, **more: object) -> Attempt:
    at = datetime(2026, 11, 24, hour) - timedelta(days=ago)
    return Attempt(at, "call", outcome, about or ("recall-1",), **more)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("attempts", "until"),
    [
        ([], None),
        ([tried(0, Outcome.NO_ANSWER)], DAY + timedelta(days=1)),
        ([tried(1, Outcome.NO_ANSWER)], None),
        ([tried(0, Outcome.MESSAGE)], DAY + timedelta(days=2)),
        ([tried(9, Outcome.AGAIN, again_on=DAY + timedelta(days=6))], DAY + timedelta(days=6)),
        (
            [tried(0, Outcome.AGAIN, again_on=DAY + timedelta(days=6)), tried(0, Outcome.NO_ANSWER)],
            DAY + timedelta(days=6),
        ),
        ([tried(9, Outcome.AGAIN, again_on=DAY)], None),
        ([tried(3, Outcome.NO)], DAY + timedelta(days=27)),
        ([tried(3, Outcome.NO, "balance-1")], None),
        ([tried(0, Outcome.WRONG)], None),
    ],
)
def test_a_try_says_when_they_may_be_called_again(attempts: list[Attempt], until: date | None) -> None:
    assert rests_until(attempts, "recall-1", DAY) == until


def test_calls_in_vain_are_counted_since_anybody_spoke_with_them() -> None:
    vain = [tried(9, Outcome.NO_ANSWER), tried(5, Outcome.MESSAGE), tried(2, Outcome.NO_ANSWER, "balance-1")]
    assert calls_in_vain(vain, "recall-1") == 2
    assert calls_in_vain([*vain, tried(1, Outcome.AGAIN)], "recall-1") == 0
    assert (
        calls_in_vain([Attempt(datetime(2026, 11, 1), "text", Outcome.SENT, ("recall-1",))], "recall-1") == 0
    )


def test_the_best_hour_is_the_one_at_which_they_picked_up() -> None:
    tries = [
        tried(1, Outcome.NO_ANSWER, hour=9),
        tried(2, Outcome.REACHED, hour=17),
        tried(3, Outcome.BOOKED, hour=17),
    ]
    hours = hours_of([*tries, tried(4, Outcome.AGAIN, hour=12), tried(5, Outcome.REACHED, hour=22)])
    assert (hours.best, hours.answered[9], hours.silent[1]) == (17, 2, 1)
    assert hours_of([tried(1, Outcome.NO_ANSWER)]).best is None
