"""The clinic's mailbox is read: mail that came back fails its message, and an answer to one of ours comes to
the Inbox. Other mail stays unread by us, and answers stay in the mailbox as well.

A notification of a mail server is deleted only once it is noted. A yes by mail confirms, where it comes from
the address that was asked; everything else is a person's to read, since a sender's name is easily forged.
Who asks for no more mail gets none.
"""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from zax.core.messages.bounce import bounce_in
from zax.core.messages.mail_answer import MailAnswer, answer_in, is_report
from zax.core.messages.news import News, What
from zax.core.messages.reply import Meaning, Reading, read_reply, says_thanks
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.each import each_for_itself
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.inbox.answers import answer, question_of
from zax.desk.inbox.news import take_news
from zax.desk.inbox.replies import done_words
from zax.desk.inbox.reply_words import phrases_of
from zax.desk.notices.mail import domain_of
from zax.outside.doors import Mailbox, Received
from zax.store.inbox import replies as stored
from zax.store.messages.messages import Message, keep_address, message_by_key
from zax.store.patients.patients import with_email

LEFT_ALONE = "asked for no more email"


def take_mail(desk: Desk, mailbox: Mailbox) -> int:
    """How many came that are for us. Raises OutsideTrouble when the mailbox can't be read."""
    domain = domain_of(desk.clinic)
    with desk.engine.connect() as connection:
        known = stored.known_mails(connection)

    def is_ours(head: bytes) -> bool:
        if is_report(head):
            return True
        found = answer_in(head, domain)
        return found is not None and found.mail_id not in known

    return each_for_itself(mailbox.received(is_ours), partial(_take, desk, mailbox, domain))


def _take(desk: Desk, mailbox: Mailbox, domain: str, received: Received) -> None:
    found = answer_in(received.content, domain)
    if found is not None:
        in_transaction(desk, WORKER, lambda tx: take_answer(tx, found))
        return
    bounce = bounce_in(received.content)
    if bounce is not None:
        take_news(desk, News(bounce.message_id.rpartition("@")[0], What.FAILED, bounce.words))
    mailbox.delete(received.id)


def take_answer(tx: Transaction, found: MailAnswer) -> None:
    """Keep it and do what it says; nothing when it was taken in before."""
    if stored.known_mail(tx.connection, found.mail_id):
        return
    ours = _answered(tx, found)
    if found.leave_me:
        keep_address(tx.connection, found.sender, tx.now, trouble=LEFT_ALONE)
        _keep(tx, found, ours, Reading(Meaning.STOP), LEFT_ALONE, {})
        return
    question = (
        question_of(tx.connection, ours, tx.now, lambda number: tx.clinic.sites[number].timezone)
        if ours is not None
        else None
    )
    if question is None or ours is None:
        _keep(
            tx, found, ours, Reading(Meaning.UNCLEAR), "said thanks" if says_thanks(found.words) else "", {}
        )
        return
    reading = read_reply(found.words, question.asked, question.when, phrases_of(tx.clinic))
    did = {}
    if reading.meaning is Meaning.CONFIRM and found.sender == ours.address.lower():
        did = answer(tx, replace(question, by="email"), reading, found.words, ours.id)
    _keep(tx, found, ours, reading, done_words(did), did)


def _answered(tx: Transaction, found: MailAnswer) -> Message | None:
    """The newest of ours that it names."""
    for key in found.answers:
        message = message_by_key(tx.connection, key)
        if message is not None:
            return message
    return None


def _keep(
    tx: Transaction,
    found: MailAnswer,
    ours: Message | None,
    reading: Reading,
    done: str,
    did: dict[str, object],
) -> None:
    """Open, for a person to read, unless something was `done` with it."""
    patient_id = ours.patient_id if ours is not None else with_email(tx.connection, found.sender)
    stored.add_reply(
        tx.connection,
        channel="email",
        mail_id=found.mail_id,
        phone=found.sender,
        words=found.words or found.subject,
        at=tx.now,
        meaning=reading.meaning,
        patient_id=patient_id,
        done_words=done,
        done_at=tx.now if done else None,
        message_id=ours.id if ours is not None else None,
        did=did,
    )
    tx.audit("reply.taken", patient_id=patient_id, meaning=reading.meaning)
    tx.tell("reply", patient_id=patient_id)
