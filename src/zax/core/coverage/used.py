"""What of a plan is used up: by what was done before, and by each line of a bill. Counted for each coverage
by itself, in cents.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace

from zax.core.coverage.benefits import Benefits
from zax.core.coverage.limits import Done


@dataclass(frozen=True, slots=True, kw_only=True)
class Use:
    """What one line takes of a plan: `group` is its category as the plan speaks of it, `own` what the patient
    pays toward the out-of-pocket maximum.
    """

    group: str
    paid: int = 0
    deductible: int = 0
    own: int = 0
    in_network: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class Used:
    """What counted before: of this benefit year deductible, payments and the patient's own part; payments of
    a lifetime by category; services done.

    `paid` is what counts toward the annual maximum; `deductible_out` and `paid_out` are the parts outside of
    the network. `pending` is the part of `paid` that stands on claims not yet answered.
    """

    deductible: int = 0
    deductible_out: int = 0
    household_deductible: int = 0
    paid: int = 0
    paid_out: int = 0
    household_paid: int = 0
    out_of_pocket: int = 0
    household_out_of_pocket: int = 0
    by_category: Mapping[str, int] = field(default_factory=dict)
    lifetime: Mapping[str, int] = field(default_factory=dict)
    done: tuple[Done, ...] = ()
    pending: int = 0

    def new_year(self) -> Used:
        """With nothing used of the yearly amounts."""
        return Used(lifetime=self.lifetime, done=self.done)


def more_used(used: Used, plan: Benefits, uses: Iterable[Use]) -> Used:
    """With these lines of this benefit year on top; they count for the person and for the household."""
    by_category, lifetime = dict(used.by_category), dict(used.lifetime)
    deductible = deductible_out = paid = paid_out = own = 0
    for use in uses:
        by_category[use.group] = by_category.get(use.group, 0) + use.paid
        lifetime[use.group] = lifetime.get(use.group, 0) + use.paid
        counted = use.paid if plan.counts_toward_maximum(use.group) else 0
        paid += counted
        own += use.own
        deductible += use.deductible
        if not use.in_network:
            paid_out += counted
            deductible_out += use.deductible
    return replace(
        used,
        deductible=used.deductible + deductible,
        deductible_out=used.deductible_out + deductible_out,
        household_deductible=used.household_deductible + deductible,
        paid=used.paid + paid,
        paid_out=used.paid_out + paid_out,
        household_paid=used.household_paid + paid,
        out_of_pocket=used.out_of_pocket + own,
        household_out_of_pocket=used.household_out_of_pocket + own,
        by_category=by_category,
        lifetime=lifetime,
    )
