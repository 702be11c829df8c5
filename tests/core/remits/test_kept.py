"""An answer and its lines are kept as JSON and read again to the same values, whatever a payer says."""

from __future__ import annotations

import json
from datetime import date

from hypothesis import given
from hypothesis import strategies as st

from zax.core.money.journal import Parts
from zax.core.remits.kept import answer_of, as_kept, lines_as_kept, lines_of
from zax.core.remits.line import ExpectedLine
from zax.core.x12.remittance import Adjustment, RemitClaim, RemitLine

cents = st.integers(-10_000_000, 10_000_000)
words = st.text(max_size=12)
adjustments = st.lists(st.builds(Adjustment, words, words, cents), max_size=3)
lines = st.builds(
    RemitLine,
    code=words,
    qualifier=words,
    modifiers=st.lists(words, max_size=3).map(tuple),
    charge_cents=cents,
    paid_cents=cents,
    number=words,
    billed=words,
    day=st.none() | st.dates(),
    allowed_cents=st.none() | cents,
    adjustments=adjustments,
    remarks=st.lists(words, max_size=2),
)
answers = st.builds(
    RemitClaim,
    number=words,
    status=words,
    charge_cents=cents,
    paid_cents=cents,
    patient_cents=cents,
    payer_claim=words,
    patient_name=words,
    passed_to=words,
    adjustments=adjustments,
    lines=st.lists(lines, max_size=3),
)
expected = st.builds(
    ExpectedLine,
    line_id=st.integers(1),
    number=words,
    code=words,
    cents=cents,
    open=st.builds(Parts, cents, cents),
    owed=cents,
    second=cents,
    charged=st.none() | cents,
    contract=st.none() | cents,
)


@given(answers)
def test_an_answer_reads_back_as_it_was(answer: RemitClaim) -> None:
    assert answer_of(json.loads(json.dumps(as_kept(answer)))) == answer


@given(st.lists(expected, max_size=4))
def test_its_lines_read_back_as_they_were(ours: list[ExpectedLine]) -> None:
    assert lines_of(json.loads(json.dumps(lines_as_kept(ours)))) == ours


def test_keeping_it_leaves_the_answer_alone() -> None:
    line = RemitLine(
        code="D2392", qualifier="AD", modifiers=(), charge_cents=1, paid_cents=1, day=date(2026, 11, 24)
    )
    answer = RemitClaim(
        number="C1", status="1", charge_cents=1, paid_cents=1, patient_cents=0, payer_claim="", lines=[line]
    )
    assert as_kept(answer)["lines"][0]["day"] == "2026-11-24" and line.day == date(2026, 11, 24)
