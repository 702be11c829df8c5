"""Which rule decides about an adjustment: the narrowest that fits, of two alike the clinic's own."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.remits.rules import SHIPPED, SHIPPED_RULES, UNKNOWN, AdjustmentRule, Deed, Does, rulebook
from zax.core.x12.remittance import Adjustment, RemitLine

CO_97 = Adjustment("CO", "97", 1_000)


def line(*modifiers: str, remarks: tuple[str, ...] = ()) -> RemitLine:
    return RemitLine(
        code="D2392",
        qualifier="AD",
        modifiers=modifiers,
        charge_cents=1_000,
        paid_cents=0,
        remarks=list(remarks),
    )


@pytest.mark.parametrize(
    ("group", "reason", "modifiers", "later", "does"),
    [
        ("CO", "45", (), False, Does.WRITE_OFF),
        ("PR", "1", (), False, Does.PATIENT),
        ("PR", "50", (), False, Does.WORK),
        ("PR", "50", ("GA",), False, Does.PATIENT),
        ("PR", "96", (), False, Does.WORK),
        ("PR", "96", (), True, Does.PATIENT),
        ("OA", "23", (), False, Does.WORK),
        ("OA", "23", (), True, Does.EARLIER),
        ("CO", "50", (), False, Does.WORK),
        ("XX", "45", (), False, Does.WORK),
    ],
)
def test_what_ships_writes_off_and_bills_only_what_is_sure(
    group: str, reason: str, modifiers: tuple[str, ...], later: bool, does: Does
) -> None:
    assert SHIPPED.deed(Adjustment(group, reason, 1), line(*modifiers), later=later).does is does


def test_nothing_that_ships_writes_off_beyond_the_contract_group() -> None:
    assert {rule.group for rule in SHIPPED_RULES if rule.does is Does.WRITE_OFF} == {"CO"}


def test_the_narrowest_wins_and_of_two_alike_the_clinics_own() -> None:
    wide = AdjustmentRule(group="CO", reason="97", does=Does.PATIENT, id=5)
    remark = AdjustmentRule(group="CO", reason="97", does=Does.WRITE_OFF, remark="N19")
    both = AdjustmentRule(group="CO", reason="97", does=Does.NEXT, remark="N19", payer_id=4, asks=True)
    book = rulebook([both, wide, remark])
    assert book.deed(CO_97, line()) == Deed(Does.PATIENT)
    assert book.deed(CO_97, line(remarks=("N19",))) == Deed(Does.WRITE_OFF)
    assert book.deed(CO_97, line(remarks=("N19",)), payer_id=4) == Deed(Does.NEXT, asks=True)
    assert book.deed(CO_97, line(remarks=("N19",)), payer_id=3) == Deed(Does.WRITE_OFF)
    own = AdjustmentRule(group="CO", reason="45", does=Does.WORK, id=9)
    for rules in ([own, *SHIPPED_RULES], [*SHIPPED_RULES, own]):
        assert rulebook(rules).deed(Adjustment("CO", "45", 1), line()).does is Does.WORK


rules = st.builds(
    AdjustmentRule,
    group=st.just("CO"),
    reason=st.sampled_from(["97", "45"]),
    does=st.sampled_from(list(Does)),
    remark=st.sampled_from(["", "N19"]),
    payer_id=st.sampled_from([0, 4]),
    modifier=st.sampled_from(["", "GA"]),
    later=st.booleans(),
    id=st.integers(0, 3),
)


@given(st.lists(rules, max_size=8), st.booleans(), st.sampled_from([0, 4, 5]))
def test_no_rule_that_does_not_fit_ever_decides(
    made: list[AdjustmentRule], later: bool, payer_id: int
) -> None:
    said = line("GA", remarks=("N19",))
    fitting = [each for each in made if each.reason == "97" and each.fits(said, payer_id, later)]
    deed = rulebook(made).deed(CO_97, said, payer_id, later)
    if not fitting:
        assert deed == UNKNOWN
        return
    most = max(each.narrowness for each in fitting)
    assert deed.does in {each.does for each in fitting if each.narrowness == most}
