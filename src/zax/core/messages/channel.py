"""The ways by which the clinic reaches somebody."""

from __future__ import annotations

from enum import StrEnum


class Channel(StrEnum):
    TEXT = "text"
    EMAIL = "email"
    CALL = "call"
    LETTER = "letter"


CHANNEL_WORDS = {
    Channel.TEXT: "Text",
    Channel.EMAIL: "Email",
    Channel.CALL: "Call",
    Channel.LETTER: "Letter",
}
