"""Overdue returns that nobody booked go up by themselves, as the clinic's rule says: to a named person, to
the clinician, to a letter. Each step is written once, however many workers look, and kept as evidence.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

from zax.clock import local
from zax.core.errors import Refused
from zax.core.followup.due import Stand, days_over
from zax.core.followup.escalation import SHIPPED_RISES, TO_WORDS, Rise, To, checked_rises, reached
from zax.core.people.roles import MANAGER
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.clinic.clinic import Clinic
from zax.store.clinic.settings import keep_setting
from zax.store.engine import Connection
from zax.store.followup import returns as stored
from zax.store.followup.returns import Return
from zax.store.people.people import active_user, first_of_role, user_of_provider

SETTING = "returns_rise"


@dataclass(frozen=True, slots=True)
class RiseRule:
    """The clinic's steps, and the person of the first; 0: the first manager."""

    rises: Sequence[Rise]
    person_id: int = 0


def rise_rule(clinic: Clinic) -> RiseRule:
    kept = clinic.about.get(SETTING)
    if not isinstance(kept, dict):
        return RiseRule(SHIPPED_RISES)
    rises = tuple(Rise(int(days), To(to)) for days, to in kept["rises"])
    return RiseRule(rises, int(kept["person_id"]))


@act("setup")
def keep_rise_rule(tx: Transaction, rule: RiseRule) -> None:
    """Refused beside `days` or `person_id`."""
    rises = checked_rises(rule.rises)
    if rule.person_id and active_user(tx.connection, rule.person_id) is None:
        raise Refused("Choose someone who signs in.", "person_id")
    kept = {"rises": [[each.days, str(each.to)] for each in rises], "person_id": rule.person_id}
    keep_setting(tx.connection, SETTING, kept)
    tx.change_setup("setup.returns_rise")


def raise_overdue(desk: Desk) -> int:
    """Every overdue return as far up as the day says; how many went up."""
    today = local(desk.clock.now(), desk.clinic.first_site.timezone).date()
    with desk.engine.connect() as connection:
        rows = stored.open_returns(connection)
    overdue = [row.id for row in rows if row.stand(today) is Stand.OVERDUE]
    return sum(in_transaction(desk, WORKER, partial(_raise, return_id=each)) for each in overdue)


def _raise(tx: Transaction, return_id: int) -> bool:
    row = stored.hold_return(tx.connection, return_id)
    if row is None or row.stand(tx.clinic_day) is not Stand.OVERDUE:
        return False
    rule = rise_rule(tx.clinic)
    to = reached(row.due_day, row.urgent, tx.clinic_day, rule.rises)
    if to <= row.risen:
        return False
    step = rule.rises[to - 1]
    holder = _holder(tx.connection, rule, row, step.to) or row.holder_id
    stored.change_return(tx.connection, row.id, risen=to, holder_id=holder)
    words = f"{days_over(row.due_day, tx.clinic_day)} days over and not booked: goes to {TO_WORDS[step.to]}"
    stored.add_event(tx.connection, row.id, "rose", words, tx.now, None)
    tx.audit("return.rose", patient_id=row.patient_id, return_id=row.id, step=to)
    tx.tell("patient", patient_id=row.patient_id)
    return True


def _holder(connection: Connection, rule: RiseRule, row: Return, to: To) -> int | None:
    """Who has it from now on; the clinician who asked keeps it while the letter goes out."""
    if to is To.PERSON:
        return rule.person_id or first_of_role(connection, MANAGER.key)
    if row.provider_id is None:
        return row.made_by
    return user_of_provider(connection, row.provider_id) or row.made_by
