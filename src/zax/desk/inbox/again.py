"""Sending a message again, with the words it had, to where its patient is reached today: after an address was
corrected, or since somebody says it never came. What it says of a visit must still hold.
"""

from __future__ import annotations

import secrets
from collections.abc import Sequence

from zax.clock import local
from zax.core.book.track import EXPECTED
from zax.core.errors import Conflict, NotFound, Refused
from zax.core.messages.channel import Channel
from zax.core.messages.message import GONE, State
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.notices.facts import called, way_to
from zax.desk.notices.planning import time_mark
from zax.store.book.queries import visits_by_id
from zax.store.messages.messages import Message, NewMessage, message_by_id, put_messages
from zax.store.notices.told import Told, tell_again, told_of
from zax.store.patients.patients import known_patient

ENDED = GONE | {State.FAILED, State.SKIPPED, State.WITHDRAWN}
CHANGED = "The visit isn’t as this message says anymore. Write a new one."


@act("book")
def send_again(tx: Transaction, message_id: int, key: str) -> str:
    """Where it goes. Refused where nobody can be reached that way or the visit has changed; Conflict while
    the first is still on its way.
    """
    message = message_by_id(tx.connection, message_id)
    if message is None or message.patient_id is None:
        raise NotFound("There is no such message.")
    if message.state not in ENDED:
        raise Conflict("It’s still on its way.")
    if not message.words and not message.paper:
        raise Refused("It never had any words, so there’s nothing to send again.")
    told = told_of(tx.connection, message.id)
    if message.visit_id is not None and not _still_true(tx, message.visit_id, told):
        raise Refused(CHANGED)
    to = _reached_at(tx, message)
    made = NewMessage(
        request_key=f"again-{message.id}-{key}"[:60],
        event=message.event,
        channel=message.channel,
        language=message.language,
        address=to,
        subject=message.subject,
        words="" if message.paper else message.words,
        patient_id=message.patient_id,
        visit_id=message.visit_id,
        why=f"{message.why}, sent again"[:200] if message.why else "sent again",
        by_id=tx.actor.id,
        made_at=tx.now,
        due_at=tx.now,
        link=secrets.token_urlsafe(15) if message.paper and not message.attached else None,
        paper=message.paper,
        paper_name=message.paper_name,
        attached=message.attached,
    )
    put_messages(tx.connection, [made])
    # An answer is to the one that was read last, so what the first was about goes over to it.
    tell_again(tx.connection, message.id, made.request_key)
    tx.audit("message.again", patient_id=message.patient_id, message=message.id)
    tx.tell("message", patient_id=message.patient_id)
    return to


def _still_true(tx: Transaction, visit_id: int, told: Sequence[Told]) -> bool:
    """Whether every visit it names is ahead, at the time it names."""
    visits = visits_by_id(tx.connection, [visit_id, *(each.subject_id for each in told)])
    for visit in visits.values():
        wall = local(tx.now, tx.clinic.sites[visit.site_id].timezone)
        begun = (visit.day, visit.start_min) <= (wall.date(), wall.hour * 60 + wall.minute)
        if visit.state not in EXPECTED or begun:
            return False
    marks = {each.id: time_mark(each.day, each.start_min) for each in visits.values()}
    return all(each.about in {"", marks.get(each.subject_id)} for each in told)


def _reached_at(tx: Transaction, message: Message) -> str:
    assert message.patient_id is not None
    patient = known_patient(tx.connection, message.patient_id)
    found = way_to(tx.connection, patient, Channel(message.channel), tx.clinic_day)
    if not found.to:
        raise Refused(f"{called(patient)} can’t be reached that way: {found.why_not}.")
    return found.to
