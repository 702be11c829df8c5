"""Reading what the clinic set about money: tenders of its own, reasons, discounts, products; each in the
clinic's order.
"""

from __future__ import annotations

from sqlalchemy import Connection, select

from zax.core.money.rules import Discount, Product, TenderKind, WriteOffReason
from zax.store.money import tables
from zax.store.rows import many


def tender_kinds(connection: Connection) -> list[TenderKind]:
    kind = tables.tender_kind
    return many(connection, select(kind).order_by(kind.c.position, kind.c.id), TenderKind)


def write_off_reasons(connection: Connection) -> dict[int, WriteOffReason]:
    reason = tables.reason
    found = many(connection, select(reason).order_by(reason.c.position, reason.c.id), WriteOffReason)
    return {each.id: each for each in found}


def discounts(connection: Connection) -> dict[int, Discount]:
    discount = tables.discount
    found = many(connection, select(discount).order_by(discount.c.position, discount.c.id), Discount)
    return {each.id: each for each in found}


def products(connection: Connection, everything: bool = False) -> list[Product]:
    """What may be sold; stock is read anew each time. `everything`: also what is no longer sold."""
    product = tables.product
    query = select(product).order_by(product.c.position, product.c.id)
    return many(connection, query if everything else query.where(product.c.active), Product)
