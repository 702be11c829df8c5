"""What a gateway or a mail server tells of a message: by its key, in any order, as often as it likes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from zax.core.messages.message import State


class What(StrEnum):
    DELIVERED = "delivered"
    FAILED = "failed"
    LANDLINE = "landline"
    ANSWERED = "answered"
    MACHINE = "machine"
    NO_ANSWER = "no_answer"
    PRESSED = "pressed"


@dataclass(frozen=True, slots=True)
class News:
    """`words` is what the other side says of a failure, `pressed` the key of a telephone."""

    key: str
    what: What
    words: str = ""
    pressed: str = ""


STATE_BY_NEWS: Mapping[What, State] = {
    What.DELIVERED: State.DELIVERED,
    What.FAILED: State.FAILED,
    What.LANDLINE: State.FAILED,
    What.ANSWERED: State.ANSWERED,
    What.PRESSED: State.ANSWERED,
    What.MACHINE: State.MACHINE,
    What.NO_ANSWER: State.NO_ANSWER,
}
LANDLINE_WORDS = "a landline takes no texts"
