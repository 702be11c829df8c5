"""What answers teach about a plan: the plan on file says 80, it paid 50 in 6 of 6.

Only a line that says plainly what percentage was paid teaches anything: paid, with nothing beside it but the
contract, the deductible and coinsurance. A plan is only said to be wrong about a service when its last
answers all agree with each other, and enough of them came. Nothing is changed by itself: a biller takes it
over.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from zax.core.coverage.benefits import Benefits
from zax.core.money.cents import percent_of
from zax.core.x12.remittance import RemitLine

LAST, ENOUGH = 6, 4
_PLAIN = frozenset({("CO", "45"), ("PR", "1"), ("PR", "2")})
# Payers round to the cent in their own way.
_ROUNDING = 1


@dataclass(frozen=True, slots=True)
class Observed:
    """A line of an answer: the whole percent that the plan paid of it."""

    plan_id: int
    code: str
    percent: int


@dataclass(frozen=True, slots=True)
class Lesson:
    """The plan on file says `on_file` percent of this code; its last `of` answers all paid `paid`."""

    plan_id: int
    code: str
    on_file: int
    paid: int
    of: int


def percent_paid(line: RemitLine) -> int | None:
    """The whole percentage that was paid beyond the deductible; None where the line doesn't say plainly."""
    if line.paid_cents <= 0 or any((a.group, a.reason) not in _PLAIN for a in line.adjustments if a.cents):
        return None
    off = sum(a.cents for a in line.adjustments if a.reason != "2")
    base = line.charge_cents - off
    if base <= 0:
        return None
    percent = (line.paid_cents * 100 + base // 2) // base
    return percent if abs(percent_of(base, percent) - line.paid_cents) <= _ROUNDING else None


def lessons(
    observed: Iterable[Observed], plans: Mapping[int, Benefits], categories: Mapping[str, str]
) -> list[Lesson]:
    """`observed` the newest first; `categories` by code. Those with the most answers first."""
    by_service: dict[tuple[int, str], list[int]] = {}
    for each in observed:
        found = by_service.setdefault((each.plan_id, each.code), [])
        if len(found) < LAST:
            found.append(each.percent)
    made = []
    for (plan_id, code), percents in by_service.items():
        benefits = plans.get(plan_id)
        if benefits is None or code not in categories or len(percents) < ENOUGH:
            continue
        on_file = benefits.percent(benefits.group(categories[code]), True, code)
        if len(set(percents)) == 1 and percents[0] != on_file:
            made.append(Lesson(plan_id, code, on_file, percents[0], len(percents)))
    return sorted(made, key=lambda each: (-each.of, each.plan_id, each.code))
