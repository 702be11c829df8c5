"""What is left of a plan while it goes down a bill: deductible, copays of the visit, the most a patient pays
in a year, maxima. Cents.

Outside of the network a plan may have a deductible and a annual maximum of their own; then each side counts
by itself.
"""

from __future__ import annotations

from dataclasses import dataclass

from zax.core.coverage.benefits import CATEGORY_WORDS, Benefits
from zax.core.coverage.used import Use, Used
from zax.core.wording import dollars


@dataclass(slots=True)
class _Maximum:
    """`category` empty is the yearly one, which leaves some categories alone."""

    words: str
    left: int
    category: str = ""


class Left:
    """Of one plan, for one person, on one bill."""

    def __init__(self, plan: Benefits, used: Used, in_network: bool) -> None:
        self.plan = plan
        self.deductible = _deductible_left(plan, used, in_network)
        self.copays = {copay.category: copay.cents for copay in plan.copays if copay.per == "visit"}
        self.each_copay = {copay.category: copay.cents for copay in plan.copays if copay.per == "service"}
        self.out_of_pocket = _out_of_pocket_left(plan, used) if in_network else None
        self.maxima = _maxima_left(plan, used, in_network)

    def own_part(self, cents: int) -> int:
        """What of a patient's part they still have to pay themselves this year."""
        return cents if self.out_of_pocket is None else min(cents, self.out_of_pocket)

    def within_maxima(self, group: str, full: int) -> tuple[int, str]:
        """What of `full` the maxima leave, and the words for the one that holds it."""
        held = [maximum for maximum in self.maxima if self._counts(maximum, group) and maximum.left < full]
        if not held:
            return full, ""
        least = min(held, key=lambda maximum: maximum.left)
        left = max(0, least.left)
        if not left:
            return 0, f", but the {least.words} is used up"
        return left, f", but only {dollars(left)} is left of the {least.words}"

    def take(self, use: Use, copay: int) -> None:
        self.deductible -= use.deductible
        if use.group in self.copays:
            self.copays[use.group] = max(0, self.copays[use.group] - copay)
        if self.out_of_pocket is not None:
            self.out_of_pocket -= use.own
        for maximum in self.maxima:
            if self._counts(maximum, use.group):
                maximum.left -= use.paid

    def _counts(self, maximum: _Maximum, group: str) -> bool:
        if maximum.category:
            return maximum.category == group
        return self.plan.counts_toward_maximum(group)


def _deductible_left(plan: Benefits, used: Used, in_network: bool) -> int:
    if plan.deductible_out_cents is None:
        left = max(0, plan.deductible_cents - used.deductible)
    elif not in_network:
        return max(0, plan.deductible_out_cents - used.deductible_out)
    else:
        left = max(0, plan.deductible_cents - (used.deductible - used.deductible_out))
    if plan.household_deductible_cents:
        left = min(left, max(0, plan.household_deductible_cents - used.household_deductible))
    return left


def _out_of_pocket_left(plan: Benefits, used: Used) -> int | None:
    """None where the plan names no most."""
    left = [
        max(0, most - paid)
        for most, paid in (
            (plan.out_of_pocket_cents, used.out_of_pocket),
            (plan.household_out_of_pocket_cents, used.household_out_of_pocket),
        )
        if most is not None
    ]
    return min(left, default=None)


def _maxima_left(plan: Benefits, used: Used, in_network: bool) -> list[_Maximum]:
    made = []
    if plan.maximum_out_cents is not None and not in_network:
        made.append(_Maximum("annual out-of-network maximum", plan.maximum_out_cents - used.paid_out))
    elif plan.maximum_cents is not None:
        paid = used.paid if plan.maximum_out_cents is None else used.paid - used.paid_out
        made.append(_Maximum("annual maximum", plan.maximum_cents - paid))
    if plan.household_maximum_cents is not None:
        made.append(_Maximum("family annual maximum", plan.household_maximum_cents - used.household_paid))
    for words, limits, before in (
        ("annual", plan.category_maximums, used.by_category),
        ("lifetime", plan.lifetime_maximums, used.lifetime),
    ):
        made += [
            _Maximum(f"{words} maximum for {CATEGORY_WORDS.get(c, c)}", cents - before.get(c, 0), c)
            for c, cents in limits.items()
        ]
    return made
