"""Doctors elsewhere, whom patients come from or go to: the clinic's own list, by which what patients type is
read.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from zax.core.clinic.identity import is_npi
from zax.core.errors import NotFound, ProblemCollector, Stale
from zax.core.form import Form, Reference, Tick
from zax.core.patients.person import check_name, check_phone
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store.online import doctors as stored

LONGEST_DEGREE, LONGEST_PRACTICE = 10, 80


class DoctorForm(Form):
    """As typed; `number` 0 for a new one."""

    number: Reference = 0
    version: Reference = 0
    first: str = ""
    last: str = ""
    degree: str = ""
    practice: str = ""
    phone: str = ""
    npi: str = ""
    active: Tick = False


@act("setup")
def save_doctor(tx: Transaction, form: DoctorForm) -> int:
    """Enter or change one; the number. Raises Problems beside the fields."""
    number, name = put_doctor(tx, form)
    tx.audit("doctor.saved", doctor=number, name=name)
    return number


def put_doctor(tx: Transaction, form: DoctorForm) -> tuple[int, str]:
    """The same within an act: the number and the name."""
    wrong = ProblemCollector()
    values: dict[str, Any] = {
        "first": wrong.take(check_name, form.first, "first name", "first") or "",
        "last": wrong.take(check_name, form.last, "last name", "last") or "",
        "degree": " ".join(form.degree.split()),
        "practice": " ".join(form.practice.split()),
        "phone": (wrong.take(check_phone, form.phone) or "") if form.phone.strip() else "",
        "npi": form.npi.strip(),
        "active": form.active,
    }
    for name, most in (("degree", LONGEST_DEGREE), ("practice", LONGEST_PRACTICE)):
        if len(str(values[name])) > most:
            wrong.add(name, f"At most {most} letters can be kept here.")
    if values["npi"] and not is_npi(str(values["npi"])):
        wrong.add("npi", "That isn’t an NPI: ten digits, the last of which checks the others.")
    wrong.raise_if_any()
    if not form.number:
        number = stored.add_doctor(tx.connection, **values)
    else:
        before = stored.doctor_of(tx.connection, form.number)
        if before is None:
            raise NotFound("There is no such doctor.")
        if before.version != form.version:
            raise Stale("Someone changed this doctor since you opened it. Compare, then save again.")
        number = before.id
        stored.save_doctor(tx.connection, before, replace(before, **values, version=before.version + 1))
    return number, f"{values['first']} {values['last']}"
