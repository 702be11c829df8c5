"""How a patient pays: the tenders, and what each must bring. A cheque without its number cannot be found again."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from zax.core.errors import ProblemCollector, Refused
from zax.core.money.cents import parse_amount, plain


class Tender(StrEnum):
    CASH = "cash"
    CHEQUE = "cheque"
    CARD = "card"


class PaymentState(StrEnum):
    """ASKING: the terminal has been asked. UNKNOWN: it did not answer, being clarified by its key."""

    ASKING = "asking"
    UNKNOWN = "unknown"
    DECLINED = "declined"
    TAKEN = "taken"


TENDER_WORDS = {Tender.CASH: "Cash", Tender.CHEQUE: "Cheque", Tender.CARD: "Card"}


@dataclass(frozen=True, slots=True)
class Tendered:
    """A payment as checked: `cents` is positive; `cheque_number` is empty unless it is a cheque."""

    tender: Tender
    cents: int
    cheque_number: str = ""


def check_tender(tender: str, amount: str, cheque_number: str) -> Tendered:
    """What was typed, as a payment; raises Problems naming each wrong field."""
    number = re.sub(r"\s", "", cheque_number)
    wrong = ProblemCollector()
    cents = wrong.take(parse_amount, amount)
    if tender not in set(Tender):
        wrong.add("tender", "Choose how the patient pays: cash, cheque or card.")
    if tender == Tender.CHEQUE and not number:
        wrong.add("cheque_number", "Enter the number printed on the cheque.")
    elif tender == Tender.CHEQUE and not re.fullmatch(r"[0-9A-Za-z-]{1,20}", number):
        wrong.add("cheque_number", "A cheque number has at most 20 digits or letters.")
    wrong.raise_if_any()
    assert cents
    return Tendered(Tender(tender), cents, number if tender == Tender.CHEQUE else "")


def check_not_over(cents: int, owed: int) -> None:
    """A payment above what is owed is refused until the desk says what the rest is for."""
    if cents > owed:
        raise Refused(
            f"That is {plain(cents - owed)} more than the {plain(max(owed, 0))} due. "
            "Take at most what is due; hand the rest back as change.",
            "amount",
        )


def split_over(cents: int, owed: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
    """A payment over what it is for, each in order up to what is owed there: [(id, cents)] without empty parts; the parts make the whole.

    Raises ValueError when there is more money than is owed.
    """
    made = []
    for number, due in owed:
        part = min(cents, max(0, due))
        if part:
            made.append((number, part))
        cents -= part
    if cents:
        raise ValueError("more is paid than is owed")
    return made
