"""Writing charge lines that belong to no visit, and what the estimate says of those that do; products and
their stock.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import Connection, select, update

from zax.core.coverage.used import Use
from zax.core.money.rules import Product
from zax.store.money.records import SoldProduct
from zax.store.money.tables import product
from zax.store.rows import add, change, one
from zax.store.schema import charge_line


def add_own_line(
    connection: Connection,
    *,
    patient_id: int,
    kind: str,
    fee_cents: int,
    words: str,
    at: datetime,
    by_id: int | None,
    units: int = 1,
    product_id: int | None = None,
    tax_cents: int = 0,
) -> int:
    """A line on a patient's own ledger; no insurer is billed for it."""
    return add(
        connection,
        charge_line,
        patient_id=patient_id,
        kind=kind,
        fee_cents=fee_cents,
        words=words[:120],
        units=units,
        product_id=product_id,
        tax_cents=tax_cents,
        billed=False,
        entered_at=at,
        entered_by=by_id,
    )


def note_estimate(
    connection: Connection, line_id: int, taken: Sequence[tuple[int, Use]], contract: int | None = None
) -> None:
    """What a line is expected to take of the plans [(coverage, use)], first payer first; none at all where it
    is not covered. `contract`: cents that the first plan's contract forgives, None without one.
    """
    none = (None, Use(group=""))
    (first, one), (second, two) = [*taken, none, none][:2]
    change(
        connection,
        charge_line,
        line_id,
        first_coverage_id=first,
        first_cents=one.paid,
        deductible_cents=one.deductible,
        own_cents=one.own,
        second_coverage_id=second,
        second_cents=two.paid,
        second_deductible_cents=two.deductible,
        second_own_cents=two.own,
        contract_cents=contract,
    )


def product_for_update(connection: Connection, product_id: int) -> Product | None:
    """A product that is sold, held until the transaction ends."""
    query = select(product).where(product.c.id == product_id, product.c.active)
    return one(connection, query.with_for_update(), Product)


def add_to_stock(connection: Connection, product_id: int, pieces: int) -> None:
    """Negative when they are sold."""
    more = product.c.stock + pieces
    connection.execute(update(product).where(product.c.id == product_id).values(stock=more))


def sold_product(connection: Connection, line_id: int) -> SoldProduct | None:
    query = select(charge_line).where(charge_line.c.id == line_id, charge_line.c.kind == "product")
    return one(connection, query, SoldProduct)
