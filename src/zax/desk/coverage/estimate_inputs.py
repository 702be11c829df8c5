"""From what is on file to what the estimate needs: the coverages that count, their contract fees, and what is
used up.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date

from zax.core.charges.tooth_history import ToothWork, lost_teeth
from zax.core.coverage.benefits import Benefits, benefit_year
from zax.core.coverage.estimate import Answered, Cover
from zax.core.coverage.limits import Done, Insured, asks_about_teeth, done_before_us, teeth_lost
from zax.core.coverage.used import Use, Used, more_used
from zax.desk.clinic.clinic import Clinic
from zax.store.book.records import PlannedService
from zax.store.coverage.queries import coverages_of, done_lines, sharing_plan
from zax.store.coverage.records import Coverage, DoneLine
from zax.store.engine import Connection
from zax.store.patients.tooth_history import tooth_history


def holds_on(row: Coverage, day: date) -> bool:
    return (row.from_day is None or row.from_day <= day) and (row.to_day is None or row.to_day >= day)


def counting_on(on_file: Sequence[Coverage], dental: bool, day: date) -> list[Coverage]:
    """Those of this kind that count on the day, first payer first; of one rank the one entered last."""
    held = [row for row in on_file if row.dental == dental and holds_on(row, day)]
    of_rank = {row.rank: row for row in sorted(held, key=lambda row: row.id)}
    return [of_rank[rank] for rank in sorted(of_rank)]


def answer_for(planned: PlannedService, first: Coverage | None) -> Answered | None:
    """What the plan that pays first answered beforehand of a planned service; None when it did not, or when
    another plan pays first by now.
    """
    if planned.answered_on is None or first is None or planned.answered_coverage_id != first.id:
        return None
    return Answered(
        day=planned.answered_on,
        allowed=planned.answered_allowed_cents,
        pays=planned.answered_pays_cents,
        deductible=planned.answered_deductible_cents,
    )


def covers_for(
    connection: Connection,
    clinic: Clinic,
    patient: tuple[int, date | None],
    dental: bool,
    day: date,
    provider_id: int,
    visit_id: int = 0,
    on_file: Sequence[Coverage] | None = None,
) -> tuple[Sequence[Coverage], list[Cover]]:
    """(coverage rows, what the estimate works with), first payer first. `patient` is id and birth date;
    `visit_id` is left out of what is used; `on_file` saves reading the patient's coverages again.
    """
    patient_id, birth = patient
    on_file = coverages_of(connection, [patient_id]) if on_file is None else on_file
    rows = counting_on(on_file, dental, day)[:2]
    if not rows:
        return rows, []
    lines = done_lines(connection, [patient_id], dental, day, visit_id)
    asked = dental and any(asks_about_teeth(clinic.plans[row.plan_id].benefits) for row in rows)
    history = [each.told for each in tooth_history(connection, patient_id)] if asked else []
    return rows, [
        _cover(connection, clinic, row, lines, history, birth, place, day, provider_id, visit_id)
        for place, row in enumerate(rows)
    ]


def _cover(
    connection: Connection,
    clinic: Clinic,
    row: Coverage,
    lines: Sequence[DoneLine],
    history: Sequence[ToothWork],
    birth: date | None,
    place: int,
    day: date,
    provider_id: int,
    visit_id: int,
) -> Cover:
    plan = clinic.plans[row.plan_id]
    household: Sequence[DoneLine] = lines
    if _shares(plan.benefits):
        others = [
            n for n in sharing_plan(connection, row.patient_id, row.plan_id, day) if n != row.patient_id
        ]
        household = [*lines, *done_lines(connection, others, plan.dental, day, visit_id)] if others else lines
    counting = Counting(plan.benefits, clinic, row, place, day)
    in_network = counting.in_network(provider_id)
    ours = counting.used(lines, household)
    used = replace(ours, done=(*ours.done, *done_before_us(history)))
    return Cover(
        benefits=plan.benefits,
        used=used,
        in_network=in_network,
        allowed=clinic.contracts.allowed(plan.payer_id, plan.id, provider_id, in_network, day),
        fees=clinic.fees,
        categories=clinic.categories,
        insured=Insured(birth, row.from_day, lost_teeth(history) | teeth_lost(used.done)),
    )


def _shares(benefits: Benefits) -> bool:
    """Whether anything of the plan counts for the household together."""
    amounts = (benefits.household_maximum_cents, benefits.household_out_of_pocket_cents)
    return bool(benefits.household_deductible_cents) or any(each is not None for each in amounts)


@dataclass(frozen=True, slots=True)
class Counting:
    """What of one coverage is used up. Lines count for the plan they were estimated under, so a plan that
    begins in July begins with nothing used; of a line that says nothing about its plan, its day decides.
    `place` is 0 for the plan that pays first.
    """

    benefits: Benefits
    clinic: Clinic
    row: Coverage
    place: int
    day: date

    def used(self, lines: Sequence[DoneLine], household: Sequence[DoneLine]) -> Used:
        """A claim not yet answered counts with what we expect of it; what other clinics used, as entered on
        the coverage.
        """
        made = more_used(Used(), self.benefits, self._uses(lines, this_year=True))
        together = more_used(Used(), self.benefits, self._uses(household, this_year=True))
        lifetime = more_used(Used(), self.benefits, self._uses(lines, this_year=False)).lifetime
        waiting = [line for line in lines if not line.answered]
        pending = more_used(Used(), self.benefits, self._uses(waiting, this_year=True)).paid
        deductible, paid = elsewhere_of(self.row, self.benefits, self.day)
        return replace(
            made,
            deductible=made.deductible + deductible,
            household_deductible=together.deductible + deductible,
            paid=made.paid + paid,
            household_paid=together.paid + paid,
            household_out_of_pocket=together.out_of_pocket,
            lifetime=lifetime,
            done=tuple(self._done(line) for line in lines for _ in range(line.units)),
            pending=pending,
        )

    def in_network(self, provider_id: int) -> bool:
        return (self.row.payer_id, provider_id) not in self.clinic.contracts.out_of_network

    def _uses(self, lines: Sequence[DoneLine], this_year: bool) -> list[Use]:
        first, last = benefit_year(self.day, self.benefits.year_starts_month)
        return [
            use
            for line in lines
            if (not this_year or first <= line.day <= last) and (use := self.use_of(line)) is not None
        ]

    def use_of(self, line: DoneLine) -> Use | None:
        """What a line took of this plan; None for one that was another plan's."""
        place = self._place_of(line)
        if place is None:
            return None
        in_network = self.in_network(line.provider_id)
        own = line.second_own_cents if place else line.own_cents
        return Use(
            group=self.benefits.group(line.category),
            paid=line.second_cents if place else (line.paid if line.answered else line.first_cents),
            deductible=line.second_deductible_cents if place else line.deductible_cents,
            own=own if in_network else 0,
            in_network=in_network,
        )

    def _place_of(self, line: DoneLine) -> int | None:
        noted = (line.first_plan_id, line.second_plan_id)
        if self.row.plan_id in noted:
            return noted.index(self.row.plan_id)
        began = self.row.from_day
        unsaid = noted == (None, None) and (began is None or line.day >= began)
        return self.place if unsaid else None

    def _done(self, line: DoneLine) -> Done:
        use = self.use_of(line)
        return Done(line.code, line.day, line.tooth, line.area, use is not None and use.paid > 0)


def elsewhere_of(row: Coverage, benefits: Benefits, day: date) -> tuple[int, int]:
    """(deductible, paid) in cents used at other clinics in the benefit year of the day, as kept on the
    coverage.
    """
    if row.elsewhere_year != benefit_year(day, benefits.year_starts_month)[0].year:
        return 0, 0
    return row.elsewhere_deductible_cents, row.elsewhere_paid_cents
