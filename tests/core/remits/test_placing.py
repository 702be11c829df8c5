"""Where an insurer's answer goes: postings.csv, a table of worked examples, the worked cases of the trade as
far as they are about one answer, and what must hold for any answer.
"""

from __future__ import annotations

import csv
import json
from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.money.journal import Kind, Parts
from zax.core.remits.placing import CONTRACTUAL, SHARE, ExpectedLine, Placed, place
from zax.core.x12.remittance import Adjustment, RemitClaim, RemitLine

HERE = Path(__file__).parent
CASES = list(csv.DictReader((HERE / "postings.csv").open(encoding="utf-8")))
TRADE = json.loads((HERE.parents[1] / "cases" / "posting.json").read_text())["scenarios"]


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


# --- the cases of the trade
# What one answer to one claim cannot show: whose file it is, what was posted before, claims answered as a
# whole, and what the contract's own fee says. They are asked for as a whole by the posting desk.
ELSEWHERE = {
    *("P22", "P27", "P28"),  # the whole claim is denied: the old estimate is withdrawn, here it stands
    *("P33", "P34", "P39", "P48"),  # taken back and corrected
    *("P61", "P63"),  # answers of a second and third payer
    *("P73", "P75"),  # the file is not ours, or names no claim
    *("P85", "P87"),  # adjusted as a whole
    *("P18", "P50", "P56", "P81", "P92"),  # rules by payer, contract and remark
}
MAY_BREAK = {"P50", "P73", "P75"}  # their limits are kept before this step, or need the contract's fee


def driven() -> Iterator[Any]:
    for case in TRADE:
        claim = next(each for each in case["setup"]["claims"] if each["key"] == "A")
        answers = [c for file in case["answer"]["files"] for c in file["claims"] if c["claim"] == "A"]
        if len(answers) == 1:
            yield pytest.param(case, claim, answers[0], id=f"{case['id']} {case['title']}")


@pytest.mark.parametrize(("case", "claim", "told"), list(driven()))
def test_cases_of_the_trade(case: Any, claim: Any, told: Any) -> None:
    has_second = claim["coverage"].get("second") and claim["waiting_on"] == "first"
    ours = [
        ExpectedLine(
            line["line"],
            f"L{line['line']}",
            line["code"],
            line["fee"],
            Parts(line["before"]["balance_patient"], line["before"]["with_insurer"]),
            max(0, line["before"]["patient_share"]),
            line["fee"] if has_second else 0,
        )
        for line in claim["charges"]
    ]
    made = RemitClaim(
        number="A",
        status=told["status"],
        charge_cents=told["charge"],
        paid_cents=told["paid"],
        patient_cents=0,
        payer_claim="",
        adjustments=[Adjustment(*each[:3]) for each in told["cas"]],
        lines=[
            RemitLine(
                code=line["code"],
                qualifier="HC",
                modifiers=(),
                charge_cents=line["charge"],
                paid_cents=line["paid"],
                number=f"L{line['line']}",
                adjustments=[Adjustment(*each[:3]) for each in line["cas"]],
            )
            for line in told["lines"]
        ],
    )
    placed = place(made, ours)
    found = {each.line_id: _moved(placed, each) for each in ours}
    for never in case["expected"]["never"]:
        if never["claim"] == "A" and case["id"] not in MAY_BREAK and never["what"] in found[ours[0].line_id]:
            lines = [never["line"]] if never["line"] else list(found)
            assert sum(found[line][never["what"]] for line in lines) <= never["over"], never
    if case["id"] not in ELSEWHERE:
        for line in case["expected"]["claims"]["A"]["lines"]:
            mine, wanted = found[line["line"]], line["posted"]
            assert mine["paid"] == wanted.get("paid", 0)
            assert mine["contractual"] == wanted.get("contractual", 0) + wanted.get("sequestration", 0)
            assert mine["patient_share"] == line["after"]["patient_share"]


def _moved(placed: Placed, ours: ExpectedLine) -> dict[str, int]:
    mine = [each for each in placed.postings if each.line_id == ours.line_id]
    return {
        "paid": -sum(each.insurer_cents for each in mine if each.kind == Kind.INSURER_PAYMENT),
        "contractual": -sum(each.insurer_cents for each in mine if each.kind == Kind.WRITE_OFF),
        "patient_share": ours.owed + sum(each.patient_cents for each in mine),
    }


# --- any answer
amounts = st.integers(0, 40_000)
REASONS = sorted(CONTRACTUAL | SHARE | {"16", "97", "119", "23"})
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


@given(answered())
def test_nothing_is_lost_or_below_nothing_whatever_the_payer_says(
    example: tuple[RemitClaim, ExpectedLine],
) -> None:
    """Kills: writing off by any reason, moving a held part to the patient, forgetting a write-off."""
    told, ours = example
    line = told.lines[0]
    placed = place(told, [ours])
    patient, insurer, credit = after(placed, ours)
    assert patient >= 0 and insurer >= 0 and credit >= 0
    posted = [each for each in placed.postings if each.kind in {Kind.INSURER_PAYMENT, Kind.WRITE_OFF}]
    gone = -sum(each.insurer_cents for each in posted)
    assert patient + insurer - credit == ours.owed + ours.open.insurer - gone
    off = -sum(each.insurer_cents for each in placed.postings if each.kind == Kind.WRITE_OFF)
    assert off <= sum(a.cents for a in line.adjustments if a.group == "CO" and a.reason in CONTRACTUAL)
    named = sum(a.cents for a in line.adjustments if a.group == "PR" and a.reason in SHARE)
    held = [a for a in line.adjustments if (a.group, a.reason) != ("CO", "45")]
    if placed.postings and all(a.group == "PR" and a.reason in SHARE for a in held):
        # All is said for sure: the patient owes what the payer names, less what was written off.
        assert patient <= max(named, ours.owed)
    if patient > ours.owed:
        assert patient <= named
