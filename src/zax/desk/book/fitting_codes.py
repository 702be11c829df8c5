"""Putting the code for new patients in the place of the one for known patients, and the other way round,
where a service comes with a visit type, a set or by hand (zax.core.charges.new_patient).
"""

from __future__ import annotations

from datetime import date

from zax.core.charges.new_patient import counterpart, is_new_for
from zax.desk.clinic.clinic import Clinic
from zax.store.engine import Connection
from zax.store.patients.attendance import last_seen


def is_new_patient(connection: Connection, patient_id: int, dental: bool, day: date) -> bool:
    """Whether the patient is new for this kind of care on the day."""
    return is_new_for(last_seen(connection, patient_id, dental, day), day)


def fitting_service(clinic: Clinic, service_id: int, new: bool, day: date) -> int:
    """The service itself, or the one with the code that fits the patient, where the clinic offers it."""
    wanted = counterpart(clinic.services[service_id].code, new)
    if not wanted:
        return service_id
    offered = (each.id for each in clinic.services.values() if each.code == wanted and each.offered(day))
    return next(offered, service_id)
