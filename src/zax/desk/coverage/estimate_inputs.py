"""From what is on file to what the estimate needs: the coverages that count, their contract fees, and what is
used up.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from zax.core.coverage.benefits import Benefits, benefit_year
from zax.core.coverage.estimate import Cover, Used
from zax.core.coverage.limits import Done, Insured, teeth_lost
from zax.desk.clinic.clinic import Clinic
from zax.store.coverage.queries import coverages_on, done_lines, sharing_plan
from zax.store.coverage.records import Coverage, DoneLine
from zax.store.engine import Connection


def covers_for(
    connection: Connection,
    clinic: Clinic,
    patient: tuple[int, date | None],
    dental: bool,
    day: date,
    provider_id: int,
    visit_id: int = 0,
) -> tuple[Sequence[Coverage], list[Cover]]:
    """(coverage rows, what the estimate works with), first payer first. `patient` is id and birth date;
    `visit_id` is left out of what is used.
    """
    patient_id, birth = patient
    rows = coverages_on(connection, patient_id, dental, day)[:2]
    if not rows:
        return rows, []
    lines = done_lines(connection, [patient_id], dental, day, visit_id)
    return rows, [
        _cover(connection, clinic, row, lines, birth, place, day, provider_id, visit_id)
        for place, row in enumerate(rows)
    ]


def _cover(
    connection: Connection,
    clinic: Clinic,
    row: Coverage,
    lines: Sequence[DoneLine],
    birth: date | None,
    place: int,
    day: date,
    provider_id: int,
    visit_id: int,
) -> Cover:
    plan = clinic.plans[row.plan_id]
    in_network = (plan.payer_id, provider_id) not in clinic.contracts.out_of_network
    done = tuple(Done(line.code, line.day, line.tooth) for line in lines for _ in range(line.units))
    household: Sequence[DoneLine] = ()
    if plan.benefits.household_deductible_cents or plan.benefits.household_maximum_cents is not None:
        others = [
            n for n in sharing_plan(connection, row.patient_id, row.plan_id, day) if n != row.patient_id
        ]
        household = [*lines, *done_lines(connection, others, plan.dental, day, visit_id)] if others else lines
    used = used_of(plan.benefits, lines, household, place, day, row, done)
    insured = Insured(birth, row.from_day, teeth_lost(done))
    allowed = clinic.contracts.allowed(plan.payer_id, plan.id, provider_id, in_network, day)
    return Cover(
        benefits=plan.benefits,
        used=used,
        in_network=in_network,
        allowed=allowed,
        fees=clinic.fees,
        insured=insured,
    )


def used_of(
    benefits: Benefits,
    lines: Sequence[DoneLine],
    household: Sequence[DoneLine],
    place: int,
    day: date,
    row: Coverage,
    done: tuple[Done, ...],
) -> Used:
    """What of the plan is used up. A claim not yet answered counts with what we expect of it; what other
    clinics used, as entered on the coverage.
    """
    first, last = benefit_year(day, benefits.year_starts_month)
    by_category: dict[str, int] = {}
    lifetime: dict[str, int] = {}
    deductible = paid = pending = 0
    for line in lines:
        cents = plan_part(line, place)
        lifetime[line.category] = lifetime.get(line.category, 0) + cents
        if first <= line.day <= last:
            by_category[line.category] = by_category.get(line.category, 0) + cents
            paid += cents
            pending += 0 if line.answered else cents
            deductible += line.deductible_cents if place == 0 else 0
    more_deductible, more_paid = elsewhere_of(row, benefits, day)
    this_year = [line for line in household if first <= line.day <= last]
    return Used(
        deductible=deductible + more_deductible,
        household_deductible=sum(line.deductible_cents for line in this_year) + more_deductible,
        paid=paid + more_paid,
        household_paid=sum(plan_part(line, place) for line in this_year) + more_paid,
        by_category=by_category,
        lifetime=lifetime,
        done=done,
        pending=pending,
    )


def elsewhere_of(row: Coverage, benefits: Benefits, day: date) -> tuple[int, int]:
    """(deductible, paid) in cents used at other clinics in the benefit year of the day, as kept on the
    coverage.
    """
    if row.elsewhere_year != benefit_year(day, benefits.year_starts_month)[0].year:
        return 0, 0
    return row.elsewhere_deductible_cents, row.elsewhere_paid_cents


def plan_part(line: DoneLine, place: int) -> int:
    """Cents that the plan at this place (0 first, 1 second) paid for a line, or is expected to."""
    if place:
        return line.second_cents
    return line.paid if line.answered else line.first_cents
