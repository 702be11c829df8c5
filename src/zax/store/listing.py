"""Lists that grow: found by words, put in an order, shown a page at a time, and every row within reach.

Finding: each word typed must stand in one of the columns that name a row. The oldest come first unless the
largest or the newest are asked for: what has waited longest is what a desk must not lose sight of.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, Generic

from sqlalchemy import ColumnElement, Connection, Select, func, or_, select

from zax.store.rows import Record, many

PAGE = 50
MOST_WORDS = 8


class Order(StrEnum):
    OLDEST = "oldest"
    LARGEST = "largest"
    NEWEST = "newest"


@dataclass(frozen=True, slots=True)
class Wanted:
    """What of a list is wanted. `page` counts from 1."""

    find: str = ""
    order: Order = Order.OLDEST
    page: int = 1


@dataclass(frozen=True, slots=True)
class Listed(Generic[Record]):
    """One page of it, the page that it is, and how many rows and cents there are on all."""

    rows: Sequence[Record]
    wanted: Wanted
    page: int
    count: int
    cents: int

    @property
    def pages(self) -> int:
        return max(1, -(-self.count // PAGE))


def listed(
    connection: Connection,
    query: Select[Any],
    kind: type[Record],
    wanted: Wanted,
    named_by: Sequence[ColumnElement[Any]],
    orders: Mapping[Order, Sequence[ColumnElement[Any]]],
    cents: str = "",
) -> Listed[Record]:
    """`query` without an order; `cents` names the column to add up. A page after the last is the last."""
    for word in wanted.find.split()[:MOST_WORDS]:
        query = query.where(or_(*(column.contains(word, autoescape=True) for column in named_by)))
    every = query.subquery()
    total = func.coalesce(func.sum(every.c[cents]), 0) if cents else func.count()
    count, added_up = connection.execute(select(func.count(), total).select_from(every)).one()
    page = min(max(wanted.page, 1), max(1, -(-count // PAGE)))
    order = orders.get(wanted.order, orders[Order.OLDEST])
    rows = many(connection, query.order_by(*order).limit(PAGE).offset((page - 1) * PAGE), kind)
    return Listed(rows, wanted, page, int(count), int(added_up) if cents else 0)
