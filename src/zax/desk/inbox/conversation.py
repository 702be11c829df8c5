"""A conversation with a patient: everything sent and received, in the order it was said, why each went and
what became of it.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from zax.core.messages.message import SORT_WORDS, STATE_WORDS, Sort, State
from zax.core.notices.events import EVENTS, Event
from zax.desk.notices.facts import addresses_of, called
from zax.store.engine import Connection
from zax.store.inbox import inbox as stored
from zax.store.inbox.replies import ReplyRow
from zax.store.messages.messages import (
    Message,
    messages_about,
)
from zax.store.patients.records import Patient

MOST = 200


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """One thing said. `ours`: by us; `head` what it is, `under` what became of it; `at` is UTC."""

    ours: bool
    head: str
    words: str
    under: str
    at: datetime
    subject: str = ""
    message: Message | None = None
    reply: ReplyRow | None = None


def conversation(connection: Connection, patient: Patient) -> list[Line]:
    """The newest of what was sent to them and came from them, the oldest first."""
    sent = messages_about(connection, patient.id, MOST)
    came = stored.talk_with(connection, patient.id, addresses_of(patient), MOST)
    lines = [*(_ours(each) for each in sent), *(_theirs(patient, each) for each in came)]
    return sorted(lines, key=lambda line: line.at)[-MOST:]


def head_of(message: Message) -> str:
    """What a message is: 'Reminder', 'Written by hand'."""
    if message.event in list(Event):
        return EVENTS[Event(message.event)].name
    return SORT_WORDS.get(Sort(message.event), "Message")


def _ours(message: Message) -> Line:
    return Line(
        ours=True,
        head=head_of(message),
        words=message.words,
        subject=message.subject,
        under=_became(message),
        at=message.sent_at or message.state_at or message.due_at,
        message=message,
    )


def _became(message: Message) -> str:
    state = STATE_WORDS[State(message.state)]
    more = f": {message.state_words}" if message.state_words else ""
    opened = ", opened" if message.opened_at else ""
    shut = ", its link is shut" if message.paper and not message.attached and message.link is None else ""
    return f"{state}{more}{opened}{shut}"


def _theirs(patient: Patient, reply: ReplyRow) -> Line:
    under = "taken back, someone reads it" if reply.back_at and not reply.done_at else reply.done_words
    return Line(
        ours=False,
        head=called(patient),
        words=reply.words,
        under=under or "waits for someone to answer",
        at=reply.at,
        reply=reply,
    )
