"""Selling a product: its line and charge on the patient's own ledger, and pieces out of the stock; a sale taken back puts them in again."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import select, update

from zax.core.errors import NotFound, Refused
from zax.core.money.adjust import check_stock, price_of
from zax.core.money.cents import plain
from zax.core.money.journal import Kind, unreversed
from zax.desk.money import OwnLedger, add_entry, entries_of, reverse, settle
from zax.desk.posting import lock_household, tell_money
from zax.desk.unit import Unit, act
from zax.store import schema


@dataclass(frozen=True, slots=True)
class Sale:
    """So many pieces of a product."""

    product_id: int
    pieces: int


def sell_product(unit: Unit, ledger: OwnLedger, sale: Sale) -> tuple[int, int]:
    """Charge it and take it out of the stock: (line_id, cents). Refused when there are not so many."""
    p = schema.product
    row = unit.one(select(p).where(p.c.id == sale.product_id, p.c.active).with_for_update())
    if row is None:
        raise Refused("This product is not sold any more. Choose another.", "product")
    check_stock(row.words, row.stock, sale.pieces)
    priced = price_of(row.price_cents, row.tax, sale.pieces)
    unit.connection.execute(update(p).where(p.c.id == row.id).values(stock=row.stock - sale.pieces))
    line_id = unit.add(
        schema.charge_line, patient_id=ledger.patient_id, kind="product", product_id=row.id, units=sale.pieces, fee_cents=row.price_cents, tax_cents=priced.tax,
        words=row.words, billed=False, entered_at=unit.now, entered_by=unit.actor.id,
    )  # fmt: skip
    why = f"{sale.pieces} × {plain(row.price_cents)}{f' and {plain(priced.tax)} tax' if priced.tax else ''}"
    add_entry(unit, ledger, Kind.CHARGE, priced.total, 0, why, line_id=line_id)
    return line_id, priced.total


@act("payments")
def take_product_back(unit: Unit, line_id: int) -> int:
    """A product comes back: its charge is reversed, the pieces are in stock again, what was paid is credit. The patient."""
    line: Any = unit.one(
        select(schema.charge_line).where(schema.charge_line.c.id == line_id, schema.charge_line.c.kind == "product")
    )
    if line is None:
        raise NotFound("There is no such sale.")
    lock_household(unit, line.patient_id)
    first = unit.one(select(schema.journal).where(schema.journal.c.line_id == line_id).order_by(schema.journal.c.id))
    ledger = OwnLedger(line.patient_id, first.site_id)
    mine = [entry for entry in unreversed(entries_of(unit, ledger)) if entry.line_id == line_id]
    if not mine:
        raise Refused("This sale was taken back before.")
    for entry in reversed(mine):
        reverse(unit, ledger, entry, "Product taken back")
    p = schema.product
    unit.connection.execute(update(p).where(p.c.id == line.product_id).values(stock=p.c.stock + line.units))
    settle(unit, ledger)
    unit.audit("product.back", patient_id=line.patient_id, line=line_id, pieces=line.units)
    tell_money(unit, ledger)
    return int(line.patient_id)
