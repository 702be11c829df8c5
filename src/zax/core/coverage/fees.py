"""Which fee schedule prices a service: of those that hold on the day, the one made for the most particular
case.

A schedule lists the fees that a payer's contract allows. It may be for a payer or one plan, for one provider
or all, in or out of the network, and holds between two days. More particular wins: plan before payer,
provider before everybody; then the one that began later.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date


@dataclass(frozen=True, slots=True, kw_only=True)
class FeeSchedule:
    """`fees` is cents by service code. None stands for all; `network` is in, out or any."""

    id: int
    name: str
    fees: Mapping[str, int]
    payer_id: int | None = None
    plan_id: int | None = None
    provider_id: int | None = None
    network: str = "any"
    from_day: date | None = None
    to_day: date | None = None

    def holds(self, payer_id: int, plan_id: int, provider_id: int, in_network: bool, day: date) -> bool:
        fits = (
            self.payer_id in (None, payer_id)
            and self.plan_id in (None, plan_id)
            and self.provider_id in (None, provider_id)
        )
        began = self.from_day is None or self.from_day <= day
        lasts = self.to_day is None or day <= self.to_day
        return fits and began and lasts and self.network in ("any", "in" if in_network else "out")

    @property
    def particular(self) -> tuple[bool, bool, bool, date]:
        return (
            self.plan_id is not None,
            self.provider_id is not None,
            self.payer_id is not None,
            self.from_day or date.min,
        )


def allowed_fees(
    schedules: Iterable[FeeSchedule],
    payer_id: int,
    plan_id: int,
    provider_id: int,
    in_network: bool,
    day: date,
) -> dict[str, int]:
    """Cents allowed by service code; a code on no schedule is missing: there the clinic's own fee counts."""
    fees: dict[str, int] = {}
    fitting = (s for s in schedules if s.holds(payer_id, plan_id, provider_id, in_network, day))
    for schedule in sorted(fitting, key=lambda s: s.particular):
        fees.update(schedule.fees)
    return fees
