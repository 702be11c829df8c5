"""Patients sign in: with their phone and birth date, with email and password, or by a link that we sent; then
always with a code that is texted to their phone.

Whether a phone, an address or a name is on file is nobody's to find out: every phone gets its code, every
wrong password takes as long, and who isn't found is told so only with the code of that very phone. A child's
own page is opened by whom the desk allowed it, never by the child's birth date on the family's phone.
"""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass

from zax.clock import local
from zax.core.errors import NotFound, ProblemCollector, Refused
from zax.core.own.access import (
    OF_AGE,
    Permission,
    password_shut,
    session_holds,
    still_allowed,
)
from zax.core.patients.fields import check_email
from zax.core.patients.person import age_on, check_phone, parse_birth
from zax.core.people.passwords import password_problem
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.online.codes import (
    NOT_OPEN,
    Browser,
    Purpose,
    check_code,
    count_try,
    own_code,
    text_code,
    use_code,
)
from zax.desk.people.sign_in import hasher, matches, nobody
from zax.store.online.codes import OnlineCode
from zax.store.online.registrations import Who, add_who, who_of
from zax.store.own import logins as stored
from zax.store.patients.patients import known_patient, patient_of, patients_of, with_phone
from zax.store.patients.records import Patient

NOBODY = "We couldn’t find you with this phone and birth date. Please call us."
NO_MATCH = "The email and password don’t match. Check both and try again."


@dataclass(frozen=True, slots=True)
class Own:
    """Somebody signed in: `people` are whom they may see, themselves first."""

    session_id: int
    patient: Patient
    people: tuple[Patient, ...]

    def person(self, number: int) -> Patient:
        """One of them. NotFound for anybody else."""
        found = next((each for each in self.people if each.id == number), None)
        if found is None:
            raise NotFound("There is no such page.")
        return found


def begin(desk: Desk, at: Browser, phone: str, birth: str, language: str) -> int:
    """Text a code; its number. Raises Problems beside the fields, Refused after too many tries."""

    def work(tx: Transaction) -> int:
        wrong = ProblemCollector()
        number = wrong.take(check_phone, phone) or ""
        born = wrong.take(parse_birth, birth, tx.clinic_day)
        wrong.raise_if_any()
        code_id = text_code(tx, at, Purpose.SIGN_IN, number, language)
        add_who(tx.connection, code_id=code_id, birth=born, made_at=tx.now)
        return code_id

    return in_transaction(desk, WORKER, work)


def begin_with_password(desk: Desk, at: Browser, email: str, password: str, language: str) -> int:
    """The same with email and password. Refused beside `password` for a wrong pair, whichever is wrong."""
    address = check_email(email)
    in_transaction(desk, WORKER, lambda tx: count_try(tx, at, f"mail {address.lower()}"))
    found = in_transaction(desk, WORKER, lambda tx: _login_at(tx, address))
    right = matches(found.password_hash if found else nobody(), password)
    if found is None or not right:
        if found is not None:
            in_transaction(desk, WORKER, lambda tx: _note_wrong(tx, found.patient_id))
        raise Refused(NO_MATCH, "password")
    return in_transaction(desk, WORKER, lambda tx: _code_for(tx, at, found.patient_id, language))


def _login_at(tx: Transaction, address: str) -> stored.Login | None:
    """The one login of this address; none where several have it, or it is shut for a while."""
    people = stored.patients_at(tx.connection, address) if address else []
    login = stored.login_of(tx.connection, people[0]) if len(people) == 1 else None
    if login is None or password_shut(login.wrong_tries, login.wrong_at, tx.now):
        return None
    return login


def _note_wrong(tx: Transaction, patient_id: int) -> None:
    row = stored.login_for_update(tx.connection, patient_id)
    if row is not None:
        stored.change_login(tx.connection, row.id, wrong_tries=row.wrong_tries + 1, wrong_at=tx.now)
        tx.audit("own.wrong_password", patient_id=patient_id)


def _code_for(tx: Transaction, at: Browser, patient_id: int, language: str) -> int:
    """A code to the phone on file. Refused beside `password` where there is none to text to."""
    patient = known_patient(tx.connection, patient_id)
    if not patient.phone or patient.texts_to == "none":
        raise Refused("We have no phone to text a code to. Please call us.", "password")
    login = stored.login_for_update(tx.connection, patient_id)
    if login is not None and login.wrong_tries:
        stored.change_login(tx.connection, login.id, wrong_tries=0, wrong_at=None)
    return begin_for(tx, at, patient, language)


def begin_for(tx: Transaction, at: Browser, patient: Patient, language: str) -> int:
    """A code to the phone of somebody whom a link or a password names already."""
    code_id = text_code(tx, at, Purpose.SIGN_IN, patient.phone, language)
    add_who(tx.connection, code_id=code_id, patient_id=patient.id, made_at=tx.now)
    return code_id


