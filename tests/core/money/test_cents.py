"""Money as integer cents: what people type, and percentages that never lose one."""

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.errors import Refused
from zax.core.money.cents import LARGEST_PAYMENT, decimal, parse_amount, parse_balance, percent_of
from zax.core.wording import money_words


@pytest.mark.parametrize(
    ("typed", "cents"),
    [
        ("42.60", 4260),
        ("$1,234.5", 123450),
        (" 7 ", 700),
        (".5", 50),
        ("0.01", 1),
        ("9,999,999.99", LARGEST_PAYMENT),
        ("12.", 1200),
    ],
)
def test_what_people_type_becomes_cents(typed: str, cents: int) -> None:
    assert parse_amount(typed) == cents


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("", "Enter an amount"),
        ("0", "zero"),
        ("0.00", "zero"),
        ("-5", "more than zero"),
        ("−5", "more than zero"),
        ("forty", "isn’t an amount"),
        ("1.234", "two digits"),
        ("10000000", "9,999,999.99"),
        ("1,23", "isn’t an amount"),
        (".", "isn’t an amount"),
        ("1e5", "isn’t an amount"),
        ("٣", "isn’t an amount"),
    ],
)
def test_what_is_no_amount_is_refused_beside_its_field(typed: str, says: str) -> None:
    with pytest.raises(Refused) as refused:
        parse_amount(typed)
    assert says in refused.value.problems["amount"]


@given(st.integers(1, LARGEST_PAYMENT))
def test_plain_text_is_read_back_as_the_same_cents(cents: int) -> None:
    assert parse_amount(money_words(cents)) == cents


@given(st.integers(-(10**12), 10**12))
def test_an_amount_in_a_file_is_its_cents_exactly(cents: int) -> None:
    assert Decimal(decimal(cents)) * 100 == cents and decimal(cents)[-3] == "."


@given(st.integers(0, 10**9), st.integers(0, 100))
def test_a_percentage_and_its_rest_are_the_whole(cents: int, percent: int) -> None:
    part = percent_of(cents, percent)
    assert 0 <= part <= cents
    assert abs(part * 100 - cents * percent) <= 50


@pytest.mark.parametrize(
    ("text", "cents"),
    [
        ("42.60", 4260),
        ("-20", -2000),
        ("(20.00)", -2000),
        ("20.00 CR", -2000),
        ("20.00-", -2000),
        ("", 0),
        ("0.00", 0),
        ("$1,204.50", 120_450),
        ("-0", 0),
    ],
)
def test_a_balance_brought_over_may_be_a_credit(text: str, cents: int) -> None:
    assert parse_balance(text) == cents


def test_a_balance_that_is_no_amount_is_refused() -> None:
    with pytest.raises(Refused, match=r"“OWESMUCH” isn’t an amount\. Use digits"):
        parse_balance("owes much")
