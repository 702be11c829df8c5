"""The doors to the outside world, as protocols: card terminal, pay page, clearinghouse, mail, texts, calls,
mailbox. Adapters live beside this file.

Every call carries a key, so that asking again after a crash or a lost answer changes nothing outside.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from email.message import EmailMessage
from typing import Literal, Protocol


class OutsideTrouble(Exception):
    """The other side could not be reached or answered nonsense; the work is tried again later."""


class NoAnswer(OutsideTrouble):
    """Nobody was there, or nothing came in time: whoever asks next waits as long."""


class DoorRests(NoAnswer):
    """It gave no answer a moment ago, so it wasn't asked."""


class DoorRefused(OutsideTrouble):
    """The other side looked at it and does not want it as it is: too large, malformed. Trying again as it is
    changes nothing.
    """


@dataclass(frozen=True, slots=True, kw_only=True)
class Sale:
    """What the terminal says of a sale: `unknown` when no answer came, `absent` when it never heard of the
    key.

    `cents` is what was approved, which may be less than what was asked; None is all of it. `token` stands for
    a card that is to be kept.
    """

    state: Literal["approved", "declined", "unknown", "absent"]
    words: str = ""
    card_ending: str = ""
    reference: str = ""
    cents: int | None = None
    token: str = ""
    expires: str = ""


@dataclass(frozen=True, slots=True)
class Incoming:
    """A file waiting in the clearinghouse's mailbox."""

    id: str
    name: str
    text: str


@dataclass(frozen=True, slots=True)
class PayerPage:
    """Part of the clearinghouse's list of payers, as CSV with its head, and how many there are in all."""

    text: str
    total: int


class Terminal(Protocol):
    def sell(self, key: str, cents: int, token: str = "", keep: bool = False) -> Sale:
        """Ask for a card payment, by the card's token if there is one; `keep` asks for a token. Never raises,
        an unreachable terminal is `unknown`.
        """

    def give_back(self, key: str, cents: int, reference: str) -> Sale:
        """Give (part of) the sale of that reference back to its card; never raises."""

    def look_up(self, key: str) -> Sale:
        """What became of an earlier sale; raises OutsideTrouble when the terminal cannot be asked."""


@dataclass(frozen=True, slots=True)
class TakenBack:
    """A card payment that its bank took back; `number` is the door's own of the news, `key` that of the
    payment.
    """

    number: str
    key: str
    why: str


class PayPage(Protocol):
    def open(self, key: str, cents: int, words: str, back: str) -> str:
        """The address of a page of theirs on which a card is typed; once a key. Raises OutsideTrouble."""

    def look_up(self, key: str) -> Sale:
        """What became of it: `unknown` while it can still be paid, `absent` once it can't be anymore. Raises
        OutsideTrouble.
        """

    def shut(self, key: str) -> Sale:
        """Nobody can pay on it anymore; what became of it until then. Raises OutsideTrouble."""

    def taken_back(self) -> list[TakenBack]:
        """What banks took back and nobody has noted, the oldest first; raises OutsideTrouble."""

    def noted(self, number: str) -> None:
        """We have it; raises OutsideTrouble."""


class NoPayPage:
    """Where the clinic has told us of none: nothing can be paid online."""

    def open(self, key: str, cents: int, words: str, back: str) -> str:
        raise OutsideTrouble("Paying online isn’t set up.")

    def look_up(self, key: str) -> Sale:
        raise OutsideTrouble("Paying online isn’t set up.")

    def shut(self, key: str) -> Sale:
        raise OutsideTrouble("Paying online isn’t set up.")

    def taken_back(self) -> list[TakenBack]:
        return []

    def noted(self, number: str) -> None:
        """There is nothing to note."""


class Clearinghouse(Protocol):
    def deliver(self, key: str, name: str, text: str) -> None:
        """Hand over a claim file; raises OutsideTrouble, and DoorRefused for a file that is not wanted."""

    def collect(self) -> list[Incoming]:
        """The files waiting for us; they stay until confirmed. Raises OutsideTrouble."""

    def ask(self, text: str) -> str:
        """Send a 270 and wait for the payer's 271; whatever came back as text. Raises OutsideTrouble when
        nothing did.
        """

    def ask_status(self, text: str) -> str:
        """Send a 276 and wait for the payer's 277; whatever came back as text. Raises OutsideTrouble when
        nothing did.
        """

    def payers(self, after: str) -> PayerPage:
        """The payers it reaches whose ids come after that one, in the order of ids; raises OutsideTrouble."""

    def confirm(self, file_id: str) -> None:
        """We have the file; it need not be kept. Raises OutsideTrouble."""


class Mail(Protocol):
    def send(self, message: EmailMessage) -> None:
        """Raises OutsideTrouble."""

    def check(self) -> None:
        """Whether it would take mail from us, without sending any; raises OutsideTrouble."""


@dataclass(frozen=True, slots=True)
class TextReply:
    """A text that somebody sent to the clinic; `number` is the gateway's own of it, `sender` a phone."""

    number: int
    sender: str
    words: str


class Texts(Protocol):
    def send(self, key: str, to: str, words: str) -> None:
        """A text to a phone of ten digits; raises OutsideTrouble, and DoorRefused for a number that takes
        none.
        """

    def knows(self, key: str) -> bool:
        """Whether it took a text of this key; raises OutsideTrouble when it can't be asked."""

    def replies(self) -> list[TextReply]:
        """What came in and was not said to be taken, the oldest first; raises OutsideTrouble."""

    def taken(self, number: int) -> None:
        """The clinic has it: the gateway needs to keep it no longer; raises OutsideTrouble."""


class Calls(Protocol):
    def place(self, key: str, to: str, words: str, language: str) -> None:
        """Ring a phone and read the words out; what came of it is told later, by a signed callback. Raises
        OutsideTrouble, and DoorRefused for a number that can't be called.
        """

    def knows(self, key: str) -> bool:
        """Whether it took a call of this key; raises OutsideTrouble when it can't be asked."""


@dataclass(frozen=True, slots=True)
class Received:
    """A mail in the clinic's mailbox, by the mailbox's own id of it."""

    id: str
    content: bytes


class Mailbox(Protocol):
    def received(self, wanted: Callable[[bytes], bool]) -> list[Received]:
        """The newest that lie there and whose head is wanted; raises OutsideTrouble."""

    def delete(self, received_id: str) -> None:
        """We have noted it; raises OutsideTrouble."""


class NoMailbox:
    """Where the clinic has told us of none: nothing comes back."""

    def received(self, wanted: Callable[[bytes], bool]) -> list[Received]:
        return []

    def delete(self, received_id: str) -> None:
        """There is nothing to delete."""


@dataclass(frozen=True, slots=True)
class Outside:
    """All doors together, as handed to the desk."""

    terminal: Terminal
    clearinghouse: Clearinghouse
    mail: Mail
    texts: Texts
    calls: Calls
    mailbox: Mailbox = field(default_factory=NoMailbox)
    pay_page: PayPage = field(default_factory=NoPayPage)
