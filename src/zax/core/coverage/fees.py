"""Which fee schedule prices a service: of those that hold on the day, the one made for the most particular
case.

A schedule lists the fees that a payer's contract allows. It may be for a payer or one plan, for one provider
or all, in or out of the network, and holds between two days. More particular wins: plan before payer,
provider before everybody; then the one that began later.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from datetime import date


@dataclass(frozen=True, slots=True, kw_only=True)
class FeeSchedule:
    """`fees` is cents by service code. None stands for all; `network` is in, out or any. With `flag_id` it is
    a price list for patients with that flag, and no payer's.
    """

    id: int
    name: str
    fees: Mapping[str, int]
    payer_id: int | None = None
    plan_id: int | None = None
    provider_id: int | None = None
    flag_id: int | None = None
    network: str = "any"
    from_day: date | None = None
    to_day: date | None = None

    def holds(self, payer_id: int, plan_id: int, provider_id: int, in_network: bool, day: date) -> bool:
        fits = (
            self.flag_id is None
            and self.payer_id in (None, payer_id)
            and self.plan_id in (None, plan_id)
            and self.provider_id in (None, provider_id)
        )
        return fits and self.runs_on(day) and self.network in ("any", "in" if in_network else "out")

    def runs_on(self, day: date) -> bool:
        """Whether its days are not over, and have begun."""
        began = self.from_day is None or self.from_day <= day
        return began and (self.to_day is None or day <= self.to_day)

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


@dataclass(frozen=True, slots=True)
class Less:
    """What a price list takes off a charge: cents, and the list's name."""

    cents: int
    words: str


def less_by_list(
    schedules: Iterable[FeeSchedule], flags: Collection[int], day: date, code: str, units: int, cents: int
) -> Less:
    """How much less than `cents` a patient with these flags pays for so many of a service: by the cheapest of
    their lists; nothing where none names the service, or none is cheaper.
    """
    theirs = [each for each in schedules if each.flag_id in flags and each.runs_on(day) and code in each.fees]
    best = min(theirs, key=lambda each: each.fees[code], default=None)
    if best is None:
        return Less(0, "")
    return Less(max(0, cents - best.fees[code] * units), best.name)
