"""Reasons and remarks in words: known ones, unknown ones, and what to do next."""

from __future__ import annotations

import pytest

from zax.core.remits.line import reason_words, remark_words
from zax.core.remits.reasons import ADVICE, REASONS, REMARKS, Matter, advice
from zax.core.remits.rules import SHIPPED_RULES, Does
from zax.core.x12.remittance import Adjustment, RemitLine


def line(*remarks: str) -> RemitLine:
    return RemitLine(
        code="D2392", qualifier="AD", modifiers=(), charge_cents=100, paid_cents=0, remarks=list(remarks)
    )


def test_the_commonest_have_short_words_of_their_own() -> None:
    assert len(REASONS) >= 120 and len(REMARKS) >= 60
    said = [each.words for each in REASONS.values()] + [*REMARKS.values()]
    assert all(3 <= len(each) <= 60 and not each.endswith(".") for each in said)
    forgiven = {each.reason for each in SHIPPED_RULES if each.does is Does.WRITE_OFF}
    assert {REASONS[each].matter for each in forgiven} == {Matter.CONTRACT}


@pytest.mark.parametrize(
    ("adjustment", "words"),
    [
        (Adjustment("CO", "45", 100), "CO 45: above the contracted amount"),
        (Adjustment("CO", "197", 100), "CO 197: no prior approval"),
        (Adjustment("OA", "999", 100), "OA 999: reason 999"),
    ],
)
def test_the_number_is_always_shown(adjustment: Adjustment, words: str) -> None:
    assert reason_words(adjustment) == words


def test_remarks_stand_behind_each_once() -> None:
    assert remark_words(line()) == ""
    assert remark_words(line("N657", "N657", "ZZ9")) == " (N657: code it otherwise; ZZ9)"


@pytest.mark.parametrize(
    ("reasons", "begins"),
    [
        (["197"], "Send it again with the record"),
        (["16", "197"], "Fix it"),
        (["18", "16"], "Find the first claim"),
        (["22"], "Bill the payer"),
        (["29"], "Appeal with proof"),
        (["27"], "Check the coverage"),
        (["119"], "If the limit is right"),
        (["999"], ""),
        ([], ""),
    ],
)
def test_what_to_do_follows_from_the_reason(reasons: list[str], begins: str) -> None:
    found = advice(reasons)
    assert found.startswith(begins) and bool(found) == bool(begins)
    assert found in {"", *ADVICE.values()}
