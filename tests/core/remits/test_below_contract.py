"""About what a payer left below its contract: its sums are those of its list, its fees add up."""

from __future__ import annotations

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.errors import Refused
from zax.core.money.journal import Parts
from zax.core.remits.below_contract import (
    BELOW_CONTRACT,
    SHIPPED_TEXT,
    BelowContract,
    contract_fee,
    drafted,
)
from zax.core.remits.letters import checked
from zax.core.remits.line import ExpectedLine
from zax.core.wording import dollars


def short(cents: int, fee: int | None = 20_000) -> BelowContract:
    return BelowContract(
        id=1,
        claim_id=2,
        claim="C000412",
        payer_claim="P-77",
        patient_id=3,
        patient="Helen Vasquez",
        member="HG1001",
        code="D2392",
        service="White filling",
        day=date(2026, 11, 16),
        fee=fee,
        cents=cents,
    )


def test_the_shipped_letter_names_payer_number_and_sum() -> None:
    text = drafted(
        checked(SHIPPED_TEXT, BELOW_CONTRACT), "Northmoor", [short(1_000), short(250)], "Juniper Quay"
    )
    assert "To Northmoor" in text and "2 services" in text and "$12.50 in all" in text
    assert text.endswith("Juniper Quay") and "{" not in text
    assert "For 1 service you" in drafted(SHIPPED_TEXT, "Northmoor", [short(5)], "")


@given(st.lists(st.integers(1, 10**7), min_size=1, max_size=30))
def test_the_sum_of_the_letter_is_the_sum_of_its_list(missing: list[int]) -> None:
    assert drafted("{amount}", "{clinic}", [short(each) for each in missing], "") == dollars(sum(missing))


def test_a_place_of_another_letter_is_refused() -> None:
    with pytest.raises(Refused, match=r"\{member\} isn’t a place"):
        checked("Pay {member}", BELOW_CONTRACT)


@given(st.integers(0, 10**6), st.integers(0, 10**6), st.integers(0, 10**6))
def test_fee_allowed_and_missing_add_up(charge: int, forgiven: int, missing: int) -> None:
    line = ExpectedLine(1, "1", "D2392", charge, Parts(), 0, contract=forgiven)
    fee = contract_fee(line)
    assert fee == charge - forgiven
    told = short(missing, fee)
    assert told.allowed is not None and told.allowed + told.cents == fee
    assert short(missing, contract_fee(ExpectedLine(1, "1", "D2392", charge, Parts(), 0))).allowed is None
