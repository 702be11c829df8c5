"""Where an insurer's answer goes: postings.csv, a table of worked examples, and what holds for any answer.
The worked cases of the trade run through the whole import (tests/desk/remits/test_scenarios.py).
"""

from __future__ import annotations

import csv
from decimal import Decimal
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.money.journal import Kind, Parts
from zax.core.remits.placing import (
    CONTRACTUAL,
    EARLIER,
    NOT_COVERED,
    PASSED_ON,
    SHARE,
    ExpectedLine,
    Placed,
    not_for_us,
    place,
)
from zax.core.x12.remittance import Adjustment, RemitClaim, RemitLine, Remittance

HERE = Path(__file__).parent
CASES = list(csv.DictReader((HERE / "postings.csv").open(encoding="utf-8")))


def cents(text: str) -> int:
    return int(Decimal(text) * 100)


def answer(lines: list[tuple[int, int, int, list[Adjustment]]], status: str = "1") -> RemitClaim:
    """Lines as (number, charge, paid, adjustments)."""
    made = [
        RemitLine(
            code="D2392",
            qualifier="AD",
            modifiers=(),
            charge_cents=charge,
            paid_cents=paid,
            number=f"L{number}",
            adjustments=adjustments,
        )
        for number, charge, paid, adjustments in lines
    ]
    return RemitClaim(
        number="C1",
        status=status,
        charge_cents=sum(line.charge_cents for line in made),
        paid_cents=sum(line.paid_cents for line in made),
        patient_cents=0,
        payer_claim="",
        lines=made,
    )


def adjustments(text: str) -> list[Adjustment]:
    """'CO 45 80.00 + PR 2 20.00'."""
    words = [each.split() for each in text.split("+") if each.strip()]
    return [Adjustment(group, reason, cents(amount)) for group, reason, amount in words]


def after(placed: Placed, ours: ExpectedLine) -> tuple[int, int, int]:
    """Cents with the patient, with the insurer, and kept as a credit, once the line's part is posted."""
    mine = [each for each in placed.postings if each.line_id == ours.line_id]
    patient = ours.owed + sum(each.patient_cents for each in mine)
    insurer = ours.open.insurer + sum(each.insurer_cents for each in mine)
    return patient, insurer, sum(each.insurer_cents for each in mine if each.credit)


@pytest.mark.parametrize("case", CASES, ids=[f"{c['rule']}: {c['case']}" for c in CASES])
def test_worked_examples(case: dict[str, str]) -> None:
    fee, patient, insurer = (cents(case[name]) for name in ("fee", "patient", "insurer"))
    ours = ExpectedLine(1, "L1", "D2392", fee, Parts(patient, insurer), patient, cents(case["second"] or "0"))
    paid = cents(case["paid"])
    placed = place(answer([(1, fee, paid, adjustments(case["adjustments"]))]), [ours])
    wanted = tuple(cents(case[name] or "0") for name in ("patient after", "insurer after", "credit"))
    assert after(placed, ours) == wanted
    assert case["says"] in placed.why_not and bool(placed.why_not) == bool(case["says"])
    off = -sum(each.insurer_cents for each in placed.postings if each.kind == Kind.WRITE_OFF)
    assert off == cents(case["written off"] or "0")


@pytest.mark.parametrize(
    ("npi", "tax_id", "ours"),
    [
        ("1234567893", "", True),
        ("1679576722", "841234567", True),  # somebody of ours who isn't on the list, paid under our tax id
        ("", "841234567", True),
        ("", "", True),  # the payer doesn't say
        ("1679576722", "849876543", False),
        ("1679576722", "", False),
        ("", "849876543", False),
    ],
)
def test_whose_payment_it_is(npi: str, tax_id: str, ours: bool) -> None:
    told = Remittance(payee="RIVER BEND CLINIC", payee_npi=npi, payee_tax_id=tax_id)
    why = not_for_us(told, {"1234567893"}, "841234567")
    assert (why == "") is ours and ("River Bend Clinic" in why) is not ours


# --- any answer
amounts = st.integers(0, 40_000)
REASONS = sorted(CONTRACTUAL | SHARE | NOT_COVERED | {"16", "97", "23"})
reasons = st.tuples(st.sampled_from(["CO", "PR", "OA", "PI"]), st.sampled_from(REASONS))


@st.composite
def answered(draw: st.DrawFn) -> tuple[RemitClaim, ExpectedLine]:
    paid = draw(amounts)
    cas = [Adjustment(*draw(reasons), draw(st.integers(1, 30_000))) for _ in range(draw(st.integers(0, 4)))]
    fee = paid + sum(each.cents for each in cas)
    forgiven = draw(st.integers(0, fee))  # by us, of the patient's part
    insurer = draw(st.integers(0, fee - forgiven))
    owed = fee - forgiven - insurer
    ours = ExpectedLine(1, "L1", "D2392", fee, Parts(owed, insurer), owed, draw(amounts))
    return answer([(1, fee, paid, cas)]), ours


@given(answered(), st.booleans(), st.sampled_from(["1", "2", "19", "21"]))
def test_nothing_is_lost_or_below_nothing_whatever_the_payer_says(
    example: tuple[RemitClaim, ExpectedLine], later: bool, status: str
) -> None:
    """Kills: writing off by any reason, moving a held part to the patient, forgetting a write-off, asking the
    patient for what was passed on.
    """
    told, ours = example
    told.status = status
    line = told.lines[0]
    placed = place(told, [ours], later)
    patient, insurer, credit = after(placed, ours)
    assert patient >= 0 and insurer >= 0 and credit >= 0
    posted = [each for each in placed.postings if each.kind in {Kind.INSURER_PAYMENT, Kind.WRITE_OFF}]
    gone = -sum(each.insurer_cents for each in posted)
    assert patient + insurer - credit == ours.owed + ours.open.insurer - gone
    off = -sum(each.insurer_cents for each in placed.postings if each.kind == Kind.WRITE_OFF)
    assert off <= sum(a.cents for a in line.adjustments if a.group == "CO" and a.reason in CONTRACTUAL)
    sure = SHARE | NOT_COVERED if later else SHARE
    named = sum(a.cents for a in line.adjustments if a.group == "PR" and a.reason in sure)
    held = [a for a in line.adjustments if (a.group, a.reason) not in {("CO", "45"), EARLIER}]
    if placed.postings and all(a.group == "PR" and a.reason in SHARE for a in held):
        # All is said for sure: the patient owes what the payer names, less what was written off.
        assert patient <= max(named, ours.owed)
    if patient > ours.owed:
        assert patient <= named
    if status in PASSED_ON:
        assert patient <= ours.owed
