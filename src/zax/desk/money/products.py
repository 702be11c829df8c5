"""Selling a product: its line and charge on the patient's own ledger, and pieces out of the stock; a sale
taken back puts them in again.
"""

from __future__ import annotations

from dataclasses import dataclass

from zax.core.errors import NotFound, Refused
from zax.core.money.adjust import check_stock, price_of
from zax.core.money.journal import Kind, unreversed
from zax.core.wording import dollars
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.money.ledger import OwnLedger, add_entry, entries_of, reverse, settle
from zax.desk.money.posting import lock_household, tell_money
from zax.store.money import journal, lines


@dataclass(frozen=True, slots=True)
class ProductSale:
    """So many pieces of a product."""

    product_id: int
    pieces: int


def sell_product(tx: Transaction, ledger: OwnLedger, sale: ProductSale) -> tuple[int, int]:
    """Charge it and take it out of the stock: (line_id, cents). Refused when there are not so many."""
    row = lines.product_for_update(tx.connection, sale.product_id)
    if row is None:
        raise Refused("This product isn’t sold anymore. Choose another.", "product")
    check_stock(row.words, row.stock, sale.pieces)
    priced = price_of(row.price_cents, row.tax, sale.pieces)
    lines.add_to_stock(tx.connection, row.id, -sale.pieces)
    line_id = lines.add_own_line(
        tx.connection,
        patient_id=ledger.patient_id,
        kind="product",
        product_id=row.id,
        units=sale.pieces,
        fee_cents=row.price_cents,
        tax_cents=priced.tax,
        words=row.words,
        at=tx.now,
        by_id=tx.actor.id,
    )
    tax = f" and {dollars(priced.tax)} tax" if priced.tax else ""
    why = f"{sale.pieces} × {dollars(row.price_cents)}{tax}"
    add_entry(tx, ledger, Kind.CHARGE, priced.total, 0, why, line_id=line_id)
    return line_id, priced.total


@act("payments")
def take_product_back(tx: Transaction, line_id: int) -> int:
    """A product comes back: its charge is reversed, the pieces are in stock again, what was paid is credit.
    The patient.
    """
    line = lines.sold_product(tx.connection, line_id)
    if line is None:
        raise NotFound("There is no such sale.")
    lock_household(tx, line.patient_id)
    first = journal.first_entry_of_line(tx.connection, line_id)
    assert first is not None, "a sale is charged when it is made"
    ledger = OwnLedger(line.patient_id, first.site_id)
    mine = [entry for entry in unreversed(entries_of(tx, ledger)) if entry.line_id == line_id]
    if not mine:
        raise Refused("This sale was already returned.")
    for entry in reversed(mine):
        reverse(tx, ledger, entry, "Product returned")
    lines.add_to_stock(tx.connection, line.product_id, line.units)
    settle(tx, ledger)
    tx.audit("product.back", patient_id=line.patient_id, line=line_id, pieces=line.units)
    tell_money(tx, ledger)
    return line.patient_id
