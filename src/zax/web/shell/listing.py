"""What a page's address says about the list on it: `find`, `order` and `page`."""

from __future__ import annotations

from urllib.parse import urlencode

from fastapi import Request

from zax.store.listing import Order, Wanted

ORDER_WORDS = {Order.OLDEST: "oldest first", Order.LARGEST: "largest first", Order.NEWEST: "newest first"}
MOST_DIGITS = 6


def wanted_of(request: Request, first: Order = Order.OLDEST) -> Wanted:
    """What cannot be read is as if it was not said; `first` is the order when none is named."""
    said = request.query_params
    order, page = said.get("order", ""), said.get("page", "")
    return Wanted(
        said.get("find", "").strip()[:80],
        Order(order) if order in set(Order) else first,
        int(page) if page.isascii() and page.isdigit() and len(page) <= MOST_DIGITS else 1,
    )


def query_of(wanted: Wanted, **changes: object) -> str:
    """The part of an address after its question mark, for the same list in another way."""
    values: dict[str, object] = {"find": wanted.find, "order": wanted.order.value, "page": 1} | changes
    return urlencode({name: value for name, value in values.items() if value not in ("", 1)})
