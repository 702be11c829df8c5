"""Households: who pays for whom. Moving somebody leaves their journal where it is: past bills stay theirs,
the sums follow the people.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date

from zax.core.errors import Refused
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.patients.details import locked_patient
from zax.store.patients.patients import add_household, members_of, nobody_pays, save_patient
from zax.store.patients.records import Patient


@act("patients")
def join_household(tx: Transaction, patient_id: int, other_id: int) -> None:
    """Move the patient into the household of another; whoever pays there goes on paying."""
    row, other = locked_patient(tx, patient_id), locked_patient(tx, other_id)
    if row.household_id == other.household_id:
        raise Refused(f"{row.first} and {other.first} are already in one household.", "who")
    _leave(tx, row)
    _move(tx, row, other.household_id, guarantor=False)


@act("patients")
def leave_household(tx: Transaction, patient_id: int) -> None:
    """The patient gets a household of their own and pays for themselves."""
    row = locked_patient(tx, patient_id)
    if len(members_of(tx.connection, row.household_id)) == 1:
        raise Refused(f"{row.first} is the only one in this household.")
    _leave(tx, row)
    _move(tx, row, add_household(tx.connection, row.last), guarantor=True)


def _leave(tx: Transaction, row: Patient) -> None:
    """Those who stay need somebody who pays: an adult before a child, the oldest first."""
    if not row.guarantor:
        return
    others = [
        each
        for each in members_of(tx.connection, row.household_id)
        if each.id != row.id and each.status == "active"
    ]
    if others:
        heir = min(others, key=lambda each: (each.birth is None, each.birth or date.max))
        save_patient(tx.connection, heir, replace(heir, guarantor=True))
        tx.audit("patient.pays", patient_id=heir.id, changed={"guarantor": ["no", "yes"]})


def _move(tx: Transaction, row: Patient, household_id: int, guarantor: bool) -> None:
    after = replace(row, household_id=household_id, guarantor=guarantor, version=row.version + 1)
    save_patient(tx.connection, row, after)
    tx.audit(
        "patient.household",
        patient_id=row.id,
        changed={"household": [str(row.household_id), str(household_id)]},
    )
    tx.tell("patient", patient_id=row.id)


@act("patients")
def make_payer(tx: Transaction, patient_id: int) -> None:
    """This member pays for the household from now on."""
    row = locked_patient(tx, patient_id)
    nobody_pays(tx.connection, row.household_id)
    unpaid = replace(row, guarantor=False)
    save_patient(tx.connection, unpaid, replace(unpaid, guarantor=True, version=row.version + 1))
    tx.audit("patient.pays", patient_id=row.id, changed={"guarantor": ["no", "yes"]})
    tx.tell("patient", patient_id=row.id)
