"""The worked cases: every fault is found with its strength, and a clean claim gives no alarm."""

from typing import Any

import pytest

from tests.core.claims.case_claims import CASES, claim_and_situation
from zax.core.claims.check import check_claim
from zax.core.claims.finding import Finding

CLEAN = [case for case in CASES if not case["expected"]]
FAULTY = [case for case in CASES if case["expected"]]


def _told(found: list[Finding]) -> list[tuple[str, str, str]]:
    return [(each.strength.value, each.about, each.message) for each in found]


def _touches(about: str, path: str) -> bool:
    return f"{about}.".startswith(f"{path}.") or f"{path}.".startswith(f"{about}.")


def _found(expected: dict[str, Any], found: list[Finding]) -> bool:
    paths = [expected["about"], *expected.get("about_ok", ())]
    strengths = expected.get("strength_ok") or [expected["strength"]]
    return any(
        each.strength.value in strengths and any(_touches(each.about, path) for path in paths)
        for each in found
    )


@pytest.mark.parametrize("case", CLEAN, ids=lambda case: case["id"])
def test_a_clean_claim_gives_no_alarm(case: dict[str, Any]) -> None:
    claim, situation = claim_and_situation(case)
    assert _told(check_claim(claim, situation)) == []


@pytest.mark.parametrize("case", FAULTY, ids=lambda case: case["id"])
def test_every_fault_is_found_with_its_strength(case: dict[str, Any]) -> None:
    claim, situation = claim_and_situation(case)
    found = check_claim(claim, situation)
    missing = [each for each in case["expected"] if not _found(each, found)]
    assert missing == [], _told(found)


@pytest.mark.parametrize("case", FAULTY, ids=lambda case: case["id"])
def test_nothing_but_the_fault_is_said(case: dict[str, Any]) -> None:
    claim, situation = claim_and_situation(case)
    fair = [path for each in case["expected"] for path in (each["about"], *each.get("about_ok", ()))]
    fair += case.get("extra_ok") or []
    more = [each for each in check_claim(claim, situation) if not any(_touches(each.about, p) for p in fair)]
    assert _told(more) == []
