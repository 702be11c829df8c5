"""Starter sets hold together, and the list of a new clinic's first days is true."""

from __future__ import annotations

from dataclasses import fields, replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.arrivals.conditions import compile_condition
from zax.core.arrivals.forms import blocks_from
from zax.core.arrivals.stages import WHOSE
from zax.core.arrivals.steps import StepKind
from zax.core.charges.new_service import checked as checked_service
from zax.core.charges.teeth import TEETH_WORDS
from zax.core.clinic.identity import (
    CLINIC_TAXONOMIES,
    PROVIDER_TAXONOMIES,
    check_npi,
    check_tax_id,
    check_taxonomy,
    is_npi,
    is_taxonomy,
)
from zax.core.clinic.providers import ROLE_NAMES
from zax.core.clinic.zones import ZONES, zone_of_state
from zax.core.coverage.fee_copy import STEPS, copied_fee, copied_fees
from zax.core.errors import Refused
from zax.core.followup.ready_notes import ReadyNote, checked_note
from zax.core.followup.recall import checked as checked_recall
from zax.core.setup.first_days import Facts, Goal, first_days
from zax.core.setup.starter import Kind, StarterSet, together
from zax.core.setup.starters import starter


@pytest.mark.parametrize("kind", list(Kind))
def test_a_starter_set_names_only_what_is_in_it_and_all_of_it_can_be_kept(kind: Kind) -> None:
    kit = starter(kind)
    codes, types = {each.code for each in kit.services}, {each.name for each in kit.types}
    forms = {each.name for each in kit.forms}
    assert len(codes) == len(kit.services) and len(types) == len(kit.types)
    for service in kit.services:
        checked_service(service.code, service.words, service.category, 0, service.done_on, service.surfaces)
        assert service.teeth in {"", *TEETH_WORDS}
    for each in kit.types:
        assert set(each.services) <= codes and each.role in ROLE_NAMES and each.minutes % 5 == 0
        if each.helper:
            role, minutes, offsets = each.helper
            assert role in ROLE_NAMES and all(at + minutes <= each.minutes for at in offsets)
    assert all(set(bundle) <= codes for _, bundle in kit.bundles)
    for stage in kit.stages:
        assert stage.whose in WHOSE
    for step in kit.steps:
        assert StepKind(step.kind) and (step.kind != "form" or step.form in forms)
        assert set(step.types) <= types
    for form in kit.forms:
        assert blocks_from(list(form.blocks))
    for up in kit.heads_ups:
        assert compile_condition(up.condition)
    for recall in kit.recalls:
        assert recall.type_name in types and checked_recall(replace(recall.kind, type_id=1))
        assert set(recall.kind.starts) <= codes
    assert all(back.type_name in types for back in kit.returns)
    notes = [ReadyNote(id=n, letters=letters, words=words) for n, (letters, words) in enumerate(kit.notes, 1)]
    assert [checked_note(each, notes) for each in notes] == notes


def test_both_has_what_each_has_and_nothing_twice() -> None:
    one, other, both = (starter(kind) for kind in (Kind.DENTAL, Kind.MEDICAL, Kind.BOTH))
    for each in fields(StarterSet):
        mine = getattr(both, each.name)
        assert len(mine) == len(set(map(str, mine)))
        assert set(map(str, mine)) == set(map(str, [*getattr(one, each.name), *getattr(other, each.name)]))
    assert together(one, one) == one


def test_no_starter_service_has_a_price() -> None:
    assert not any(hasattr(each, "fee") for each in starter(Kind.BOTH).services)


# --- the numbers payers know a clinic by
@given(st.integers(0, 10**9 - 1))
def test_exactly_one_last_digit_makes_an_npi(first: int) -> None:
    assert sum(is_npi(f"{first:09}{last}") for last in range(10)) == 1


@given(st.integers(0, 10**9 - 1), st.integers(0, 8))
def test_two_digits_that_changed_places_are_seen(first: int, at: int) -> None:
    """All but 0 and 9, which the check digit cannot tell apart (45 CFR 162.406)."""
    number = next(f"{first:09}{last}" for last in range(10) if is_npi(f"{first:09}{last}"))
    swapped = number[:at] + number[at + 1] + number[at] + number[at + 2 :]
    if number[at] == number[at + 1] or {number[at], number[at + 1]} == {"0", "9"}:
        return
    with pytest.raises(Refused, match="changed places"):
        check_npi(swapped)


