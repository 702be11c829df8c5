"""Splitting a visit into claims, the payer's norm, and payers' own rules."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.claims.sound_claims import HELEN, dental, line, medical
from zax.core.claims.claim import Form
from zax.core.claims.finding import Strength
from zax.core.claims.payer_rules import Condition, PayerRule, broken, checked_rule
from zax.core.claims.splitting import (
    MOST_DIAGNOSES,
    MOST_LINES,
    ONE_PLACE,
    ONE_PROVIDER,
    Charge,
    split,
)
from zax.core.claims.worklist import ENOUGH_ANSWERS, norm_of
from zax.core.errors import Refused

charges = st.lists(
    st.builds(
        Charge,
        id=st.integers(1, 10**6),
        form=st.sampled_from([Form.PROFESSIONAL, Form.DENTAL]),
        provider_id=st.integers(1, 3),
        place=st.sampled_from(["11", "10"]),
        diagnoses=st.lists(st.sampled_from([f"J{n:02}" for n in range(30)]), max_size=4, unique=True).map(
            tuple
        ),
        taxonomy=st.sampled_from(["", "207Q00000X"]),
    ),
    max_size=130,
    unique_by=lambda charge: charge.id,
)
demands = st.sets(st.sampled_from([ONE_PROVIDER, ONE_PLACE])).map(frozenset)


@given(charges, demands)
def test_every_charge_is_on_one_claim_and_no_claim_exceeds_its_form(
    found: list[Charge], wanted: frozenset[str]
) -> None:
    claims = split(found, wanted)
    assert sorted(c.id for claim in claims for c in claim) == sorted(c.id for c in found)
    for claim in claims:
        ((form, _),) = {(c.form, c.taxonomy) for c in claim}
        assert 0 < len(claim) <= MOST_LINES[form]
        assert len({code for c in claim for code in c.diagnoses}) <= MOST_DIAGNOSES[form]
        assert ONE_PROVIDER not in wanted or len({c.provider_id for c in claim}) == 1
        assert ONE_PLACE not in wanted or len({c.place for c in claim}) == 1
        assert [c.id for c in claim] == [c.id for c in found if c in claim]


def test_nothing_is_split_without_a_reason() -> None:
    few = [Charge(n, Form.PROFESSIONAL, n % 2, "11", ("J02.9",)) for n in range(50)]
    assert len(split(few, frozenset())) == 1
    assert len(split(few, frozenset({ONE_PROVIDER}))) == 2
    assert len(split([*few, replace(few[0], id=99)], frozenset())) == 2
    assert len(split([replace(few[0], taxonomy="207Q00000X"), *few[1:]], frozenset())) == 2


@given(st.lists(st.integers(-3, 400), max_size=150))
def test_nine_of_ten_answers_came_within_the_norm(days: list[int]) -> None:
    norm = norm_of(days)
    last = days[:100]
    if len(last) < ENOUGH_ANSWERS:
        assert norm is None
    else:
        assert norm is not None and norm >= 1
        assert sum(each <= norm for each in last) >= 0.9 * len(last)


def rule(**changes: object) -> PayerRule:
    values: dict[str, object] = {
        "field": "authorization",
        "condition": Condition.GIVEN,
        "strength": Strength.STOP,
        "sentence": "It wants an authorization.",
    }
    return PayerRule(**(values | changes))  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("changes", "kept", "broken_by"),
    [
        ({}, medical(authorization="A1"), medical()),
        ({"condition": Condition.ABSENT}, medical(), medical(authorization="A1")),
        (
            {"field": "subscriber.member_id", "condition": Condition.SHAPED, "value": "AA99999"},
            medical(subscriber=replace(HELEN, member_id="hg12345")),
            medical(subscriber=replace(HELEN, member_id="HG1234")),
        ),
        (
            {"field": "place", "condition": Condition.ONE_OF, "value": "11, 22"},
            medical(place_of_service="22"),
            medical(place_of_service="10"),
        ),
        (
            {"field": "lines.units", "condition": Condition.AT_MOST, "value": "4"},
            medical(line("97110", units=4)),
            medical(line("97110", units=5)),
        ),
        ({"codes": ("D27*",)}, dental(), dental(line("D2740", tooth="3", first_placement=True))),
    ],
)
def test_a_rule_holds_or_is_broken(changes: dict[str, object], kept: object, broken_by: object) -> None:
    checked = checked_rule(rule(**changes))
    assert list(broken(checked, kept)) == []  # type: ignore[arg-type]
    assert len(list(broken(checked, broken_by))) == 1  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"field": "hair color"}, "field"),
        ({"sentence": " "}, "sentence"),
        ({"condition": Condition.SHAPED}, "value"),
        ({"condition": Condition.AT_MOST, "value": "many"}, "value"),
        ({"codes": ("D2740X",)}, "codes"),
    ],
)
def test_a_rule_that_could_never_be_asked_is_refused(changes: dict[str, object], field: str) -> None:
    with pytest.raises(Refused) as wrong:
        checked_rule(rule(**changes))
    assert set(wrong.value.problems) == {field}


@given(st.text(max_size=20), st.text(max_size=20))
def test_no_shape_fails_on_any_value(shape: str, value: str) -> None:
    claim = medical(authorization=value)
    list(broken(rule(condition=Condition.SHAPED, value=shape), claim))