def code_of(desk: Desk, at: Browser, number: int) -> OnlineCode:
    """The code that is waited for. NotFound for another browser's."""
    return in_transaction(desk, WORKER, lambda tx: own_code(tx, at, Purpose.SIGN_IN, number))


def finish(desk: Desk, at: Browser, number: int, typed: str) -> str:
    """With the code typed: the secret of a session. Refused beside `code` for a wrong one, which counts, and
    where nobody is found.
    """
    check_code(desk, at, Purpose.SIGN_IN, number, typed)
    secret = in_transaction(desk, WORKER, lambda tx: _finish(tx, at, number))
    if not secret:
        raise Refused(NOBODY, "code")
    return secret


def _finish(tx: Transaction, at: Browser, number: int) -> str:
    code = use_code(tx, at, Purpose.SIGN_IN, number)
    who = who_of(tx.connection, number)
    if who is None:
        raise NotFound(NOT_OPEN)
    patient = _found(tx, code, who)
    if patient is None:
        return ""
    secret = secrets.token_urlsafe(32)
    stored.add_session(
        tx.connection,
        secret=hash_of(secret),
        patient_id=patient.id,
        device=at.seal(at.device),
        made_at=tx.now,
        used_at=tx.now,
    )
    tx.audit("own.signed_in", patient_id=patient.id)
    return secret


def _found(tx: Transaction, code: OnlineCode, who: Who) -> Patient | None:
    """Who it is: an active grown-up, and nobody else with that phone and birth date."""
    ids = [who.patient_id] if who.patient_id else with_phone(tx.connection, code.phone)
    found = [
        each
        for each in patients_of(tx.connection, ids).values()
        if each.status == "active"
        and each.phone == code.phone
        and (who.patient_id is not None or each.birth == who.birth)
        and each.birth is not None
        and age_on(each.birth, tx.clinic_day) >= OF_AGE
    ]
    return found[0] if len(found) == 1 else None


def hash_of(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


def signed_in(desk: Desk, at: Browser, secret: str) -> Own | None:
    """Who holds this session, in the browser it was made for; None once it is over."""
    return in_transaction(desk, WORKER, lambda tx: _signed_in(tx, at, secret))


def _signed_in(tx: Transaction, at: Browser, secret: str) -> Own | None:
    row = stored.session_of(tx.connection, hash_of(secret)) if secret else None
    if (
        row is None
        or not at.knows(row.device, at.device)
        or not session_holds(row.made_at, row.used_at, tx.now)
    ):
        return None
    patient = patient_of(tx.connection, row.patient_id)
    if patient is None or patient.status != "active":
        return None
    if (tx.now - row.used_at).total_seconds() > 60:
        stored.use_session(tx.connection, row.id, tx.now)
    return Own(row.id, patient, people_of(tx, patient))


def people_of(tx: Transaction, patient: Patient) -> tuple[Patient, ...]:
    """Whom somebody may see: themselves, and those the desk allowed, as long as that holds."""
    zone = tx.clinic.first_site.timezone
    ids = [
        each.for_id
        for each in stored.allowed_for(tx.connection, [patient.id])
        if still_allowed(Permission(each.for_id, each.birth, local(each.at, zone).date()), tx.clinic_day)
    ]
    others = patients_of(tx.connection, ids)
    return (patient, *(others[number] for number in ids if number in others))


def sign_out(desk: Desk, own: Own) -> None:
    in_transaction(desk, WORKER, lambda tx: stored.end_session(tx.connection, own.session_id, tx.now))


def sign_out_elsewhere(desk: Desk, own: Own) -> int:
    """End every other session of this patient; how many."""
    return in_transaction(
        desk,
        WORKER,
        lambda tx: stored.end_sessions(tx.connection, own.patient.id, tx.now, own.session_id),
    )


def set_password(desk: Desk, own: Own, password: str) -> None:
    """Keep a password; every other session ends. Refused beside `new_password`, or `email` without one on
    file.
    """
    if not own.patient.email:
        raise Refused("Add your email first: it’s your sign-in name.", "new_password")
    problem = password_problem(
        password, (own.patient.first, own.patient.last, own.patient.email.split("@")[0])
    )
    if problem:
        raise Refused(problem, "new_password")
    hashed = hasher.hash(password)

    def work(tx: Transaction) -> None:
        row = stored.login_for_update(tx.connection, own.patient.id)
        if row is None:
            stored.add_login(tx.connection, patient_id=own.patient.id, password_hash=hashed, made_at=tx.now)
        else:
            stored.change_login(tx.connection, row.id, password_hash=hashed, wrong_tries=0, wrong_at=None)
        stored.end_sessions(tx.connection, own.patient.id, tx.now, own.session_id)
        tx.audit("own.password", patient_id=own.patient.id)

    in_transaction(desk, WORKER, work)
