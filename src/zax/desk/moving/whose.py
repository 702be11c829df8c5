"""Whose a row is: the patient on file that a list from elsewhere means, by number, or by name and birth date.
Nobody is taken for someone else: where two fit, the row is refused.
"""

from __future__ import annotations

from collections.abc import Mapping

from zax.core.errors import Refused
from zax.core.patients.fields import FIELDS
from zax.desk.acts.transaction import Transaction
from zax.desk.patients.details import name_keys
from zax.store.moving import imports as stored

WHOSE_WORDS = {
    "chart": "Patient’s number",
    "patient": "Patient, full name",
    "first": "Patient’s first name",
    "last": "Patient’s last name",
    "birth": "Patient’s birth date",
}
WHOSE_OTHERS = {
    "chart": "chart|chart number|patient number|patient id|record number|number in the old system",
    "patient": "patient|patient name|name|full name",
    "first": "first name|given name|patient first name",
    "last": "last name|surname|family name|patient last name",
    "birth": "birth date|dob|date of birth|birthday|born",
}


def patient_of(tx: Transaction, cells: Mapping[str, str]) -> int:
    """The patient's id. Refused beside the field that fits nobody on file, or more than one."""
    chart = cells.get("chart", "").strip()
    if chart:
        found = stored.patients_numbered(tx.connection, [chart])
        if chart not in found:
            raise Refused(f"No patient on file has number {chart[:20]}.", "chart")
        return found[chart]
    first, last = _name(cells)
    if not first or not last:
        raise Refused("Say whose it is: the patient’s number, or first and last name.", "patient")
    birth = cells.get("birth", "")
    born = FIELDS["birth"].check(birth, "birth", tx.clinic_day) if birth else None
    keys = name_keys(first, last)
    named = stored.patients_named(tx.connection, [(keys.last_key, keys.first_key)])
    fitting = [each for each in named if born is None or each.birth == born]
    if not fitting:
        raise Refused(
            f"No patient on file is called {first} {last}{' and born that day' if born else ''}.", "patient"
        )
    if len({each.id for each in fitting}) > 1:
        raise Refused(
            f"{len(fitting)} patients are called {first} {last}. Add the birth date or number.", "patient"
        )
    return fitting[0].id


def _name(cells: Mapping[str, str]) -> tuple[str, str]:
    """First and last name, from two cells or one: 'Helen Vasquez' and 'Vasquez, Helen'."""
    first, last = cells.get("first", ""), cells.get("last", "")
    whole = " ".join(cells.get("patient", "").split())
    if first or last or not whole:
        return first, last
    if "," in whole:
        last, first = (part.strip() for part in whole.split(",", 1))
        return first, last
    first, _, last = whole.partition(" ")
    return first, last
