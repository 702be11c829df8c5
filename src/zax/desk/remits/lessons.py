"""What the last answers teach about the plans on file, and taking one of these lessons over."""

from __future__ import annotations

from dataclasses import dataclass, replace

from zax.core.errors import Conflict, NotFound
from zax.core.remits.kept import answer_of
from zax.core.remits.lessons import Lesson, Observed, lessons, percent_paid
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.plans import correct_plan
from zax.store.engine import Connection
from zax.store.remits.remits import plain_answers

LOOKED_AT = 1_000


@dataclass(frozen=True, slots=True)
class PlanLesson:
    lesson: Lesson
    plan: str
    service: str
    version: int


def lessons_now(connection: Connection, clinic: Clinic) -> list[PlanLesson]:
    """From the newest answers of plans that pay first and in their network."""
    observed = []
    for plan_id, kept in plain_answers(connection, LOOKED_AT):
        for line in answer_of(kept).lines:
            percent = percent_paid(line)
            if percent is not None:
                observed.append(Observed(plan_id, line.billed or line.code, percent))
    plans = {each.id: each.benefits for each in clinic.plans.values()}
    services = {each.code: each for each in clinic.services.values()}
    found = lessons(observed, plans, {code: each.category for code, each in services.items()})
    return [
        PlanLesson(
            each,
            f"{clinic.plans[each.plan_id].payer_name}, {clinic.plans[each.plan_id].name}",
            services[each.code].words,
            clinic.plans[each.plan_id].version,
        )
        for each in found
    ]


@act("plans")
def take_over(tx: Transaction, plan_id: int, code: str, version: int) -> int:
    """The plan says from now on what it has paid of this service; the percentage. Conflict when the answers
    no longer say so.
    """
    found = [
        each.lesson
        for each in lessons_now(tx.connection, tx.clinic)
        if (each.lesson.plan_id, each.lesson.code) == (plan_id, code)
    ]
    plan = tx.clinic.plans.get(plan_id)
    if plan is None:
        raise NotFound("There is no such plan.")
    if not found:
        raise Conflict("The plan on file agrees with its answers by now.")
    percents = {**plan.benefits.code_percents, code: found[0].paid}
    correct_plan(tx, plan_id, replace(plan.benefits, code_percents=percents), version)
    return found[0].paid
