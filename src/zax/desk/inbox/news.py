"""What became of messages, as the gateways tell it: delivered, bounced, picked up, a key pressed. News may
come twice, late or in the wrong order; a message's state only ever goes forward.

A call nobody takes is made again, as often and as far apart as the clinic says; then a person has to call. A
number or address that can't be reached is known from then on: nothing more goes there, and the record shows
the gap.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

from zax.core.messages.channel import Channel
from zax.core.messages.message import Asks, State, news_counts
from zax.core.messages.news import LANDLINE_WORDS, STATE_BY_NEWS, News, What
from zax.core.messages.reply import Meaning, Reading
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.inbox.answers import answer, question_of
from zax.desk.notices.rules import habits_of
from zax.store.messages.messages import (
    Message,
    NewMessage,
    change_message,
    hold_message,
    keep_address,
    put_messages,
)
from zax.store.notices.told import tell_again

NOT_REACHED = {
    Channel.EMAIL: "mail bounces",
    Channel.TEXT: "texts don’t arrive",
    Channel.CALL: "out of service",
}


def take_news(desk: Desk, news: News) -> bool:
    """Note it; False for a message that isn't ours."""
    return in_transaction(desk, WORKER, lambda tx: note_news(tx, news))


def note_news(tx: Transaction, news: News) -> bool:
    message = hold_message(tx.connection, news.key)
    if message is None:
        return False
    if news.what is What.LANDLINE:
        keep_address(tx.connection, message.address, tx.now, kind="landline")
    if news.what is What.PRESSED:
        _pressed(tx, message, news.pressed)
    state = STATE_BY_NEWS[news.what]
    if news_counts(State(message.state), state):
        _move_on(tx, message, state, news)
    tx.tell("message", patient_id=message.patient_id)
    return True


def _ask(tx: Transaction, message: Message, asks: Asks) -> None:
    """A person has to see to it: the Inbox has a row more."""
    change_message(tx.connection, message.id, asks=asks)
    tx.tell("reply", patient_id=message.patient_id)


def _move_on(tx: Transaction, message: Message, state: State, news: News) -> None:
    words = LANDLINE_WORDS if news.what is What.LANDLINE else " ".join(news.words.split())[:200]
    values = {"state": state, "state_words": words, "state_at": tx.now, "sent_at": message.sent_at or tx.now}
    change_message(tx.connection, message.id, **values)
    if state is State.FAILED:
        _failed(tx, message, news)
    elif state in {State.NO_ANSWER, State.MACHINE} and not _call_again(tx, message):
        _ask(tx, message, Asks.NOBODY)


def _failed(tx: Transaction, message: Message, news: News) -> None:
    if news.what is What.FAILED:
        keep_address(tx.connection, message.address, tx.now, trouble=NOT_REACHED[Channel(message.channel)])
    _ask(tx, message, Asks.BOUNCED)
    tx.audit("message.failed", patient_id=message.patient_id, message=message.id)


def _call_again(tx: Transaction, message: Message) -> bool:
    """Once more, where the clinic's number of tries allows it; the same words are made anew then."""
    habits = habits_of(tx.clinic)
    tries = message.request_key.count("+") + 1
    if tries >= habits.call_tries:
        return False
    key = f"{message.request_key}+"[:60]
    again = NewMessage(
        request_key=key,
        event=message.event,
        channel=message.channel,
        language=message.language,
        address=message.address,
        patient_id=message.patient_id,
        visit_id=message.visit_id,
        words="" if message.by_id is None else message.words,
        why=f"{message.why}, called again"[:200],
        by_id=message.by_id,
        try_no=message.try_no,
        made_at=tx.now,
        due_at=tx.now + timedelta(minutes=habits.call_minutes),
    )
    put_messages(tx.connection, [again])
    tell_again(tx.connection, message.id, key)
    return True


def _pressed(tx: Transaction, message: Message, key: str) -> None:
    """1 confirms what the call was about, 2 asks to be called; each counts once."""
    if message.pressed or key not in {"1", "2"}:
        return
    change_message(tx.connection, message.id, pressed=key)
    question = question_of(tx.connection, message, tx.now, lambda number: tx.clinic.sites[number].timezone)
    if key == "1" and question is not None:
        answer(tx, replace(question, by="call"), Reading(Meaning.CONFIRM), "pressed 1", message.id)
    else:
        _ask(tx, message, Asks.CALL_BACK)
