"""Doors of which the clinic has not told us: what is asked of them is told in words, what comes in by them is
nothing, and no card is charged.
"""

from __future__ import annotations

from email.message import EmailMessage

from zax.outside.doors import Incoming, OutsideTrouble, PayerPage, Sale, TextReply


def _missing(what: str) -> OutsideTrouble:
    return OutsideTrouble(f"{what} set up. A manager does it under Setup, Doors.")


class NoTerminal:
    def sell(self, key: str, cents: int, token: str = "", keep: bool = False) -> Sale:
        return Sale(state="declined", words="no card terminal is set up")

    def give_back(self, key: str, cents: int, reference: str) -> Sale:
        return Sale(state="declined", words="no card terminal is set up")

    def look_up(self, key: str) -> Sale:
        raise _missing("No card terminal is")


class NoClearinghouse:
    def deliver(self, key: str, name: str, text: str) -> None:
        raise _missing("No clearinghouse is")

    def collect(self) -> list[Incoming]:
        return []

    def ask(self, text: str) -> str:
        raise _missing("No clearinghouse is")

    def ask_status(self, text: str) -> str:
        raise _missing("No clearinghouse is")

    def payers(self, after: str) -> PayerPage:
        raise _missing("No clearinghouse is")

    def confirm(self, file_id: str) -> None:
        """There is nothing to confirm."""


class NoMail:
    def send(self, message: EmailMessage) -> None:
        raise _missing("Outgoing mail isn’t")

    def check(self) -> None:
        raise _missing("Outgoing mail isn’t")


class NoTexts:
    def send(self, key: str, to: str, words: str) -> None:
        raise _missing("Texts aren’t")

    def knows(self, key: str) -> bool:
        raise _missing("Texts aren’t")

    def replies(self) -> list[TextReply]:
        return []

    def taken(self, number: int) -> None:
        """There is nothing to take."""


class NoCalls:
    def place(self, key: str, to: str, words: str, language: str) -> None:
        raise _missing("Voice calls aren’t")

    def knows(self, key: str) -> bool:
        raise _missing("Voice calls aren’t")
