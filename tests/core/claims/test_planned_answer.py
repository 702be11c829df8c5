"""What a plan says of planned work: read from its file, and put in the place of our own estimate."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.claims.sound_claims import dental
from tests.core.claims.sound_claims import line as service_line
from zax.core.claims.claim import Claim
from zax.core.claims.planned_answer import planned_answers
from zax.core.coverage.benefits import Benefits
from zax.core.coverage.estimate import Answered, Cover, PricedLine, estimate
from zax.core.x12.remittance import Adjustment, RemitClaim, RemitLine

DAY = date(2026, 12, 2)
CLAIM = dental(service_line("D2740", number="P7", cents=118_000), predetermination=True)


def answer(*adjusted: tuple[str, str, int], status: str = "25", paid: int = 0, **line: object) -> RemitClaim:
    values: dict[str, Any] = {"number": "P7", "code": "D2740", "charge_cents": 118_000}
    values |= {"qualifier": "AD", "modifiers": ()} | line
    adjustments = [Adjustment(group, reason, cents) for group, reason, cents in adjusted]
    return RemitClaim(
        number="C1",
        status=status,
        charge_cents=118_000,
        paid_cents=paid,
        patient_cents=0,
        payer_claim="X",
        lines=[RemitLine(paid_cents=paid, adjustments=adjustments, **values)],
    )


@pytest.mark.parametrize(
    ("given_answer", "allowed", "pays", "deductible"),
    [
        # What is anticipated stands under reason 101, or as paid.
        (answer(("OA", "101", 50_000), ("PR", "1", 5_000), ("PR", "2", 63_000)), 118_000, 50_000, 5_000),
        (answer(("PR", "2", 68_000), paid=50_000), 118_000, 50_000, 0),
        # The contract lowers the fee; nothing else does.
        (answer(("CO", "45", 18_000), ("OA", "101", 50_000), ("PR", "2", 50_000)), 100_000, 50_000, 0),
        (answer(("CO", "197", 118_000)), 118_000, 0, 0),
        (answer(("PR", "204", 118_000)), 118_000, 0, 0),
        # A payer that sends no line numbers back is read by the code.
        (answer(("OA", "101", 50_000), ("PR", "2", 68_000), number=""), 118_000, 50_000, 0),
    ],
)
def test_an_answer_says_what_would_be_paid(
    given_answer: RemitClaim, allowed: int, pays: int, deductible: int
) -> None:
    found = planned_answers(given_answer, CLAIM, DAY)
    assert found == {"P7": Answered(day=DAY, allowed=allowed, pays=pays, deductible=deductible)}


@pytest.mark.parametrize(
    ("given_answer", "claim", "words"),
    [
        (answer(("PR", "2", 68_000), status="1", paid=50_000), CLAIM, "only planned"),
        (answer(("OA", "101", 50_000), charge_cents=90_000), CLAIM, "different charge"),
        (answer(("OA", "101", 50_000), number="P9"), CLAIM, "didn’t answer"),
        (answer(("OA", "101", 130_000)), CLAIM, "add up"),
        (answer(("OA", "101", -5)), CLAIM, "add up"),
        # Two of the same code without numbers: never by guess.
        (
            replace(answer(number=""), lines=answer(number="").lines * 2),
            replace(CLAIM, lines=CLAIM.lines * 2),
            "didn’t answer",
        ),
    ],
)
def test_an_answer_that_cannot_be_read_goes_to_a_person(
    given_answer: RemitClaim, claim: Claim, words: str
) -> None:
    found = planned_answers(given_answer, claim, DAY)
    assert isinstance(found, str) and words in found


AMOUNTS = st.integers(0, 200_000)


@given(AMOUNTS, AMOUNTS, AMOUNTS, AMOUNTS, st.booleans(), st.booleans())
def test_what_was_answered_is_what_counts_and_never_more_than_the_fee(
    fee: int, allowed: int, pays: int, deductible: int, in_network: bool, second: bool
) -> None:
    """Kills: an answer to a higher fee that pays more than is charged now, or a cent that is nobody's."""
    answered = Answered(day=DAY, allowed=allowed, pays=pays, deductible=deductible)
    line = PricedLine(line_id=1, cents=fee, category="major", code="D2740", answered=answered)
    benefits = Benefits(name="P", percents={"major": 50})
    covers = [Cover(benefits=benefits, in_network=in_network)] * (2 if second else 1)
    made = estimate([line], covers, DAY)[0]
    assert made.write_off + made.first + made.second + made.patient == made.fee == fee
    assert min(made.write_off, made.first, made.second, made.patient, made.deductible) >= 0
    assert made.first == min(pays, allowed, fee)
    assert made.why.startswith("the plan’s own answer of Dec 2, 2026")


def test_an_answer_is_the_first_plans_only() -> None:
    answered = Answered(day=DAY, allowed=100_000, pays=30_000)
    line = PricedLine(line_id=1, cents=100_000, category="major", answered=answered)
    plan = Cover(benefits=Benefits(name="P", percents={"major": 50}))
    assert estimate([line], [plan], DAY)[0].first == 30_000
    assert estimate([replace(line, answered=None)], [plan], DAY)[0].first == 50_000
    assert estimate([line], [], DAY)[0].patient == 100_000
