"""What the plans should pay for each line and what is left to the patient, each with the sentence that
explains it.

A line is worked for a plan in this order: contract fee, is it covered at all, limits (see `limits`), paid as
a cheaper service, copay, deductible, percentage, the most a patient pays in a year, maxima. Where the plan
that pays first has answered beforehand what it would pay, that counts instead. Lines of one day are worked in
the order they stand on the bill (the order they were entered, which is also their order on the claim); what
of deductible, copays, maxima and counts a line uses is gone for the next one.

The contract fee binds an in-network provider for covered services, also when a limit stops the payment; a
service that the plan does not cover is charged at the clinic's fee. Out of network there is no write-off:
what the plan does not allow is the patient's. Where the first plan's contract does not bind, the second's
does. All amounts are cents; `fee == write_off + first + second + patient` holds for every line.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date

from zax.core.coverage.benefits import CATEGORY_WORDS, Benefits
from zax.core.coverage.left import Left
from zax.core.coverage.limits import Done, Insured, Wanted, payable
from zax.core.coverage.used import Use, Used
from zax.core.money.cents import percent_of
from zax.core.wording import day_words, dollars, list_words


@dataclass(frozen=True, slots=True, kw_only=True)
class Answered:
    """What the plan that pays first said beforehand of a service (a predetermination), for all its units."""

    day: date
    allowed: int
    pays: int
    deductible: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class PricedLine:
    """A service to estimate: its fee for all units, its category, and whether it goes to the
    insurer at all. What the first plan `answered` beforehand stands in the place of our own estimate.
    """

    line_id: int
    cents: int
    category: str
    billed: bool = True
    code: str = ""
    units: int = 1
    tooth: str = ""
    area: str = ""
    authorized: bool = False
    answered: Answered | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Cover:
    """One coverage as the estimate needs it. `allowed` is the contract fee of one unit by code; `fees` the
    clinic's own, `categories` its services' categories.
    """

    benefits: Benefits
    used: Used = field(default_factory=Used)
    in_network: bool = True
    allowed: Mapping[str, int] = field(default_factory=dict)
    fees: Mapping[str, int] = field(default_factory=dict)
    categories: Mapping[str, str] = field(default_factory=dict)
    insured: Insured = field(default_factory=Insured)


@dataclass(frozen=True, slots=True, kw_only=True)
class Share:
    """What one plan would pay of a line by itself. `base` is what it starts from, `covered` whether the
    service is, `own` what of it the patient pays toward the out-of-pocket maximum.
    """

    allowed: int
    group: str
    base: int = 0
    copay: int = 0
    deductible: int = 0
    percent: int = 0
    own: int = 0
    pays: int = 0
    covered: bool = True
    why: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class LineEstimate:
    """`fee == write_off + first + second + patient`; `uses` is what the line takes of each plan. `contract`
    is what the first plan's contract forgives; None where none is on file.
    """

    line_id: int
    fee: int
    write_off: int
    first: int
    second: int
    patient: int
    why: str
    why_second: str = ""
    copay: int = 0
    uses: tuple[Use, ...] = ()
    contract: int | None = None

    @property
    def deductible(self) -> int:
        """The patient's part that counts toward the first plan's deductible."""
        return self.uses[0].deductible if self.uses else 0

    @property
    def copay_due(self) -> int:
        """What may be asked for before the visit: the first plan's copay, as far as the patient's
        part goes.
        """
        return min(self.copay, self.patient)

    @property
    def insurer(self) -> int:
        return self.first + self.second


class ActivePlan:
    """One plan going down a bill: what is left of it, and what it has seen done."""

    def __init__(self, cover: Cover, day: date) -> None:
        self.cover, self.day = cover, day
        self.left = Left(cover.benefits, cover.used, cover.in_network)
        self.done = list(cover.used.done)

    @property
    def binds(self) -> bool:
        """Whether the contract fee is all that may be asked for."""
        return self.cover.in_network

    def share(self, line: PricedLine, already_paid: int = 0) -> Share:
        """What this plan pays of the line, without taking it from what is left. `already_paid`: by another
        plan, for maintenance of benefits.
        """
        plan = self.cover.benefits
        group = plan.group(line.category)
        if plan.percent(group, self.cover.in_network, line.code) == 0:
            words = CATEGORY_WORDS.get(line.category, line.category)
            return Share(allowed=line.cents, group=group, covered=False, why=f"not covered: {words}")
        allowed = self._allowed(line)
        wanted = Wanted(
            code=line.code,
            category=group,
            day=self.day,
            tooth=line.tooth,
            area=line.area,
            units=line.units,
            authorized=line.authorized,
        )
        found = payable(plan, self.cover.insured, wanted, self.done)
        if not found.units:
            return Share(allowed=allowed, group=group, why=found.why)
        return self._paid(line, allowed, found.units, already_paid, found.why)

    def as_answered(self, line: PricedLine, answered: Answered) -> Share:
        """The share that the plan itself named; never more than is charged now."""
        allowed = min(line.cents, answered.allowed)
        pays = min(allowed, answered.pays)
        return Share(
            allowed=allowed,
            group=self.cover.benefits.group(line.category),
            base=allowed,
            deductible=min(answered.deductible, allowed - pays),
            own=allowed - pays,
            pays=pays,
            why=f"the plan’s own answer of {day_words(answered.day, year=True)}",
        )

    def _paid(self, line: PricedLine, allowed: int, units: int, already_paid: int, stopped: str) -> Share:
        """The share of a line of which so many units are payable."""
        plan = self.cover.benefits
        code, category, base, instead = self._paid_as(line, allowed)
        group = plan.group(category)
        base = max(0, base * units // line.units - already_paid)
        copay = min(base, self._copay(code, group, units))
        free = group in plan.no_deductible or code in plan.code_copays
        deductible = 0 if free else min(self.left.deductible, base - copay)
        percent = plan.percent(group, self.cover.in_network, code)
        full = percent_of(base - copay - deductible, percent)
        own = self.left.own_part(base - full)
        most = "" if own == base - full else ", the out-of-pocket maximum is met"
        pays, held_by = self.left.within_maxima(group, base - own)
        words = CATEGORY_WORDS.get(category, category)
        why = _sentence(base, copay, deductible, percent, words, bool(plan.deductible_cents) and not free)
        part = f", {units} of {line.units}: {stopped}" if stopped else ""
        return Share(
            allowed=allowed,
            group=group,
            base=base,
            copay=copay,
            deductible=deductible,
            percent=percent,
            own=own,
            pays=pays,
            why=why + instead + most + held_by + part,
        )

    def take(self, line: PricedLine, share: Share, pays: int) -> Use:
        """The line is worked: what it used is gone."""
        counts = bool(share.covered and share.base)
        if counts:
            done = Done(line.code, self.day, line.tooth, line.area, pays > 0)
            self.done.extend([done] * line.units)
        use = Use(
            group=share.group,
            paid=pays,
            deductible=share.deductible,
            own=share.own if self.cover.in_network else 0,
            in_network=self.cover.in_network,
        )
        self.left.take(use, share.copay)
        return use

    def priced(self, line: PricedLine) -> bool:
        """Whether a contract says what the plan allows for it."""
        return self.binds and line.code in self.cover.allowed

    def _allowed(self, line: PricedLine) -> int:
        contract = self.cover.allowed.get(line.code)
        return line.cents if contract is None else min(line.cents, contract * line.units)

    def _paid_as(self, line: PricedLine, allowed: int) -> tuple[str, str, int, str]:
        """The service the plan pays by: code, category, the amount it starts from, and why another than was
        done.
        """
        instead = self.cover.benefits.alternates.get(line.code)
        price = self.cover.allowed.get(instead, self.cover.fees.get(instead)) if instead else None
        if instead is None or price is None or price * line.units >= allowed:
            return line.code, line.category, allowed, ""
        category = self.cover.categories.get(instead, line.category)
        return instead, category, price * line.units, f", paid as {instead}"

    def _copay(self, code: str, group: str, units: int) -> int:
        if code in self.cover.benefits.code_copays:
            return self.cover.benefits.code_copays[code] * units
        return self.left.each_copay.get(group, 0) * units or self.left.copays.get(group, 0)


def _sentence(base: int, copay: int, deductible: int, percent: int, words: str, met: bool) -> str:
    if deductible and deductible == base - copay:
        return f"all of {dollars(base - copay)} goes to the deductible" + (
            f" after {dollars(copay)} copay" if copay else ""
        )
    taken = [f"{dollars(copay)} copay"] if copay else []
    taken += [f"{dollars(deductible)} deductible"] if deductible else []
    if taken:
        return f"{percent} percent of {dollars(base - copay - deductible)} after {list_words(taken)}"
    if percent == 100:
        return f"100 percent, {words}"
    return f"{percent} percent of {dollars(base)}, {'deductible met' if met else words}"


def estimate(lines: Sequence[PricedLine], covers: Sequence[Cover], day: date) -> list[LineEstimate]:
    """One answer a line, in order. `covers` are the coverages of that kind, the one that pays first before
    the other; at most two count.
    """
    plans = [ActivePlan(cover, day) for cover in covers[:2]]
    return [_estimate_line(line, plans) for line in lines]


def _estimate_line(line: PricedLine, plans: list[ActivePlan]) -> LineEstimate:
    if not plans or not line.billed:
        why = "not billed to the plan" if plans else "no coverage on file"
        return LineEstimate(
            line_id=line.line_id, fee=line.cents, write_off=0, first=0, second=0, patient=line.cents, why=why
        )
    plan, *others = plans
    share = plan.as_answered(line, line.answered) if line.answered else plan.share(line)
    use = plan.take(line, share, share.pays)
    write_off = line.cents - share.allowed if plan.binds and share.covered else 0
    why = share.why + (f", contract fee {dollars(share.allowed)}" if write_off else "")
    made = LineEstimate(
        line_id=line.line_id,
        fee=line.cents,
        write_off=write_off,
        first=share.pays,
        second=0,
        patient=line.cents - write_off - share.pays,
        why=why,
        copay=share.copay,
        uses=(use,),
        contract=write_off if plan.priced(line) and share.covered else None,
    )
    return _second(made, line, share, plan.binds and share.covered, others[0]) if others else made


def _second(
    made: LineEstimate, line: PricedLine, first: Share, bound: bool, plan: ActivePlan
) -> LineEstimate:
    """Coordination of benefits (NAIC model regulation): the second plan never pays more than what the first
    left open. Its contract fee holds where the first plan's does not (`bound`).
    """
    rule = plan.cover.benefits.coordination
    share = plan.share(line, already_paid=first.pays if rule == "maintenance" else 0)
    why = share.why
    if not bound and plan.binds and share.covered:
        write_off = min(line.cents - share.allowed, made.patient)
        made = replace(made, write_off=write_off, patient=made.patient - write_off)
        why += f", contract fee {dollars(share.allowed)}" if write_off else ""
    would = share.pays
    pays = min(would, made.patient)
    if rule == "carve_out":
        pays = min(max(0, would - first.pays), made.patient)
        why = (
            f"would pay {dollars(would)}, less {dollars(first.pays)} from the primary plan" if would else why
        )
    elif rule == "maintenance" and share.base:
        why = f"{why}, figured on what the primary plan left"
    elif pays < would:
        why = f"{why}, but no more than the {dollars(made.patient)} left to pay"
    use = plan.take(line, share, pays)
    return replace(made, second=pays, patient=made.patient - pays, why_second=why, uses=(*made.uses, use))


def totals(answers: Sequence[LineEstimate]) -> tuple[int, int, int]:
    """(fee, insurers, patient) in cents; what is missing to the fee is write-off."""
    return sum(a.fee for a in answers), sum(a.insurer for a in answers), sum(a.patient for a in answers)
