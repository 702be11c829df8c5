"""Somebody registers without having been asked to: name, birth date and mobile, then the code that proves it.

Whoever is on file with all of them goes on with that record; whoever isn't gets one of their own, out of
every list until the desk takes it in. Nobody is told which of the two it was.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from zax.core.errors import NotFound, ProblemCollector, Refused
from zax.core.patients.fields import ASKED
from zax.core.patients.person import check_name, check_phone, parse_birth
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.notices.fill_in import registration_for
from zax.desk.online.codes import NOT_OPEN, Browser, Purpose, check_code, own_code, text_code, use_code
from zax.desk.online.habits import online_habits
from zax.desk.online.registering import note_opened
from zax.desk.patients.details import locked_patient, new_patient
from zax.store.online.codes import OnlineCode
from zax.store.online.registrations import Registration, add_who, who_of
from zax.store.online.requests import same_person
from zax.store.patients.patients import known_patient, save_patient

CLOSED = "Registering online is switched off. Please call us."


@dataclass(frozen=True, slots=True, kw_only=True)
class NewcomerTyped:
    first: str
    last: str
    birth: str
    phone: str
    language: str


def announce(desk: Desk, at: Browser, typed: NewcomerTyped) -> int:
    """Text a code; its number. Raises Problems beside the fields."""
    return in_transaction(desk, WORKER, lambda tx: _announce(tx, at, typed))


def _announce(tx: Transaction, at: Browser, typed: NewcomerTyped) -> int:
    if not online_habits(tx.clinic).runs:
        raise Refused(CLOSED, "phone")
    wrong = ProblemCollector()
    first = wrong.take(check_name, typed.first, "first name", "first")
    last = wrong.take(check_name, typed.last, "last name", "last")
    birth = wrong.take(parse_birth, typed.birth, tx.clinic_day)
    phone = wrong.take(check_phone, typed.phone) or ""
    wrong.raise_if_any()
    code_id = text_code(tx, at, Purpose.REGISTER, phone, typed.language)
    add_who(tx.connection, code_id=code_id, first=first, last=last, birth=birth, made_at=tx.now)
    return code_id


def code_of(desk: Desk, at: Browser, number: int) -> OnlineCode:
    """The code that is waited for. NotFound for another browser's."""
    return in_transaction(desk, WORKER, lambda tx: own_code(tx, at, Purpose.REGISTER, number))


def arrive(desk: Desk, at: Browser, number: int, typed: str) -> Registration:
    """With the code typed: the pages to fill in. Refused beside `code` for a wrong one, which counts."""
    check_code(desk, at, Purpose.REGISTER, number, typed)
    return in_transaction(desk, WORKER, lambda tx: _arrive(tx, at, number))


def _arrive(tx: Transaction, at: Browser, number: int) -> Registration:
    code = use_code(tx, at, Purpose.REGISTER, number)
    who = who_of(tx.connection, number)
    if who is None or who.birth is None:
        raise NotFound(NOT_OPEN)
    known = same_person(tx.connection, who.first, who.last, who.birth, code.phone)
    if len(known) == 1:
        patient_id = known[0]
    else:
        site_id = tx.clinic.first_site.id
        patient_id = new_patient(tx, who.first, who.last, who.birth.isoformat(), code.phone, site_id)
        person = locked_patient(tx, patient_id)
        kept = replace(person, status=ASKED, language=_spoken(code.language), version=person.version + 1)
        save_patient(tx.connection, person, kept)
    row = registration_for(tx, patient_id, None, code.phone)
    note_opened(tx, row, known_patient(tx.connection, patient_id))
    return row


def _spoken(language: str) -> str:
    return "Spanish" if language == "es" else ""
