"""The chance of not coming: it finds what is there, says nothing where nothing is, and stays a chance."""

from __future__ import annotations

import random
from dataclasses import fields, replace
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.followup.missing import (
    FEATURES,
    Case,
    Model,
    brier_of,
    calibration,
    chance_of,
    features,
    logistic,
    own_rate,
    risk_of,
)
from zax.core.followup.missing_fit import LEAST_VISITS, fit

TODAY = date(2026, 11, 24)
CASE = Case(visits=9, missed=0, lead_days=20, days_ahead=2, confirmed=True, start=600, owed=0)
MODEL = Model(
    fitted_on=TODAY,
    base=0.05,
    intercept=-3.2,
    weights=(1.0, 0.2, 0.3, 0.1, 0.9, 0.4, 0.1, 0.2),
    fitted=5_000,
    tested=1_000,
    brier=0.040,
    brier_base=0.048,
)


def clinic(count: int, seed: int, habit: float, unconfirmed: float) -> tuple[list[Case], list[bool]]:
    """Visits in time of people who each have their own way; `habit` 0: nobody differs from anybody."""
    dice = random.Random(seed)
    people = [(dice.gauss(0, habit), [0, 0]) for _ in range(count // 12)]
    cases, missed = [], []
    for _ in range(count):
        own, (visits, misses) = person = dice.choice(people)
        confirmed = dice.random() < 0.6
        case = Case(
            visits=visits,
            missed=misses,
            lead_days=dice.randrange(60),
            days_ahead=dice.choice((1, 2, 7)),
            confirmed=confirmed,
            start=dice.randrange(480, 1020, 30),
            owed=dice.choice((0, 0, 0, 9_000)),
        )
        happened = dice.random() < logistic(-3 + own + (0 if confirmed else unconfirmed))
        person[1][0] += 1
        person[1][1] += happened
        cases.append(case)
        missed.append(happened)
    return cases, missed


def test_it_finds_who_misses_and_that_it_helps() -> None:
    cases, missed = clinic(12_000, 3, habit=1.2, unconfirmed=1.0)
    model = fit(cases, missed, TODAY)
    assert model is not None and model.helps
    assert model.brier < 0.96 * model.brier_base
    weights = dict(zip(FEATURES, model.weights, strict=True))
    assert weights["own"] > 0.4 and weights["unconfirmed"] > 0.5
    assert all(abs(weights[name]) < 0.25 for name in ("early", "late", "owes"))
    assert model.tested == 2_400 and sum(each.visits for each in model.bins) == 2_400
    assert all(abs(each.said - each.missed) < 0.06 for each in model.bins)


def test_where_there_is_nothing_to_find_nothing_is_shown() -> None:
    """On noise it does no better than the clinic's rate, or hardly, and then nobody's chance stands out."""
    for seed in range(4):
        cases, missed = clinic(6_000, seed, habit=0.0, unconfirmed=0.0)
        model = fit(cases, missed, TODAY)
        assert model is not None
        assert model.brier > 0.995 * model.brier_base
        shown = [risk for case in cases[-500:] if (risk := risk_of(model, case)) is not None]
        assert len(shown) <= 5


def test_too_few_visits_teach_nothing() -> None:
    cases, missed = clinic(LEAST_VISITS, 1, habit=1.0, unconfirmed=1.0)
    assert fit(cases, missed, TODAY) is None
    assert fit([], [], TODAY) is None
    assert fit(cases * 4, [False] * len(cases) * 4, TODAY) is None


def test_it_is_said_in_words_what_weighs_most_first() -> None:
    often = replace(CASE, missed=4, confirmed=False, lead_days=45, start=8 * 60, owed=9_000)
    risk = risk_of(MODEL, often)
    assert risk is not None and 10 < risk.percent < 95
    assert risk.why == ("missed 4 of 9", "not confirmed", "early", "booked 45 days ahead", "balance open")
    assert risk_of(MODEL, CASE) is None
    assert risk_of(replace(MODEL, brier=0.05), often) is None
    new = risk_of(MODEL, replace(often, visits=0, missed=0))
    assert new is None or "first visit" in new.why


def test_nothing_about_who_somebody_is_goes_in() -> None:
    known = {"visits", "missed", "lead_days", "days_ahead", "confirmed", "start", "owed"}
    assert {each.name for each in fields(Case)} == known
    assert len(features(CASE, 0.05)) == len(FEATURES)


ANY_CASE = st.builds(
    Case,
    visits=st.integers(0, 400),
    missed=st.integers(0, 400),
    lead_days=st.integers(-5, 4_000),
    days_ahead=st.integers(-5, 400),
    confirmed=st.booleans(),
    start=st.integers(0, 1439),
    owed=st.integers(-(10**9), 10**9),
)


@given(ANY_CASE, st.floats(0.0, 1.0), st.lists(st.floats(-50, 50), min_size=8, max_size=8))
def test_whatever_comes_in_a_chance_comes_out(case: Case, base: float, weights: list[float]) -> None:
    assert 0 <= chance_of(replace(MODEL, base=base, weights=tuple(weights)), case) <= 1


@given(st.integers(0, 30), st.integers(1, 30))
def test_who_missed_more_of_as_many_is_never_less_likely_to_miss(missed: int, more: int) -> None:
    visits = missed + more + 3
    once, often = (replace(CASE, visits=visits, missed=each) for each in (missed, missed + more))
    assert chance_of(MODEL, once) < chance_of(MODEL, often)


@pytest.mark.parametrize(("visits", "missed", "rate"), [(0, 0, 0.05), (2, 2, 0.29), (60, 3, 0.05)])
def test_few_visits_are_pulled_to_the_rate_of_the_clinic(visits: int, missed: int, rate: float) -> None:
    assert own_rate(replace(CASE, visits=visits, missed=missed), 0.05) == pytest.approx(rate, abs=0.005)


@given(st.lists(st.tuples(st.floats(0, 1), st.booleans()), min_size=1, max_size=60))
def test_calibration_counts_every_visit_once(pairs: list[tuple[float, bool]]) -> None:
    said, missed = [each for each, _ in pairs], [each for _, each in pairs]
    bins = calibration(said, missed)
    assert sum(each.visits for each in bins) == len(pairs)
    assert sum(each.missed * each.visits for each in bins) == pytest.approx(sum(missed))
    assert 0 <= brier_of(said, missed) <= 1
    assert [each.said for each in bins] == sorted(each.said for each in bins)
