"""What may be taken off a charge or refunded: write-offs and discounts with a limit by role, products with
tax and stock.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from zax.core.errors import NotAllowed, Refused
from zax.core.people.roles import BILLER, CLINICIAN, MANAGER, RECEPTIONIST, SHIPPED, Role
from zax.core.wording import dollars

NO_LIMIT = -1
DEFAULT_LIMITS: Mapping[str, int] = {
    RECEPTIONIST.key: 2_500,
    BILLER.key: 25_000,
    CLINICIAN.key: 0,
    MANAGER.key: NO_LIMIT,
}


def check_limit(
    cents: int,
    role: Role,
    limits: Mapping[str, int],
    what: str,
    before: int = 0,
    roles: Iterable[Role] = SHIPPED.values(),
) -> None:
    """Raises NotAllowed, naming who may, when the role may not take off that much of one charge or payment a
    day. `limits` are by the key of a role, `roles` those that somebody has. `before` is what people of this
    role took off it today already, so that many small ones are no way round. A limit below nothing is none.
    """
    limit, wanted = limits.get(role.key, 0), before + cents
    if limit == NO_LIMIT or wanted <= limit:
        return
    holders = [
        each.words.lower()
        for each in roles
        if each.active and (limits.get(each.key, 0) == NO_LIMIT or limits.get(each.key, 0) >= wanted)
    ]
    most = f"at most {dollars(limit)} a day" if limit else "nothing"
    had = f", and {dollars(before)} was done today already" if before else ""
    raise NotAllowed(
        f"{role.words} may {what} {most} on one item{had}. Ask {' or '.join(holders) or 'the manager'}.",
        "amount",
    )


def check_within(cents: int, still_open: int, what: str) -> None:
    """Refused when more would be taken off than is open; an answered or reversed charge has nothing open."""
    if still_open <= 0:
        raise Refused(
            "Nothing is due on this charge anymore: it was reversed or paid. Choose another.", "line_id"
        )
    if cents > still_open:
        raise Refused(
            f"Only {dollars(still_open)} is due on it, so that’s the most that can be {what}.", "amount"
        )


@dataclass(frozen=True, slots=True)
class Priced:
    """A sale of some pieces: net, tax and together, in cents."""

    net: int
    tax: int

    @property
    def total(self) -> int:
        return self.net + self.tax


def price_of(price_cents: int, tax: int, pieces: int) -> Priced:
    """`tax` in hundredths of a percent, worked out on the whole and rounded half up."""
    net = price_cents * pieces
    return Priced(net, (net * tax + 5_000) // 10_000)


def check_stock(words: str, stock: int, pieces: int) -> None:
    """Refused when there are not so many: a stock never goes below nothing."""
    if pieces < 1:
        raise Refused("How many? Enter 1 or more.", "pieces")
    if pieces > stock:
        have = f"Only {stock} left" if stock else "None left"
        raise Refused(f"{have} of “{words}”. Sell fewer, or correct the stock in Setup, Money.", "pieces")
