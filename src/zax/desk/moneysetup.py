"""What the clinic sets about money: its own tenders, reasons, discounts, products, limits by role, fees and the drawer's float."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, select

from zax.core.money.adjust import DEFAULT_LIMITS
from zax.core.money.tender import TENDER_WORDS, OwnTender, Tender
from zax.core.setup.roles import Role
from zax.store import schema


@dataclass(frozen=True, slots=True)
class MoneySetup:
    """Cents, except `interest` (hundredths of a percent a month, 0 for none) and `interest_after` (days)."""

    own: Mapping[str, OwnTender]
    own_active: tuple[str, ...]
    tender_rows: tuple[Any, ...]
    reasons: Mapping[int, Any]
    discounts: Mapping[int, Any]
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
        """The tenders to choose from [(tender, words)], the one used last first; the card on file is offered apart, with its ending."""
        names = [Tender.CARD, Tender.CASH, Tender.CHEQUE, *self.own_active]
        names.sort(key=lambda name: name != last)
        return [(str(name), self.tender_words(name)) for name in names]


def load_money(connection: Connection, about: Mapping[str, Any]) -> MoneySetup:
    """Read it; what was never set has its default."""
    own = {f"own-{row.id}": row for row in _rows(connection, schema.tender_kind)}
    limits = dict(DEFAULT_LIMITS) | {role: int(about[name]) for role in Role if (name := f"limit_{role}") in about}
    return MoneySetup(
        {key: OwnTender(row.words, row.needs_number) for key, row in own.items()}, tuple(key for key, row in own.items() if row.active), tuple(own.values()),
        {row.id: row for row in _rows(connection, schema.reason)}, {row.id: row for row in _rows(connection, schema.discount)}, limits,
        int(about.get("returned_fee", 2_500)), int(about.get("interest", 0)), int(about.get("interest_after", 60)), int(about.get("drawer_float", 15_000)),
    )  # fmt: skip


def _rows(connection: Connection, table: Any) -> list[Any]:
    return list(connection.execute(select(table).order_by(table.c.position, table.c.id)).all())


def products(connection: Connection, everything: bool = False) -> list[Any]:
    """What may be sold, in the clinic's order; stock is read anew each time. `everything`: also what is no longer sold."""
    p = schema.product
    query = select(p).order_by(p.c.position, p.c.id)
    return list(connection.execute(query if everything else query.where(p.c.active)).all())
