"""What is typed at the posting desk is an answer like any other: it adds up, and comes back as typed."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.money.journal import Parts
from zax.core.remits.grid import (
    Boxes,
    Outlook,
    Place,
    as_answer,
    as_expected,
    billed,
    decided,
    filled_in,
    problem_with,
    reason_typed,
    split_total,
)
from zax.core.remits.line import ExpectedLine, Reading
from zax.core.remits.placing import place
from zax.core.remits.shortfalls import Shortfall, Work

cents = st.integers(0, 40_000)


def ours(number: int, charge: int, patient: int, earlier: int = 0) -> ExpectedLine:
    insurer = charge - patient - earlier
    return ExpectedLine(number, f"L{number}", "D2392", charge, Parts(patient, insurer), patient)


@pytest.mark.parametrize(
    ("typed", "read"),
    [
        ("97", ("OA", "97")),
        ("co97", ("CO", "97")),
        (" PR-96 ", ("PR", "96")),
        ("", ("OA", "")),
        ("B7", ("OA", "B7")),
        ("because", None),
        ("CO 12345", None),
    ],
)
def test_a_reason_is_read_as_it_is_typed(typed: str, read: tuple[str, str] | None) -> None:
    assert reason_typed(typed) == read


@given(st.lists(st.tuples(cents, cents, cents), min_size=1, max_size=4), st.booleans(), st.data())
def test_whatever_is_typed_adds_up_and_comes_back(
    given_lines: list[tuple[int, int, int]], later: bool, data: st.DataObject
) -> None:
    """Kills: a cent lost between the boxes and the answer, or between lines and claim."""
    lines = [
        ours(at, charge + patient + earlier, patient, earlier if later else 0)
        for at, (charge, patient, earlier) in enumerate(given_lines, 1)
    ]
    typed = {}
    for each in lines:
        left = billed(each, later)
        parts = []
        for _ in range(5):
            part = data.draw(st.integers(0, left))
            left -= part
            parts.append(part)
        paid, deductible, coinsurance, copay, off = parts
        typed[each.line_id] = Boxes(
            paid=paid, deductible=deductible, coinsurance=coinsurance, copay=copay, off=off
        )
        assert problem_with(each, typed[each.line_id], later) == ""
    said = as_answer("C1", lines, typed, later)
    assert said.charge_cents == sum(each.cents for each in lines)
    assert said.paid_cents == sum(each.paid for each in typed.values())
    for line in said.lines:
        assert line.charge_cents - sum(a.cents for a in line.adjustments) == line.paid_cents
        back = filled_in(line)
        sent = typed[int(line.number[1:])]
        assert (back.paid, back.share, back.off) == (sent.paid, sent.share, sent.off)
    assert place(said, lines, Reading(later)).why_not == ""


@given(cents, cents, cents, cents, st.booleans())
def test_as_expected_leaves_nothing_over(
    charge: int, paid: int, deductible: int, off: int, later: bool
) -> None:
    each = ours(1, charge, min(charge, 500))
    boxes = as_expected(each, Outlook(paid=paid, deductible=deductible, off=off), later)
    assert boxes.said == billed(each, later) and min(boxes.paid, boxes.share, boxes.off) >= 0


@given(st.lists(st.tuples(cents, cents, cents), min_size=1, max_size=5), st.integers(0, 200_000))
def test_one_sum_is_split_to_the_cent(lines: list[tuple[int, int, int]], total: int) -> None:
    expected = [ours(at, charge, min(charge, patient)) for at, (charge, patient, _) in enumerate(lines, 1)]
    outlooks = {at: Outlook(paid=min(charge, hoped)) for at, (charge, _, hoped) in enumerate(lines, 1)}
    split = split_total(total, expected, outlooks, False)
    assert sum(each.paid for each in split.values()) == min(total, sum(each.cents for each in expected))
    assert all(problem_with(each, split[each.line_id], False) == "" for each in expected)


@pytest.mark.parametrize(
    ("where", "moved"),
    [(Place.PATIENT, (700, -700)), (Place.WRITE_OFF, (0, -700)), (Place.WORK, (0, 0)), (Place.NEXT, (0, 0))],
)
def test_a_decision_never_moves_more_than_the_insurer_still_owes(
    where: Place, moved: tuple[int, int]
) -> None:
    short = Shortfall(line_id=1, cents=1_000, work=Work.APPEAL)
    made = decided(short, where, Parts(0, 700), "said so")
    assert (sum(p.patient_cents for p in made), sum(p.insurer_cents for p in made)) == moved
    assert decided(short, where, Parts(0, 0), "said so") == []
