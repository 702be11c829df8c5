"""What is said on the phone adds up to the cent: every figure of the sentence, with the sign that its words
give it, is the amount that is open.
"""

from __future__ import annotations

import re
from datetime import datetime

from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import TODAY
from zax.core.book.track import Stop
from zax.core.money.journal import Kind, Parts
from zax.desk.money.account import LedgerView
from zax.desk.money.explain_amount import SAID, STILL_WITH_INSURER, steps_said
from zax.store.money.records import NamedEntry

cents = st.integers(-(10**7), 10**7)
FIGURE = r"\$([\d,]+\.\d\d)"


def signed(said: str) -> int:
    """The cents of one spoken step, by its words alone."""
    spoken = [(STILL_WITH_INSURER, -1)]
    spoken += [(words, sign) for pair in SAID.values() for words, sign in zip(pair, (1, -1), strict=True)]
    found = set()
    for words, sign in spoken:
        pattern = re.escape(words).replace(r"\{payer\}", "Your plan").replace(r"\{\}", FIGURE)
        if match := re.fullmatch(pattern, said):
            found.add(sign * int(match[1].replace(",", "").replace(".", "")))
    assert len(found) == 1, said
    return found.pop()


@given(st.lists(st.tuples(st.sampled_from(Kind), cents, cents, st.integers(0, 9)), max_size=9))
def test_what_is_said_adds_up_to_what_is_open(made: list[tuple[Kind, int, int, int]]) -> None:
    """Kills: a step without words, two steps with the same words, a sign that the words do not tell."""
    entries = [
        NamedEntry(
            id=n,
            kind=kind,
            day=TODAY,
            at=datetime(2026, 11, 24),
            site_id=1,
            patient_id=1,
            visit_id=1,
            line_id=None,
            payment_id=None,
            claim_id=None,
            answer_id=None,
            patient_cents=patient,
            insurer_cents=insurer,
            words="",
            reverses_id=of if kind == Kind.REVERSAL else None,
            of_id=None,
            reason_id=None,
            by_name=None,
        )
        for n, (kind, patient, insurer, of) in enumerate(made, 1)
    ]
    total = Parts(sum(e.patient_cents for e in entries), sum(e.insurer_cents for e in entries))
    view = LedgerView(
        id=1,
        patient_id=1,
        first="Helen",
        day=TODAY,
        title="Filling",
        provider="",
        stop=Stop.LEFT,
        entries=entries,
        open=total,
    )
    assert sum(signed(said) for said in steps_said(view)) == total.patient
