"""A payment plan: a sum in installments. What is paid of it is never counted apart: it is what is no longer
open on the charges it covers.

So a payment at the desk, a card charged at night or an insurer who pays after all move the plan alike, and
nothing can disagree.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from zax.core.book.calendar import step_months
from zax.core.errors import ProblemCollector, Refused
from zax.core.money.tender import PaymentState
from zax.core.wording import dollars

EVERY = {"week": "every week", "fortnight": "every two weeks", "month": "every month"}
MOST_INSTALLMENTS = 60
TRY_AGAIN = timedelta(days=3)
MOST_TRIES = 3


@dataclass(frozen=True, slots=True)
class Installment:
    """The n-th installment (from 1), due on a local day; cents."""

    number: int
    day: date
    cents: int


@dataclass(frozen=True, slots=True)
class Standing:
    """A plan today; cents. `overdue` is due before today and not paid, `due` with today's; `next` the first
    not yet covered.
    """

    paid: int
    due: int
    overdue: int
    next: Installment | None
    done: bool


def schedule(cents: int, count: int, first: date, every: str) -> list[Installment]:
    """Equal installments; the cents that do not divide go to the first ones. They add up to the sum."""
    each, rest = divmod(cents, count)
    return [Installment(n + 1, _day(first, n, every), each + (n < rest)) for n in range(count)]


def _day(first: date, n: int, every: str) -> date:
    if every == "month":
        return step_months(first, n)
    return first + timedelta(weeks=n * (2 if every == "fortnight" else 1))


def standing(cents: int, installments: Sequence[Installment], still_open: int, today: date) -> Standing:
    """`still_open` are the cents open on the charges of the plan; more than the plan's sum counts as nothing
    paid.
    """
    paid = cents - max(0, min(cents, still_open))
    due = sum(each.cents for each in installments if each.day <= today) - paid
    overdue = sum(each.cents for each in installments if each.day < today) - paid
    covered = 0
    following = None
    for each in installments:
        covered += each.cents
        if covered > paid:
            following = each
            break
    return Standing(paid, max(0, due), max(0, overdue), following, paid == cents)


def check_plan(cents: int, count: int, still_open: int) -> None:
    """Raises Problems when the sum is not that of the chosen charges, or the installments are too small.

    A plan covers whole charges, so that whatever pays them pays the plan; a down payment is taken before it
    is made.
    """
    wrong = ProblemCollector()
    if not still_open:
        wrong.add("lines", "Check the charges the plan is for.")
    elif cents != still_open:
        wrong.add(
            "amount",
            f"The checked charges come to {dollars(still_open)}. Take a down payment first, or check"
            " other charges.",
        )
    if cents < count:
        wrong.add("count", "An installment would be less than a cent.")
    wrong.raise_if_any()


def check_first(first: date, today: date) -> None:
    if not today <= first <= step_months(today, 3):
        raise Refused("The first installment is due between today and three months from now.", "first")


def may_try(tries: Sequence[tuple[date, str]], today: date) -> bool:
    """Whether the card may be asked today for an installment that was tried on these days [(day, state)],
    oldest first.
    """
    failed = [day for day, state in tries if state == PaymentState.DECLINED]
    if len(failed) >= MOST_TRIES or any(state in {"asking", "unknown"} for _, state in tries):
        return False
    return not failed or failed[-1] + TRY_AGAIN <= today
