"""Money is integer cents. Text becomes cents here and nowhere else, so that no cent is ever lost.

Units: every int is cents unless its name says otherwise; percentages are whole numbers 0 to 100.
"""

from __future__ import annotations

import re

from zax.core.errors import Refused

LARGEST_PAYMENT = 999_999_999  # 9,999,999.99: the most one entry may carry

_AMOUNT = re.compile(r"^\$?(?P<whole>\d{1,3}(,\d{3})+|\d*)(\.(?P<part>\d*))?$", re.ASCII)


def parse_amount(text: str, field: str = "amount") -> int:
    """'$1,234.5' -> 123450. Raises Refused beside `field` for anything but a positive amount of
    whole cents.
    """
    typed = text.strip().replace(" ", "")
    if not typed:
        raise no_amount(field)
    if typed.startswith(("-", "−", "(")):
        raise Refused("The amount must be more than zero. To return money, make a refund.", field)
    found = _AMOUNT.match(typed)
    if not found or not (found["whole"] or found["part"]):
        raise Refused(f"“{text.strip()[:30]}” isn’t an amount. Use digits, such as 42.60.", field)
    whole, part = found["whole"].replace(",", ""), found["part"] or ""
    if len(part) > 2:
        raise Refused("Use at most two digits after the decimal point.", field)
    cents = int(whole or 0) * 100 + int(part.ljust(2, "0") or 0)
    if cents > LARGEST_PAYMENT:
        raise Refused("The largest amount is 9,999,999.99. Check the number of digits.", field)
    if cents == 0:
        raise Refused("The amount is zero. Enter what was paid.", field)
    return cents


def no_amount(field: str = "amount") -> Refused:
    """What an empty field for an amount is told."""
    return Refused("Enter an amount, such as 42.60.", field)


def parse_balance(text: str, field: str = "balance") -> int:
    """A balance brought over from elsewhere: owed is positive, a credit is written -20.00, (20.00) or 20.00
    CR. Empty is nothing.
    """
    typed = text.strip().replace(" ", "").upper()
    credit = typed.startswith(("-", "−", "(")) or typed.endswith(("CR", "-"))
    bare = typed.strip("-−()").removesuffix("CR")
    if not bare.strip("0.$"):
        return 0
    cents = parse_amount(bare, field)
    return -cents if credit else cents


def decimal(cents: int) -> str:
    """-123450 -> '-1234.50', for files."""
    return f"{'-' if cents < 0 else ''}{abs(cents) // 100}.{abs(cents) % 100:02d}"


def percent_of(cents: int, percent: int) -> int:
    """`percent` of a non-negative amount, halves of a cent rounded up."""
    return (cents * percent + 50) // 100
