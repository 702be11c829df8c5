"""Writing what the clinic set about money: tenders of its own, reasons, discounts, products; each checked by
the act that calls.
"""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import Connection

from zax.store.money import tables
from zax.store.rows import keep


def keep_tender_kind(
    connection: Connection, tender_id: int, version: int, *, words: str, needs_number: bool, active: bool
) -> None:
    values = {"words": words, "needs_number": needs_number, "active": active}
    keep(connection, tables.tender_kind, tender_id, version, values, "tender")


def keep_reason(connection: Connection, reason_id: int, version: int, *, words: str, active: bool) -> None:
    keep(connection, tables.reason, reason_id, version, {"words": words, "active": active}, "reason")


def keep_discount(
    connection: Connection,
    discount_id: int,
    version: int,
    *,
    words: str,
    percent: int,
    flag_id: int | None,
    active: bool,
) -> None:
    values = {"words": words, "percent": percent, "flag_id": flag_id, "active": active}
    keep(connection, tables.discount, discount_id, version, values, "discount")


def keep_product(connection: Connection, product_id: int, version: int, values: Mapping[str, object]) -> None:
    """`values` by column; prices in cents, tax in hundredths of a percent."""
    keep(connection, tables.product, product_id, version, values, "product")
