"""The link by which a patient fills in their own pages before they come: one that is open is used again, so
that a text, an email and the desk all lead to the same.
"""

from __future__ import annotations

import secrets
from datetime import timedelta

from zax.core.messages.language import language_of
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.notices.rules import habits_of
from zax.store.online.registrations import (
    Registration,
    add_registration,
    open_registration_of,
    registration_of,
)
from zax.store.patients.patients import known_patient

PAGE = "register"
NO_PAGES = (
    "Patients can’t reach our pages yet, so a link wouldn’t open. Enter their web address in Setup, Messages,"
    " or print it."
)
NO_BIRTH = "There’s no birth date on file, and a link opens only with it."
OPEN_FOR = timedelta(days=60)


def page_of(clinic: Clinic, row: Registration) -> str:
    """Its address; empty where patients can't reach our pages."""
    address = habits_of(clinic).address
    return f"{address}/{PAGE}/{row.link}" if address and row.link else ""


def registration_for(
    tx: Transaction, patient_id: int, visit_id: int | None, proven_phone: str = ""
) -> Registration:
    """The one that this patient can fill in now."""
    found = open_registration_of(tx.connection, patient_id)
    if found is not None and tx.now < found.made_at + OPEN_FOR and not found.wrong_tries:
        return found
    patient = known_patient(tx.connection, patient_id)
    number = add_registration(
        tx.connection,
        patient_id=patient_id,
        visit_id=visit_id,
        link=secrets.token_urlsafe(15),
        language=language_of(patient.language),
        proven_phone=proven_phone,
        made_at=tx.now,
        made_by=tx.actor.id,
    )
    made = registration_of(tx.connection, number)
    assert made is not None
    return made
