"""The page behind the link of a paper: nothing is shown before the patient's birth date is entered, so that a
phone that changed hands, or a mail scanner, opens nothing. After a few wrong dates the link is shut, and
after a month it is over.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from zax.core.errors import NotFound, Refused
from zax.core.patients.person import parse_birth
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.store.files import FileStore
from zax.store.messages.messages import Message, change_message, hold_message, message_by_link
from zax.store.patients.patients import known_patient

GONE = "This link doesn’t work anymore. Please call us."
WRONG = "That isn’t the birth date we have. Please try again."
OPEN_FOR = timedelta(days=30)
MOST_WRONG = 5
LONGEST = 24


@dataclass(frozen=True, slots=True)
class Behind:
    """What lies behind a link; nothing of it is shown before it is opened."""

    message: Message
    first: str


def behind(desk: Desk, link: str) -> Behind:
    """NotFound for a link that names nothing, or not anymore."""
    return in_transaction(desk, WORKER, lambda tx: _behind(tx, link))


def _behind(tx: Transaction, link: str) -> Behind:
    message = message_by_link(tx.connection, link) if link and len(link) <= LONGEST else None
    if message is None or message.patient_id is None or not _is_open(tx, message):
        raise NotFound(GONE)
    return Behind(message, known_patient(tx.connection, message.patient_id).first)


def _is_open(tx: Transaction, message: Message) -> bool:
    in_time = tx.now <= message.made_at + OPEN_FOR and message.wrong_tries < MOST_WRONG
    return bool(message.paper) and message.link is not None and in_time


def open_paper(desk: Desk, files: FileStore, link: str, typed: str) -> tuple[str, bytes]:
    """Its name and content. Refused beside `birth` for another date; each counts."""
    message = in_transaction(desk, WORKER, lambda tx: _opened(tx, link, typed))
    if message is None:
        raise Refused(WRONG, "birth")
    return message.paper_name, files.get(message.paper)


def _opened(tx: Transaction, link: str, typed: str) -> Message | None:
    """None for a wrong date, which is counted; what can't be a date is refused and isn't."""
    found = _behind(tx, link)
    said = parse_birth(typed, tx.clinic_day)
    # Held from here: several that guess at once are counted one by one.
    message = hold_message(tx.connection, found.message.request_key)
    if message is None or not _is_open(tx, message):
        raise NotFound(GONE)
    if said != _birth(tx, message):
        change_message(tx.connection, message.id, wrong_tries=message.wrong_tries + 1)
        tx.audit("paper.wrong_birth", patient_id=message.patient_id, message=message.id)
        return None
    if message.opened_at is None:
        change_message(tx.connection, message.id, opened_at=tx.now)
        tx.tell("message", patient_id=message.patient_id)
    tx.audit("paper.opened", patient_id=message.patient_id, message=message.id)
    return message


def _birth(tx: Transaction, message: Message) -> date | None:
    assert message.patient_id is not None
    return known_patient(tx.connection, message.patient_id).birth
