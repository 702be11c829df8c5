"""The clinic's rules of money, from its settings and rows; what was never set has its default."""

from __future__ import annotations

from zax.core.json import KeptJson
from zax.core.money.adjust import DEFAULT_LIMITS
from zax.core.money.rules import MoneyRules
from zax.core.money.tender import OwnTender
from zax.store.engine import Connection
from zax.store.money.rules import discounts, tender_kinds, write_off_reasons

_LIMIT = "limit_"


def load_money(connection: Connection, settings: KeptJson) -> MoneyRules:
    kinds = tender_kinds(connection)
    limits = {
        name.removeprefix(_LIMIT): int(value) for name, value in settings.items() if name.startswith(_LIMIT)
    }
    return MoneyRules(
        own={f"own-{each.id}": OwnTender(each.words, each.needs_number) for each in kinds},
        own_active=tuple(f"own-{each.id}" for each in kinds if each.active),
        tender_rows=tuple(kinds),
        reasons=write_off_reasons(connection),
        discounts=discounts(connection),
        limits=dict(DEFAULT_LIMITS) | limits,
        returned_fee=int(settings.get("returned_fee", 2_500)),
        interest=int(settings.get("interest", 0)),
        interest_after=int(settings.get("interest_after", 60)),
        float_cents=int(settings.get("drawer_float", 15_000)),
    )
