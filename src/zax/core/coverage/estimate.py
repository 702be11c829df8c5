"""What the plans should pay for each line and what is left to the patient, each with the sentence that
explains it.

A line is worked for a plan in this order: contract fee, is it covered at all, limits (see `limits`), paid as
a cheaper service, copay, deductible, percentage, maxima. Lines of one day are worked in the order they stand
on the bill (the order they were entered, which is also their order on the claim); the deductible, copays,
maxima and frequency counts that a line uses are gone for the next one.

The contract fee binds an in-network provider for covered services, also when a limit stops the payment; a
service whose category the plan does not cover is charged at the clinic's fee. Out of network there is no
write-off: what the plan does not allow is the patient's. All amounts are cents; `fee == write_off + first +
second + patient` holds for every line.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date

from zax.core.coverage.benefits import CATEGORY_WORDS, Benefits
from zax.core.coverage.limits import Done, Insured, why_not_paid
from zax.core.money.cents import percent_of
from zax.core.wording import money_words


@dataclass(frozen=True, slots=True, kw_only=True)
class PricedLine:
    """A service to estimate: its fee for all units, its category, and whether it goes to the
    insurer at all.
    """

    line_id: int
    cents: int
    category: str
    billed: bool = True
    code: str = ""
    units: int = 1
    tooth: str = ""
    authorized: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Used:
    """What counted before: deductible and payments of this benefit year, lifetime payments by category,
    services done.

    `pending` is the part of `paid` and of the categories that stands on claims not yet answered.
    """

    deductible: int = 0
    household_deductible: int = 0
    paid: int = 0
    household_paid: int = 0
    by_category: Mapping[str, int] = field(default_factory=dict)
    lifetime: Mapping[str, int] = field(default_factory=dict)
    done: tuple[Done, ...] = ()
    pending: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Cover:
    """One coverage as the estimate needs it. `allowed` is the contract fee of one unit by code; `fees` the
    clinic's own.
    """

    benefits: Benefits
    used: Used = field(default_factory=Used)
    in_network: bool = True
    allowed: Mapping[str, int] = field(default_factory=dict)
    fees: Mapping[str, int] = field(default_factory=dict)
    insured: Insured = field(default_factory=Insured)


@dataclass(frozen=True, slots=True, kw_only=True)
class Share:
    """What one plan would pay of a line by itself. `base` is what it starts from, `covered` whether the
    category is.
    """

    allowed: int
    base: int
    copay: int
    deductible: int
    percent: int
    pays: int
    covered: bool
    why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LineEstimate:
    """`fee == write_off + first + second + patient`; `deductible` is the patient's part that counts toward
    the first plan's.
    """

    line_id: int
    fee: int
    write_off: int
    deductible: int
    first: int
    second: int
    patient: int
    why: str
    why_second: str = ""
    copay: int = 0

    @property
    def copay_due(self) -> int:
        """What may be asked for before the visit: the first plan's copay, as far as the patient's
        part goes.
        """
        return min(self.copay, self.patient)

    @property
    def insurer(self) -> int:
        return self.first + self.second


class Reckoning:
    """One plan going down a bill: what is left of its deductible, copays and maxima, and what it has seen
    done.
    """

    def __init__(self, cover: Cover, day: date) -> None:
        self.cover, self.day = cover, day
        used, plan = cover.used, cover.benefits
        self.deductible = max(0, plan.deductible_cents - used.deductible)
        if plan.household_deductible_cents:
            self.deductible = min(
                self.deductible, max(0, plan.household_deductible_cents - used.household_deductible)
            )
        self.copays = {copay.category: copay.cents for copay in plan.copays if copay.per == "visit"}
        self.each_copay = {copay.category: copay.cents for copay in plan.copays if copay.per == "service"}
        self.maxima = _maxima_left(plan, used)
        self.done = list(used.done)

    def share(self, line: PricedLine, already_paid: int = 0) -> Share:
        """What this plan pays of the line, without taking it from what is left. `already_paid`: by another
        plan, for maintenance of benefits.
        """
        plan = self.cover.benefits
        words = CATEGORY_WORDS.get(line.category, line.category)
        percent = plan.percent(line.category, self.cover.in_network)
        if percent == 0:
            return Share(
                allowed=line.cents,
                base=0,
                copay=0,
                deductible=0,
                percent=0,
                pays=0,
                covered=False,
                why=f"not covered: {words}",
            )
        allowed = self._allowed(line.code, line)
        stopped = why_not_paid(
            plan,
            self.cover.insured,
            line.code,
            line.category,
            line.tooth,
            line.authorized,
            self.day,
            self.done,
            line.units,
        )
        if stopped:
            return Share(
                allowed=allowed, base=0, copay=0, deductible=0, percent=0, pays=0, covered=True, why=stopped
            )
        base, instead = self._base(line, allowed)
        base = max(0, base - already_paid)
        copay = min(base, self._copay(line))
        deductible = 0 if line.category in plan.no_deductible else min(self.deductible, base - copay)
        full = percent_of(base - copay - deductible, percent)
        pays, held_by = self._within_maxima(line.category, full)
        why = _sentence(
            base,
            copay,
            deductible,
            percent,
            words,
            met=bool(plan.deductible_cents) and line.category not in plan.no_deductible,
        )
        return Share(
            allowed=allowed,
            base=base,
            copay=copay,
            deductible=deductible,
            percent=percent,
            pays=pays,
            covered=True,
            why=why + instead + held_by,
        )

    def take(self, line: PricedLine, share: Share, pays: int) -> None:
        """The line is worked: what it used is gone."""
        if share.covered and share.base:
            self.done.extend([Done(line.code, self.day, line.tooth)] * line.units)
        self.deductible -= share.deductible
        if line.category in self.copays:
            self.copays[line.category] -= share.copay
        for maximum in self.maxima:
            if maximum.counts(line.category):
                maximum.left -= pays

    def _allowed(self, code: str, line: PricedLine) -> int:
        contract = self.cover.allowed.get(code)
        return line.cents if contract is None else min(line.cents, contract * line.units)

    def _base(self, line: PricedLine, allowed: int) -> tuple[int, str]:
        """The amount the plan starts from, and why it is another than the allowed one."""
        instead = self.cover.benefits.alternates.get(line.code)
        price = self.cover.allowed.get(instead, self.cover.fees.get(instead)) if instead else None
        if price is None or price * line.units >= allowed:
            return allowed, ""
        return price * line.units, f", paid as {instead}"

    def _copay(self, line: PricedLine) -> int:
        return self.each_copay.get(line.category, 0) * line.units or self.copays.get(line.category, 0)

    def _within_maxima(self, category: str, full: int) -> tuple[int, str]:
        held = [maximum for maximum in self.maxima if maximum.counts(category) and maximum.left < full]
        if not held:
            return full, ""
        least = min(held, key=lambda maximum: maximum.left)
        left = max(0, least.left)
        return (
            left,
            f", but only {money_words(left)} is left of the {least.words}"
            if left
            else f", but the {least.words} is used up",
        )


@dataclass(slots=True)
class _Maximum:
    words: str
    left: int
    category: str = ""

    def counts(self, category: str) -> bool:
        return not self.category or self.category == category


def _maxima_left(plan: Benefits, used: Used) -> list[_Maximum]:
    made = []
    if plan.maximum_cents is not None:
        made.append(_Maximum("yearly maximum", plan.maximum_cents - used.paid))
    if plan.household_maximum_cents is not None:
        made.append(
            _Maximum("household's yearly maximum", plan.household_maximum_cents - used.household_paid)
        )
    for category, cents in plan.category_maximums.items():
        name = CATEGORY_WORDS.get(category, category)
        made.append(
            _Maximum(f"yearly maximum for {name}", cents - used.by_category.get(category, 0), category)
        )
    for category, cents in plan.lifetime_maximums.items():
        name = CATEGORY_WORDS.get(category, category)
        made.append(
            _Maximum(f"lifetime maximum for {name}", cents - used.lifetime.get(category, 0), category)
        )
    return made


def _sentence(base: int, copay: int, deductible: int, percent: int, words: str, met: bool) -> str:
    if deductible and deductible == base - copay:
        return f"all of {money_words(base - copay)} goes to the deductible" + (
            f" after {money_words(copay)} copay" if copay else ""
        )
    taken = [f"{money_words(copay)} copay"] if copay else []
    taken += [f"{money_words(deductible)} deductible"] if deductible else []
    if taken:
        return f"{percent} percent of {money_words(base - copay - deductible)} after {' and '.join(taken)}"
    if percent == 100:
        return f"100 percent, {words}"
    return f"{percent} percent of {money_words(base)}, {'deductible met' if met else words}"


def estimate(lines: Sequence[PricedLine], covers: Sequence[Cover], day: date) -> list[LineEstimate]:
    """One answer a line, in order. `covers` are the coverages of that kind, the one that pays first before
    the other; at most two count.
    """
    plans = [Reckoning(cover, day) for cover in covers[:2]]
    return [_estimate_line(line, plans) for line in lines]


def _estimate_line(line: PricedLine, plans: list[Reckoning]) -> LineEstimate:
    if not plans or not line.billed:
        why = "not billed to the plan" if plans else "no coverage on file"
        return LineEstimate(
            line_id=line.line_id,
            fee=line.cents,
            write_off=0,
            deductible=0,
            first=0,
            second=0,
            patient=line.cents,
            why=why,
        )
    plan, *others = plans
    share = plan.share(line)
    plan.take(line, share, share.pays)
    write_off = line.cents - share.allowed if plan.cover.in_network else 0
    why = share.why + (f", contract fee {money_words(share.allowed)}" if write_off else "")
    patient = line.cents - write_off - share.pays
    made = LineEstimate(
        line_id=line.line_id,
        fee=line.cents,
        write_off=write_off,
        deductible=share.deductible,
        first=share.pays,
        second=0,
        patient=patient,
        why=why,
        copay=share.copay,
    )
    return _second(made, line, share, others[0]) if others else made


def _second(made: LineEstimate, line: PricedLine, first: Share, plan: Reckoning) -> LineEstimate:
    """Coordination of benefits (NAIC model regulation): the second plan never pays more than what the first
    left open.
    """
    rule = plan.cover.benefits.coordination
    share = plan.share(line, already_paid=first.pays if rule == "maintenance" else 0)
    would = share.pays
    pays = min(would, made.patient)
    why = share.why
    if rule == "carve_out":
        pays = min(max(0, would - first.pays), made.patient)
        why = (
            f"would pay {money_words(would)}, less {money_words(first.pays)} from the first plan"
            if would
            else why
        )
    elif rule == "maintenance" and share.base:
        why = f"{why}, reckoned on what the first plan left"
    elif pays < would:
        why = f"{why}, but no more than the {money_words(made.patient)} left open"
    plan.take(line, share, pays)
    return replace(made, second=pays, patient=made.patient - pays, why_second=why)


def totals(answers: Sequence[LineEstimate]) -> tuple[int, int, int]:
    """(fee, insurers, patient) in cents; what is missing to the fee is write-off."""
    return sum(a.fee for a in answers), sum(a.insurer for a in answers), sum(a.patient for a in answers)
