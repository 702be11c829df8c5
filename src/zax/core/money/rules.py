"""What the clinic sets about money: its own tenders, reasons, discounts, products, limits by role, fees and
the drawer's float.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from zax.core.money.tender import TENDER_WORDS, OwnTender, Tender


@dataclass(frozen=True, slots=True, kw_only=True)
class TenderKind:
    """A tender of the clinic's own, as it is set up."""

    id: int
    words: str
    needs_number: bool
    active: bool
    position: int
    version: int


@dataclass(frozen=True, slots=True)
class WriteOffReason:
    id: int
    words: str
    active: bool
    position: int
    version: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Discount:
    """A percentage off the patient's part: by hand, or by itself to everybody with the flag."""

    id: int
    words: str
    percent: int
    flag_id: int | None
    active: bool
    position: int
    version: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Product:
    """`tax` is in hundredths of a percent on top of the price; `stock` counts pieces; `low` is when to order
    more.
    """

    id: int
    words: str
    code: str
    price_cents: int
    tax: int
    stock: int
    low: int
    active: bool
    position: int
    version: int


@dataclass(frozen=True, slots=True, kw_only=True)
class MoneyRules:
    """Cents, except `interest` (hundredths of a percent a month, 0 for none) and `interest_after` (days)."""

    own: Mapping[str, OwnTender]
    own_active: tuple[str, ...]
    tender_rows: tuple[TenderKind, ...]
    reasons: Mapping[int, WriteOffReason]
    discounts: Mapping[int, Discount]
    limits: Mapping[str, int]
    returned_fee: int
    interest: int
    interest_after: int
    float_cents: int

    def tender_words(self, tender: str) -> str:
        """'Cash', or the clinic's own word."""
        if tender in self.own:
            return self.own[tender].words
        return TENDER_WORDS[Tender(tender)]

    def offered(self, last: str = "") -> list[tuple[str, str]]:
        """The tenders to choose from [(tender, words)], the one used last first; the card on file is offered
        apart, with its ending.
        """
        names = [Tender.CARD, Tender.CASH, Tender.CHECK, *self.own_active]
        names.sort(key=lambda name: name != last)
        return [(str(name), self.tender_words(name)) for name in names]
