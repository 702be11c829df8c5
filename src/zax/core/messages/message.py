"""One message to a patient, from the moment it is to go until it is known what became of it.

SENDING means its words stand and it was handed over, or was about to be: after a crash the other side is
asked by the message's key before anything is handed over again.
"""

from __future__ import annotations

from collections.abc import Mapping
from enum import StrEnum


class State(StrEnum):
    WAITING = "waiting"
    SENDING = "sending"
    SENT = "sent"
    DELIVERED = "delivered"
    ANSWERED = "answered"
    NO_ANSWER = "no_answer"
    MACHINE = "machine"
    FAILED = "failed"
    SKIPPED = "skipped"
    WITHDRAWN = "withdrawn"


STATE_WORDS: Mapping[State, str] = {
    State.WAITING: "waiting to go",
    State.SENDING: "going out",
    State.SENT: "sent",
    State.DELIVERED: "delivered",
    State.ANSWERED: "picked up",
    State.NO_ANSWER: "no one picked up",
    State.MACHINE: "an answering machine picked up",
    State.FAILED: "not delivered",
    State.SKIPPED: "not sent",
    State.WITHDRAWN: "canceled before it went",
}
# Not handed over yet, so it can still be taken back.
NOT_GONE = frozenset({State.WAITING})
GONE = frozenset({State.SENT, State.DELIVERED, State.ANSWERED, State.NO_ANSWER, State.MACHINE})
# What news may change; a later word never goes back behind an earlier one.
_RANK: Mapping[State, int] = {
    State.WAITING: 0,
    State.SENDING: 1,
    State.SENT: 2,
    State.NO_ANSWER: 3,
    State.MACHINE: 3,
    State.FAILED: 3,
    State.DELIVERED: 4,
    State.ANSWERED: 5,
}


def news_counts(now: State, news: State) -> bool:
    """Whether what came back changes the state: news may come twice, late, or in the wrong order."""
    return now in _RANK and _RANK[news] > _RANK[now]


class Sort(StrEnum):
    """What a message is that somebody wrote, or that answers somebody; a recall's is that of its event."""

    OFFER = "offer"
    RECALL = "recall"
    REQUEST = "request"
    ANSWER = "answer"
    STOPPED = "stopped"
    BY_HAND = "by_hand"
    TEST = "test"
    DIGEST = "digest"
    CODE = "code"


SORT_WORDS: Mapping[Sort, str] = {
    Sort.OFFER: "Opening offered",
    Sort.RECALL: "Recall",
    Sort.REQUEST: "Web request",
    Sort.ANSWER: "Our answer",
    Sort.STOPPED: "Texts are off",
    Sort.BY_HAND: "Written by hand",
    Sort.TEST: "A test",
    Sort.DIGEST: "A provider’s day",
    Sort.CODE: "A code",
}


class Asks(StrEnum):
    """What a message leaves for a person to do: call back, call since nobody picked up, or write another
    way.
    """

    CALL_BACK = "call_back"
    NOBODY = "no_one"
    BOUNCED = "bounced"
