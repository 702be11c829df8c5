"""Every check: a claim that trips it, and its nearest neighbor that passes."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given, settings

from tests.claim_strategies import any_claim
from tests.core.claims.examples import lines, people, plans, services, stays, teeth
from tests.core.claims.examples.example import STITCH, VISIT, Example
from tests.core.claims.sound_claims import (
    HELEN,
    child,
    dental,
    hospital,
    line,
    medical,
    outpatient,
    situation,
    small_patient,
)
from zax.core.claims.check import check_claim
from zax.core.claims.checks.registry import CHECKS
from zax.core.claims.claim import Claim, Clinician
from zax.core.claims.finding import Finding, Strength
from zax.core.claims.situation import Situation
from zax.core.clinic.identity import is_npi
from zax.core.x12.parties import Address

EXAMPLES = [
    *people.EXAMPLES,
    *plans.EXAMPLES,
    *lines.EXAMPLES,
    *services.EXAMPLES,
    *teeth.EXAMPLES,
    *stays.EXAMPLES,
]


def _found(claim: Claim, where: Situation, rule: str) -> list[Finding]:
    return [each for each in check_claim(claim, where) if each.rule == rule]


@pytest.mark.parametrize("example", EXAMPLES, ids=lambda e: f"{e.rule}-{e.about}")
def test_a_check_trips_on_its_fault_and_passes_its_nearest_neighbor(example: Example) -> None:
    tripped = _found(example.trips, example.where, example.rule)
    assert [each.about for each in tripped] == [example.about]
    assert tripped[0].message[0].isupper() or not tripped[0].message[0].isalpha()
    assert tripped[0].message.endswith((".", "?")) and (tripped[0].remedy + ".").endswith((".", "…."))
    assert _found(example.passes, example.where_it_passes or example.where, example.rule) == []


def test_every_check_has_its_examples() -> None:
    assert {check.id for check in CHECKS} == {example.rule for example in EXAMPLES}
    assert len({check.id for check in CHECKS}) == len(CHECKS) >= 70


@pytest.mark.parametrize(
    "claim",
    [medical(), child(), dental(), small_patient(), hospital(), outpatient()],
    ids=["medical", "child", "dental", "small patient", "hospital", "outpatient"],
)
def test_a_sound_claim_has_nothing_to_say_of(claim: Claim) -> None:
    assert check_claim(claim, situation()) == []


@settings(max_examples=300, deadline=None)
@given(any_claim)
def test_no_claim_breaks_a_check(claim: Claim) -> None:
    """Whatever the guides allow is checked without an error, and each finding names a path and a sentence."""
    for found in check_claim(claim, situation()):
        assert found.about and found.message and found.rule


def test_the_npi_check_digit() -> None:
    assert is_npi("1234567893") and is_npi("1467560003")
    assert not is_npi("1234567890") and not is_npi("123456789") and not is_npi("12345678९३")


def test_everyone_named_needs_a_valid_npi_and_is_told_once() -> None:
    wrong = Clinician("Nadia", "Ferro", "1467560053", "363LF0000X")
    claim = medical(line("99213", supervising=wrong), referring=wrong)
    assert [(f.about, f.message[:12]) for f in check_claim(claim, situation())] == [
        ("referring.npi", "Nadia Ferro ")
    ]


def test_stops_come_before_what_looks_odd() -> None:
    claim = medical(VISIT, STITCH, subscriber=replace(HELEN, sex="", address=Address()))
    strengths = [each.strength for each in check_claim(claim, situation())]
    assert strengths == sorted(strengths, key=lambda s: s is Strength.ODD) and len(set(strengths)) == 2
