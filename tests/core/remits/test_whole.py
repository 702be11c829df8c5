"""An answer to a whole claim, over its lines: every line adds up, and the lines to the claim."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from zax.core.remits.whole import share_out
from zax.core.x12.remittance import Adjustment, RemitClaim


def answer(paid: int, *taken: int) -> RemitClaim:
    return RemitClaim(
        number="C1",
        status="1",
        charge_cents=paid + sum(taken),
        paid_cents=paid,
        patient_cents=0,
        payer_claim="",
        adjustments=[Adjustment("CO", str(at), cents) for at, cents in enumerate(taken)],
    )


def test_amounts_follow_what_was_charged() -> None:
    shared = share_out(answer(300_000, 150_000, 50_000), [("L1", "0120", 400_000), ("L2", "0250", 100_000)])
    assert [line.paid_cents for line in shared] == [240_000, 60_000]
    taken = [[each.cents for each in line.adjustments] for line in shared]
    assert taken == [[120_000, 40_000], [30_000, 10_000]]


@given(st.lists(st.integers(0, 90_000), min_size=1, max_size=9), st.data())
def test_every_line_adds_up_and_the_lines_to_the_claim(charges: list[int], data: st.DataObject) -> None:
    """Kills: odd cents that get lost, that fall on a line without room, or below nothing."""
    cuts = sorted(data.draw(st.lists(st.integers(0, sum(charges)), max_size=4)))
    amounts = [b - a for a, b in zip([0, *cuts], [*cuts, sum(charges)], strict=True)]
    told = answer(*amounts)
    shared = share_out(told, [(f"L{at}", "99213", cents) for at, cents in enumerate(charges)])
    for line, charged in zip(shared, charges, strict=True):
        assert line.charge_cents == charged == line.paid_cents + sum(a.cents for a in line.adjustments)
        assert line.paid_cents >= 0 and all(a.cents > 0 for a in line.adjustments)
    assert sum(line.paid_cents for line in shared) == told.paid_cents
    for each in told.adjustments:
        parts = [a.cents for line in shared for a in line.adjustments if a.reason == each.reason]
        assert sum(parts) == each.cents
