"""Payers, their plans and what is agreed with them: contract fees, and who is out of whose network."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date

from zax.core.clinic.services import Service
from zax.core.coverage.fees import FeeSchedule, allowed_fees
from zax.core.coverage.plan import Payer, Plan
from zax.store.coverage import plans as stored
from zax.store.engine import Connection


@dataclass(frozen=True, slots=True)
class Contracts:
    """`out_of_network` holds (payer, provider) pairs."""

    payers: Mapping[int, Payer]
    plans: Mapping[int, Plan]
    schedules: tuple[FeeSchedule, ...]
    out_of_network: frozenset[tuple[int, int]]
    _allowed: dict[tuple[int, int, int, bool, date], dict[str, int]] = field(default_factory=dict)

    def allowed(
        self, payer_id: int, plan_id: int, provider_id: int, in_network: bool, day: date
    ) -> Mapping[str, int]:
        """Contract fees in cents by service code, as `allowed_fees` finds them; kept, since every estimate
        asks.
        """
        key = (payer_id, plan_id, provider_id, in_network, day)
        if key not in self._allowed:
            if len(self._allowed) > 5_000:
                self._allowed.clear()
            self._allowed[key] = allowed_fees(self.schedules, *key)
        return self._allowed[key]


def load_contracts(connection: Connection, services: Mapping[int, Service]) -> Contracts:
    payers = stored.payers(connection)
    return Contracts(
        payers,
        stored.plans(connection, payers),
        stored.fee_schedules(connection, services),
        stored.out_of_network(connection),
    )
