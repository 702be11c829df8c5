"""Carrying a message out: made ready in one transaction (zax.desk.notices.ready), handed over without one,
noted in a third.

Before anything is handed over a second time the gateway is asked by the message's key whether it has it: so a
worker that is killed anywhere sends nothing twice and forgets nothing. A mail server can't be asked; the
receiving side knows a mail by its Message-ID, which is made of the key.
"""

from __future__ import annotations

from zax.core.messages.channel import Channel
from zax.core.messages.length import text_length
from zax.core.messages.message import State
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.notices.mail import MailHtml, attach_paper, mail_of
from zax.desk.notices.ready import Ready, make_ready
from zax.outside.doors import DoorRefused, Outside
from zax.store.acts.outbox import Errand, finish_errand
from zax.store.files import FileStore
from zax.store.messages.messages import Message, change_message, hold_message, keep_address

NOT_TAKEN = "doesn’t take our messages"


def carry_out_message(
    desk: Desk, outside: Outside, errand: Errand, html: MailHtml | None, files: FileStore | None
) -> None:
    """Raises OutsideTrouble when the other side can't be reached; then it is tried again."""
    ready = in_transaction(desk, WORKER, lambda tx: make_ready(tx, errand))
    if ready is None:
        return
    message, words = ready.message, ready.message.words
    try:
        if ready.before and _has_it(outside, message):
            words = ready.before
        else:
            if ready.before:
                in_transaction(
                    desk, WORKER, lambda tx: change_message(tx.connection, message.id, words=words)
                )
            _hand_over(desk, outside, ready, html, files)
    except DoorRefused as error:
        why = str(error)
        in_transaction(desk, WORKER, lambda tx: _refused(tx, errand, message, why))
        return
    in_transaction(desk, WORKER, lambda tx: _sent(tx, errand, message, words))


def _has_it(outside: Outside, message: Message) -> bool:
    match message.channel:
        case Channel.TEXT:
            return outside.texts.knows(message.request_key)
        case Channel.CALL:
            return outside.calls.knows(message.request_key)
        case _:
            return False


def _hand_over(
    desk: Desk, outside: Outside, ready: Ready, html: MailHtml | None, files: FileStore | None
) -> None:
    message = ready.message
    match message.channel:
        case Channel.TEXT:
            outside.texts.send(message.request_key, message.address, message.words)
        case Channel.CALL:
            outside.calls.place(message.request_key, message.address, message.words, message.language)
        case _:
            mail = mail_of(desk.clinic, message, ready.visits, html, desk.clock.now())
            if message.attached:
                if files is None:
                    raise RuntimeError("this worker was given no file store")
                attach_paper(mail, message, files.get(message.paper))
            outside.mail.send(mail)


def _sent(tx: Transaction, errand: Errand, message: Message, words: str) -> None:
    held = hold_message(tx.connection, errand.request_key)
    # News of it may have come before this.
    if held is not None and held.state == State.SENDING:
        change_message(tx.connection, message.id, state=State.SENT, state_at=tx.now)
    parts = text_length(words).messages if message.channel == Channel.TEXT else 1
    change_message(tx.connection, message.id, sent_at=tx.now, parts=parts)
    finish_errand(tx.connection, errand.id, tx.now)
    tx.tell("message", patient_id=message.patient_id)


def _refused(tx: Transaction, errand: Errand, message: Message, why: str) -> None:
    """The address takes none: nothing more goes there, and the record says so."""
    keep_address(tx.connection, message.address, tx.now, trouble=NOT_TAKEN)
    change_message(tx.connection, message.id, state=State.FAILED, state_words=why[:200], state_at=tx.now)
    finish_errand(tx.connection, errand.id, tx.now)
    tx.audit("message.failed", patient_id=message.patient_id, message=message.id)
    tx.tell("message", patient_id=message.patient_id)
