"""The next installment of each payment plan, as an occasion to write about."""

from __future__ import annotations

from zax.desk.money.payment_plans import running_plans
from zax.store.engine import Connection
from zax.store.notices.occasions import Occasion, Window
from zax.store.notices.told import marks_told
from zax.store.patients.patients import patients_of


def installments_due(connection: Connection, window: Window, after: int, most: int) -> list[Occasion]:
    """Those that nobody was told of, by household above `after`. Plans are few, so all are looked at."""
    plans = running_plans(connection, window.today)
    told = marks_told(
        connection, window.event, window.channel, window.try_no, [plan.row.id for plan in plans]
    )
    people = patients_of(connection, {plan.row.patient_id for plan in plans})
    found = [
        Occasion(
            subject_id=plan.row.id,
            mark=str(plan.standing.next.day),
            patient_id=plan.row.patient_id,
            household_id=people[plan.row.patient_id].household_id,
            visit_id=None,
            type_id=0,
            site_id=window.site_id,
            day=plan.standing.next.day,
            start_min=0,
            at=None,
        )
        for plan in plans
        if plan.standing.next is not None
        and window.first.date() <= plan.standing.next.day <= window.last.date()
        and (plan.row.id, str(plan.standing.next.day)) not in told
    ]
    ahead = sorted((each for each in found if each.household_id > after), key=lambda each: each.household_id)
    return ahead[:most]
