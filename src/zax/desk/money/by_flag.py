"""What a patient's flags take off what they pay for a service: the larger of the discount that a flag brings
and what the price list of a flag asks less. Never both, and a list counts only where no plan covers the work.

The same rule says it before the work is offered, on the visit before it is charged, and with the charge.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date

from zax.core.coverage.fees import Less, less_by_list
from zax.core.money.cents import percent_of
from zax.core.money.rules import Discount
from zax.desk.clinic.clinic import Clinic


@dataclass(frozen=True, slots=True)
class Off:
    """What comes off the patient's part of a line by a flag: cents, in words, and the discount where it is
    one.
    """

    cents: int
    words: str
    discount_id: int | None = None


@dataclass(frozen=True, slots=True)
class Owed:
    """What a patient pays for `units` of a service on a day before anything comes off, in cents; `covered`
    whether a plan covers that kind of work.
    """

    code: str
    units: int
    cents: int
    day: date
    covered: bool


def off_by_flag(clinic: Clinic, flags: Collection[int], owed: Owed) -> Off | None:
    """What comes off for a patient with these flags; None for nothing."""
    discount = _discount(clinic, flags)
    less = percent_of(owed.cents, discount.percent) if discount else 0
    listed = (
        Less(0, "")
        if owed.covered
        else less_by_list(clinic.contracts.schedules, flags, owed.day, owed.code, owed.units, owed.cents)
    )
    if listed.cents > less:
        return Off(listed.cents, listed.words)
    if discount and less:
        return Off(less, f"{discount.words}, {discount.percent} percent", discount.id)
    return None


def _discount(clinic: Clinic, flags: Collection[int]) -> Discount | None:
    """The largest discount in use that one of these flags brings, or None."""
    found = [each for each in clinic.money.discounts.values() if each.active and each.flag_id in flags]
    return max(found, key=lambda each: each.percent, default=None)