def test_numbers_as_people_type_them() -> None:
    assert check_npi(" 1234 567-893 ") == "1234567893" and check_npi("") == ""
    assert check_tax_id("91-7654321") == "917654321" and check_tax_id(" ") == ""
    assert check_taxonomy(" 1223g0001x ") == "1223G0001X"
    for check, text in ((check_npi, "123"), (check_tax_id, "00-1234567"), (check_tax_id, "9176543x1")):
        with pytest.raises(Refused):
            check(text)
    with pytest.raises(Refused):
        check_taxonomy("1223G0001Y")
    assert all(is_taxonomy(code) for code in (*CLINIC_TAXONOMIES, *PROVIDER_TAXONOMIES))


def test_every_state_has_a_zone() -> None:
    assert zone_of_state(" wa ") == "America/Los_Angeles" and zone_of_state("XX") == ""
    assert len(ZONES) == len(set(ZONES))


# --- fees from other fees
def test_a_percentage_of_a_fee_is_rounded_halves_up() -> None:
    assert copied_fee(11_850, 85, 1) == 10_073  # 100.725
    assert copied_fee(11_850, 85, 100) == 10_100
    assert copied_fee(11_850, 85, 500) == 10_000
    assert copied_fee(40, 50, 100) == 100  # never for nothing
    assert copied_fees({1: 1000, 2: 0}, 110, 100) == {1: 1100}


@given(st.integers(0, 10**7), st.integers(1, 500), st.sampled_from(sorted(STEPS)))
def test_a_copied_fee_is_whole_steps_and_off_by_half_of_one_at_most(
    cents: int, percent: int, step: int
) -> None:
    made = copied_fee(cents, percent, step)
    assert made % step == 0 and (made > 0) == (cents > 0)
    if made > step:
        assert abs(100 * made - cents * percent) * 2 <= 100 * step


@pytest.mark.parametrize(("percent", "step"), [(0, 1), (501, 1), (100, 7)])
def test_what_is_no_percentage_or_step(percent: int, step: int) -> None:
    with pytest.raises(Refused):
        copied_fee(100, percent, step)


# --- the first days
NOTHING = Facts()
EVERYTHING = Facts(
    providers=["Dr. Wren"],
    closed_days=9,
    patients=1,
    people=3,
    texts=True,
    your_second=True,
    services=20,
    limits_set=True,
    float_set=True,
    npi=True,
    tax_id=True,
    taxonomy=True,
    clearinghouse=True,
    payers=2,
    plans=2,
    files_sent=1,
)


def keys(facts: Facts, goal: Goal) -> set[str]:
    (column,) = [each for each in first_days(facts) if each.goal == goal]
    return {each.key for each in column.left}


def test_a_clinic_with_nothing_has_everything_to_do_and_one_with_all_has_nothing() -> None:
    assert not any(column.done for column in first_days(NOTHING))
    assert not any(column.left for column in first_days(EVERYTHING))


@pytest.mark.parametrize(
    ("change", "goal", "key"),
    [
        ({"without_hours": ["Dr. Wren"]}, Goal.VISIT, "hours"),
        ({"types_nobody_does": ["Filling"]}, Goal.VISIT, "types"),
        ({"closed_days": 0}, Goal.VISIT, "holidays"),
        ({"people": 1}, Goal.VISIT, "people"),
        ({"without_fee": ["D1110"]}, Goal.PAYMENT, "fees"),
        ({"limits_set": False}, Goal.PAYMENT, "limits"),
        ({"tax_id": False}, Goal.CLAIM, "numbers"),
        ({"without_npi": ["Dr. Wren"]}, Goal.CLAIM, "npis"),
        ({"without_taxonomy": ["Dr. Wren"]}, Goal.CLAIM, "taxonomies"),
        ({"clearinghouse": False}, Goal.CLAIM, "clearinghouse"),
        ({"plans": 0}, Goal.CLAIM, "plans"),
    ],
)
def test_each_thing_that_is_missing_is_on_the_list_alone(
    change: dict[str, object], goal: Goal, key: str
) -> None:
    facts = replace(EVERYTHING, **change)  # type: ignore[arg-type]
    assert keys(facts, goal) == {key}
    assert all(not keys(facts, other) for other in Goal if other != goal)
