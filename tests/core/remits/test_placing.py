"""Where an insurer's answer goes: postings.csv, a table of worked examples, and what holds for any answer.
The worked cases of the trade run through the whole import (tests/desk/remits/test_scenarios.py).
"""

from __future__ import annotations

import csv
from dataclasses import replace
from decimal import Decimal
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.money.journal import Kind, Parts
from zax.core.remits.line import ExpectedLine, Reading
from zax.core.remits.placing import PASSED_ON, Placed, not_for_us, place
from zax.core.remits.rules import SHIPPED_RULES, AdjustmentRule, Does, rulebook
from zax.core.remits.shortfalls import Work
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
    assert case["says"] in placed.says and bool(placed.says) == bool(case["says"])
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
CONTRACTUAL = {each.reason for each in SHIPPED_RULES if each.does is Does.WRITE_OFF}
SHARE = {"1", "2", "3", "45", "169"}
NOT_COVERED = {"96", "119", "204"}
EARLIER = ("OA", "23")
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
    contract = draw(st.none() | st.integers(0, fee))
    ours = ExpectedLine(1, "L1", "D2392", fee, Parts(owed, insurer), owed, draw(amounts), None, contract)
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
    placed = place(told, [ours], Reading(later))
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
    # What stays with the insurer is either somebody's work or the next plan's, to the cent.
    short = sum(each.cents for each in placed.shortfalls if each.work is not Work.ABOVE)
    assert insurer <= short + placed.second


@given(answered(), st.booleans())
def test_a_contract_on_file_never_lets_more_go_than_it_says(
    example: tuple[RemitClaim, ExpectedLine], later: bool
) -> None:
    told, ours = example
    placed = place(told, [ours], Reading(later))
    off = -sum(
        each.insurer_cents
        for each in placed.postings
        if each.kind == Kind.WRITE_OFF and "CO 45" in each.words
    )
    if ours.contract is not None and not later:
        assert off <= ours.contract
    under = [each.cents for each in placed.shortfalls if each.work is Work.UNDERPAID]
    assert not (later and under) and all(cents > 0 for cents in under)


def test_paid_below_and_above_the_contract() -> None:
    ours = ExpectedLine(1, "L1", "99213", 15_000, Parts(2_500, 12_500), 2_500, 0, None, 4_000)
    below = place(answer([(1, 15_000, 7_000, adjustments("CO 45 55.00 + PR 3 25.00"))]), [ours])
    assert after(below, ours) == (2_500, 1_500, 0) and not below.denied
    assert [(s.work, s.cents, s.words) for s in below.shortfalls] == [
        (Work.UNDERPAID, 1_500, "99213: paid $15.00 less than the contract says.")
    ]
    above = place(answer([(1, 15_000, 10_000, adjustments("CO 45 25.00 + PR 3 25.00"))]), [ours])
    assert after(above, ours) == (2_500, 0, 0) and above.says == ""
    assert [(s.work, s.cents) for s in above.shortfalls] == [(Work.ABOVE, 1_500)]


def test_what_a_rule_says_is_done_and_the_narrowest_wins() -> None:
    """Kills: a rule for one payer used for all, a shipped rule before the clinic's own, asking ignored."""
    ours = ExpectedLine(1, "L1", "D2392", 10_000, Parts(0, 10_000), 0)
    told = answer([(1, 10_000, 8_000, adjustments("CO 97 20.00"))])
    assert after(place(told, [ours]), ours) == (0, 2_000, 0)
    off = AdjustmentRule(group="CO", reason="97", does=Does.WRITE_OFF, payer_id=7, id=1)
    book = rulebook([*SHIPPED_RULES, off])
    assert after(place(told, [ours], Reading(payer_id=7, rules=book)), ours) == (0, 0, 0)
    assert after(place(told, [ours], Reading(payer_id=8, rules=book)), ours) == (0, 2_000, 0)
    asked = AdjustmentRule(group="CO", reason="97", does=Does.WRITE_OFF, payer_id=7, asks=True, id=2)
    placed = place(told, [ours], Reading(payer_id=7, rules=rulebook([*SHIPPED_RULES, off, asked])))
    assert [(s.work, s.cents) for s in placed.shortfalls] == [(Work.WRITE_OFF, 2_000)]
    told.lines[0].remarks.append("N19")
    narrow = AdjustmentRule(group="CO", reason="97", does=Does.PATIENT, payer_id=7, remark="N19", id=3)
    both = rulebook([narrow, off])
    assert after(place(told, [ours], Reading(payer_id=7, rules=both)), ours) == (2_000, 0, 0)
    stricter = AdjustmentRule(group="CO", reason="45", does=Does.WORK, id=4)
    priced = answer([(1, 10_000, 8_000, adjustments("CO 45 20.00"))])
    held = place(priced, [ours], Reading(rules=rulebook([*SHIPPED_RULES, stricter])))
    assert after(held, ours) == (0, 2_000, 0)


@pytest.mark.parametrize("status", ["1", "4"])
def test_what_the_patient_paid_and_doesnt_owe_by_the_payer_is_work(status: str) -> None:
    """Kills: a service the payer bundles closed without a word, its money kept from the patient."""
    paid = ExpectedLine(1, "L1", "D4910", 14_800, Parts(0, 0), 14_800)
    told = replace(answer([(1, 14_800, 0, adjustments("CO 97 148.00"))]), status=status)
    placed = place(told, [paid])
    (short,) = placed.shortfalls
    assert placed.denied and placed.postings == () and short.cents == 0
    assert short.words.endswith("The patient has paid $148.00 for it.")
    theirs = replace(answer([(1, 14_800, 0, adjustments("PR 119 148.00"))]), status=status)
    assert place(theirs, [paid]).shortfalls == ()
    unpaid = replace(paid, owed=0)
    assert place(told, [unpaid]).shortfalls == ()


@given(st.integers(0, 20_000), st.integers(0, 20_000), st.sampled_from(["1", "4"]))
def test_a_line_denied_is_never_closed_while_somebody_has_paid_or_owes(
    charge: int, paid_by_patient: int, status: str
) -> None:
    paid_by_patient = min(charge, paid_by_patient)
    ours = ExpectedLine(1, "L1", "D4910", charge, Parts(charge - paid_by_patient, 0), charge)
    told = replace(answer([(1, charge, 0, [Adjustment("CO", "97", charge)])]), status=status)
    placed = place(told, [ours])
    assert bool(placed.shortfalls) == bool(charge)
    assert sum(each.cents for each in placed.shortfalls) == charge - paid_by_patient
