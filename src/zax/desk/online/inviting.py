"""The desk sends somebody the link to fill in their pages, or stops it."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date

from zax.core.book.track import ON_THE_BOOK
from zax.core.errors import NotFound, Refused
from zax.core.messages.channel import Channel
from zax.core.messages.language import Language, language_of
from zax.core.messages.message import Sort
from zax.core.wording import phone_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.messages.writing import write_to
from zax.desk.notices.facts import called, reader_of, way_to
from zax.desk.notices.fill_in import NO_BIRTH, NO_PAGES, page_of, registration_for
from zax.desk.notices.rules import habits_of
from zax.store.engine import Connection
from zax.store.online.registrations import change_registration, hold_registration
from zax.store.patients.patients import guarantors_of, known_patient
from zax.store.patients.records import Patient
from zax.store.record.record import visits_ahead

CHANNELS = (Channel.TEXT, Channel.EMAIL)
_WORDS = {
    Language.ENGLISH: "Hi {first}, please fill in your forms before you come: {link} {clinic}, {phone}",
    Language.SPANISH: "Hola {first}, por favor llene sus datos antes de venir: {link} {clinic}, {phone}",
}
_SUBJECT = {
    Language.ENGLISH: "Before you come: your forms",
    Language.SPANISH: "Antes de venir: sus datos",
}


def why_not_by(
    connection: Connection, clinic: Clinic, patient: Patient, today: date
) -> Mapping[Channel, str]:
    """Why the link can't go by a channel; empty where it can."""
    found = {}
    for channel in CHANNELS:
        where = way_to(connection, patient, channel, today)
        why = f"Can’t be sent there: {where.why_not}." if not where.to else ""
        if not why:
            why = NO_PAGES if not habits_of(clinic).address else "" if patient.birth else NO_BIRTH
        found[channel] = why
    return found


@act("patients")
def send_link(tx: Transaction, patient_id: int, by: str, key: str) -> str:
    """By text or email, what goes once however often it is asked for with one key; where it goes. Refused
    beside `channel` where it can't go that way.
    """
    channel = next((each for each in CHANNELS if each == by), None)
    if channel is None:
        raise Refused("Choose text or email.", "channel")
    patient = known_patient(tx.connection, patient_id)
    why_not = why_not_by(tx.connection, tx.clinic, patient, tx.clinic_day)[channel]
    if why_not:
        raise Refused(why_not, "channel")
    to = way_to(tx.connection, patient, channel, tx.clinic_day).to
    coming = visits_ahead(tx.connection, patient_id, tx.clinic_day, 6)
    visit_id = next((each.id for each in coming if each.state in ON_THE_BOOK), None)
    row = registration_for(tx, patient_id, visit_id, to if channel is Channel.TEXT else "")
    guarantor = guarantors_of(tx.connection, [patient.household_id]).get(patient.household_id)
    reader = reader_of(patient, guarantor, tx.clinic_day)
    language = language_of(reader.language)
    words = _WORDS[language].format(
        first=called(reader),
        link=page_of(tx.clinic, row),
        clinic=tx.clinic.about["clinic_name"],
        phone=phone_words(tx.clinic.first_site.phone),
    )
    write_to(
        tx,
        channel,
        to,
        words,
        key=f"register-{key}"[:60],
        sort=Sort.REQUEST,
        patient_id=patient_id,
        subject=_SUBJECT[language] if channel is Channel.EMAIL else "",
        why="Forms to fill in",
    )
    tx.audit("registration.invited", patient_id=patient_id, channel=channel)
    return to


@act("patients")
def stop_registration(tx: Transaction, number: int) -> None:
    """Its link opens nothing anymore; what was typed stays. NotFound for none."""
    row = hold_registration(tx.connection, number)
    if row is None or row.link is None:
        raise NotFound("This link was stopped already.")
    change_registration(tx.connection, number, link=None)
    tx.audit("registration.stopped", patient_id=row.patient_id, registration=number)
    tx.tell("patient", patient_id=row.patient_id)
