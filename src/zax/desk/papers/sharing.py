"""A paper goes to its patient: attached to an email, or behind a link in an email or a text.

A link opens only with the patient's birth date. What says anything about care is attached only where the
patient has agreed to that (45 CFR 164.522(b): a patient may ask for it); a statement never is. The paper is
kept as it was when it went, so the record shows what they got.
"""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from datetime import date

from zax.core.errors import NotFound, Refused
from zax.core.messages.channel import Channel
from zax.core.messages.language import language_of
from zax.core.notices.events import Event
from zax.core.patients.fields import CARE
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.notices.facts import reader_of, way_to
from zax.desk.notices.fill_in import NO_BIRTH, NO_PAGES
from zax.desk.notices.rules import habits_of, rules_of
from zax.store.engine import Connection
from zax.store.messages.messages import NewMessage, change_message, message_by_id, put_messages
from zax.store.patients.patients import guarantors_of, known_patient
from zax.store.patients.records import Patient

OFF = "Papers by {channel} are switched off in Setup, Messages."


@dataclass(frozen=True, slots=True, kw_only=True)
class Paper:
    """`about_care`: it says something about health; `by_link`: it never goes as an attachment."""

    patient_id: int
    name: str
    about_care: bool = True
    by_link: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Sending:
    """How a paper would go by one channel: where to and whether attached, or why not."""

    channel: Channel
    to: str = ""
    attached: bool = False
    why_not: str = ""


def agreed(patient: Patient) -> bool:
    """Whether they agreed that an email may name their care."""
    return patient.reach.get(CARE, {}).get("by") == "yes"


def ways_for(connection: Connection, clinic: Clinic, paper: Paper, today: date) -> list[Sending]:
    """By email and by text."""
    patient = known_patient(connection, paper.patient_id)
    rules = rules_of(connection)
    found = []
    for channel in (Channel.EMAIL, Channel.TEXT):
        if not rules.general(Event.PAPER, channel).runs:
            found.append(Sending(channel=channel, why_not=OFF.format(channel=channel)))
            continue
        attached = (
            channel is Channel.EMAIL and not paper.by_link and (not paper.about_care or agreed(patient))
        )
        where = way_to(connection, patient, channel, today)
        why_not = f"Can’t be sent there: {where.why_not}." if not where.to else ""
        if where.to and not attached:
            why_not = NO_PAGES if not habits_of(clinic).address else "" if patient.birth else NO_BIRTH
        found.append(
            Sending(channel=channel, to="" if why_not else where.to, attached=attached, why_not=why_not)
        )
    return found


@act("patients")
def send_paper(tx: Transaction, paper: Paper, digest: str, channel: Channel, key: str) -> str:
    """Send the paper that the file store keeps under `digest`; where it goes. Refused with the reason where
    it can't go that way.
    """
    found = {each.channel: each for each in ways_for(tx.connection, tx.clinic, paper, tx.clinic_day)}
    sending = found.get(channel)
    if sending is None:
        raise Refused("Choose email or text.", "channel")
    if sending.why_not:
        raise Refused(sending.why_not, "channel")
    _write(tx, paper, digest, sending, Event.PAPER, f"paper-{key}")
    tx.audit("paper.sent", patient_id=paper.patient_id, paper=paper.name, channel=channel)
    return sending.to


def write_receipt(tx: Transaction, patient_id: int, to: str, digest: str, key: str) -> None:
    """A receipt to the address that was wished for when it was paid; written once, however often."""
    paper = Paper(patient_id=patient_id, name="Receipt")
    sending = Sending(channel=Channel.EMAIL, to=to, attached=True)
    _write(tx, paper, digest, sending, Event.RECEIPT, key)


def _write(tx: Transaction, paper: Paper, digest: str, sending: Sending, event: Event, key: str) -> None:
    patient = known_patient(tx.connection, paper.patient_id)
    guarantor = guarantors_of(tx.connection, [patient.household_id]).get(patient.household_id)
    reader = reader_of(patient, guarantor, tx.clinic_day)
    message = NewMessage(
        request_key=key[:60],
        event=event,
        channel=sending.channel,
        address=sending.to,
        language=language_of(reader.language),
        patient_id=patient.id,
        why=paper.name,
        by_id=tx.actor.id,
        made_at=tx.now,
        due_at=tx.now,
        link=None if sending.attached else secrets.token_urlsafe(15),
        paper=digest,
        paper_name=paper.name,
        attached=sending.attached,
    )
    put_messages(tx.connection, [message])
    tx.tell("message", patient_id=patient.id)


@act("patients")
def stop_link(tx: Transaction, message_id: int) -> None:
    """The link of a paper opens nothing anymore. NotFound for a message without one."""
    message = message_by_id(tx.connection, message_id)
    if message is None or not message.paper or message.link is None:
        raise NotFound("This message has no link.")
    change_message(tx.connection, message.id, link=None)
    tx.audit("paper.link_stopped", patient_id=message.patient_id, message=message.id)
    tx.tell("message", patient_id=message.patient_id)
