"""What a plan decided, typed in from its paper: it adds up to the cent, or nothing is taken."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.x12_samples import claim
from zax.core.claims.claim import ClaimLine
from zax.core.claims.paper_decision import COLUMNS, PaperDecision, read_decision
from zax.core.errors import Problems
from zax.core.x12.remittance import Adjustment

TODAY = date(2026, 11, 24)
LINES = (
    replace(claim().lines[0], number="L1", code="99213", cents=12_800),
    replace(claim().lines[0], number="L2", code="87880", cents=2_500),
)
TYPED = {
    "decided": "2026-11-20",
    "payer_claim": "HG-778",
    "paid-1": "80",
    "contract-1": "18.00",
    "deductible-1": "$30",
    "paid-2": "0.00",
    "uncovered-2": "25",
}


def read(lines: tuple[ClaimLine, ...] = LINES, **changes: str) -> PaperDecision:
    typed = {name.replace("_", "-"): text for name, text in changes.items() if name != "payer_claim"}
    return read_decision(
        "C1", lines, TYPED | typed | {k: v for k, v in changes.items() if k == "payer_claim"}, TODAY
    )


def test_it_reads_as_a_payment_file_would_tell_it() -> None:
    found = read()
    assert found.day == date(2026, 11, 20) and found.answer.payer_claim == "HG-778"
    first, second = found.answer.lines
    assert (first.number, first.paid_cents) == ("L1", 8_000)
    assert first.adjustments == [Adjustment("CO", "45", 1_800), Adjustment("PR", "1", 3_000)]
    assert second.adjustments == [Adjustment("PR", "96", 2_500)]
    assert (found.answer.charge_cents, found.answer.paid_cents, found.answer.patient_cents) == (
        15_300,
        8_000,
        5_500,
    )


@pytest.mark.parametrize(
    ("changes", "field", "words"),
    [
        ({"paid_1": "79.99"}, "paid-1", "$0.01 is missing"),
        ({"copay_2": "0.01"}, "paid-2", "$0.01 is too much"),
        ({"contract_1": "twelve"}, "contract-1", "isn’t an amount"),
        ({"contract_1": "-18"}, "contract-1", "more than zero"),
        ({"contract_1": "18.005"}, "contract-1", "two digits"),
        ({"decided": ""}, "decided", "date on the paper"),
        ({"decided": "2026-11-25"}, "decided", "still to come"),
        ({"payer_claim": "x" * 31}, "payer_claim", "30 characters"),
    ],
)
def test_what_is_wrong_is_said_beside_its_box(changes: dict[str, str], field: str, words: str) -> None:
    with pytest.raises(Problems) as told:
        read(**changes)
    assert list(told.value.problems) == [field] and words in told.value.problems[field]


def test_everything_wrong_is_said_at_once() -> None:
    with pytest.raises(Problems) as told:
        read(decided="", paid_1="", uncovered_2="")
    assert set(told.value.problems) == {"decided", "paid-1", "paid-2"}


amounts = st.integers(0, 30_000).map(lambda cents: f"{cents / 100:.2f}") | st.text(max_size=6)


@given(st.dictionaries(st.sampled_from([f"{c.key}-{n}" for c in COLUMNS for n in (1, 2)]), amounts))
def test_it_adds_up_for_every_service_or_is_refused(typed: dict[str, str]) -> None:
    try:
        found = read_decision("C1", LINES, {"decided": "2026-11-20"} | typed, TODAY)
    except Problems as told:
        assert told.problems
        return
    for line, answered in zip(LINES, found.answer.lines, strict=True):
        assert answered.paid_cents + sum(each.cents for each in answered.adjustments) == line.cents
        assert answered.paid_cents >= 0 and all(each.cents > 0 for each in answered.adjustments)


@given(st.lists(st.integers(0, 5_000), min_size=6, max_size=6))
def test_any_split_of_the_charge_is_taken_as_typed(parts: list[int]) -> None:
    line = replace(LINES[0], cents=sum(parts))
    typed = {f"{each.key}-1": f"{cents / 100:.2f}" for each, cents in zip(COLUMNS, parts, strict=True)}
    found = read_decision("C1", (line,), typed | {"decided": "2026-11-20"}, TODAY).answer.lines[0]
    assert found.paid_cents == parts[0]
    assert [each.cents for each in found.adjustments] == [cents for cents in parts[1:] if cents]
