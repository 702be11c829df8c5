"""The appeal letter: its places are filled once, with what is on file, and unknown ones are refused."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.errors import Refused
from zax.core.remits.appeal import APPEAL, PLACES, SHIPPED_TEXT, AppealFacts, filled, why_again
from zax.core.remits.letters import LONGEST, checked

FACTS = AppealFacts(
    claim="C000412",
    payer_claim="P-77",
    patient="Helen Vasquez",
    member="HG1001",
    service="White filling (D2392), tooth 3",
    day=date(2026, 11, 16),
    cents=20_000,
    reason="CO 197: no prior approval",
    decided=date(2026, 12, 2),
    clinic="Juniper Quay Clinic",
)


def test_the_shipped_letter_says_every_fact_and_leaves_no_place_open() -> None:
    letter = filled(checked(SHIPPED_TEXT, APPEAL), FACTS, "197")
    for said in ("C000412", "P-77", "Helen Vasquez", "HG1001", "$200.00", "no prior approval", "D2392"):
        assert said in letter
    assert "{" not in letter and "(no number given)" in filled(
        SHIPPED_TEXT, replace(FACTS, payer_claim=""), ""
    )


def test_why_they_should_decide_again_uses_what_is_on_file() -> None:
    assert "number A-9; your approval is enclosed" in why_again(replace(FACTS, approval="A-9"), "197")
    assert "could not wait for an approval" in why_again(FACTS, "197")
    assert "was sent on" in why_again(replace(FACTS, sent_on=date(2026, 11, 17)), "29")
    assert "sent in time" in why_again(FACTS, "29")
    assert why_again(FACTS, "") == why_again(FACTS, "9999") == "The record of the visit is enclosed."


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("  \r\n ", "empty"),
        ("Dear {doctor}", r"\{doctor\} isn’t a place"),
        ("{}", r"\{\} isn’t a place"),
        ("x" * (LONGEST + 1), "4,000 characters"),
    ],
)
def test_a_text_that_would_print_wrong_is_refused(text: str, says: str) -> None:
    with pytest.raises(Refused, match=says):
        checked(text, APPEAL)


@given(st.text(max_size=30))
def test_braces_in_a_fact_are_never_filled_again(patient: str) -> None:
    told = replace(FACTS, patient=patient + "{member}", reason="{why}")
    assert filled("{patient}|{reason}", told, "50") == f"{patient}{{member}}|{{why}}"


@given(st.lists(st.sampled_from([*(f"{{{name}}}" for name in PLACES), "Pay it.", "\n", "} {"]), min_size=1))
def test_what_was_accepted_prints_without_a_place(parts: list[str]) -> None:
    text = " ".join([*parts, "end"])
    try:
        kept = checked(text, APPEAL)
    except Refused:
        return
    letter = filled(kept, FACTS, "50")
    assert not any(f"{{{name}}}" in letter for name in PLACES)
