"""The outside as tests see it: what was asked of each door, and answers that a test lays out beforehand."""

from __future__ import annotations

from dataclasses import dataclass, field
from email.message import EmailMessage
from typing import Literal

from zax.outside.doors import DoorRefused, Incoming, OutsideTrouble, PayerPage, Sale, TakenBack, TextReply
from zax.standin import payer_list


@dataclass
class FakeTerminal:
    """Answers from a list, then approves; remembers every sale it was asked for."""

    answers: list[Sale] = field(default_factory=list)
    asked: list[tuple[str, int]] = field(default_factory=list)
    later: dict[str, Sale] = field(default_factory=dict)
    tokens: list[str] = field(default_factory=list)

    def sell(self, key: str, cents: int, token: str = "", keep: bool = False) -> Sale:
        self.asked.append((key, cents))
        self.tokens.append(token)
        if self.answers:
            return self.answers.pop(0)
        made = f"token-{len(self.asked)}" if keep else ""
        return Sale(
            state="approved",
            words="",
            card_ending="4417",
            reference=f"T{len(self.asked)}",
            token=made,
            expires="08/29" if keep else "",
        )

    def give_back(self, key: str, cents: int, reference: str) -> Sale:
        return self.sell(key, -cents)

    def look_up(self, key: str) -> Sale:
        return self.later.get(key, Sale(state="absent", words="never heard of it"))


@dataclass
class FakePayPage:
    """A card page in memory: what is paid on it, what banks take back, and whether it answers."""

    opened: dict[str, int] = field(default_factory=dict)
    sales: dict[str, Sale] = field(default_factory=dict)
    over: set[str] = field(default_factory=set)
    news: list[TakenBack] = field(default_factory=list)
    away: bool = False

    def open(self, key: str, cents: int, words: str, back: str) -> str:
        self._answers()
        assert self.opened.setdefault(key, cents) == cents
        return f"https://cards.example.org/{key}"

    def pays(self, key: str, state: Literal["approved", "declined"] = "approved") -> None:
        """Somebody types a card there."""
        assert key in self.opened and key not in self.over and key not in self.sales
        self.sales[key] = Sale(state=state, words="", card_ending="4242", reference=f"W{len(self.sales)}")

    def look_up(self, key: str) -> Sale:
        self._answers()
        if key in self.sales:
            return self.sales[key]
        return Sale(state="absent" if key in self.over or key not in self.opened else "unknown", words="")

    def shut(self, key: str) -> Sale:
        self._answers()
        self.over.add(key)
        return self.look_up(key)

    def taken_back(self) -> list[TakenBack]:
        self._answers()
        return list(self.news)

    def noted(self, number: str) -> None:
        self.news = [each for each in self.news if each.number != number]

    def _answers(self) -> None:
        if self.away:
            raise OutsideTrouble("no answer")


@dataclass
class FakeClearinghouse:
    """Keeps what was delivered by key and offers what a test puts into its mailbox."""

    delivered: dict[str, str] = field(default_factory=dict)
    calls: int = 0
    mailbox: list[Incoming] = field(default_factory=list)
    asked: list[str] = field(default_factory=list)
    answers: list[str | OutsideTrouble] = field(default_factory=list)
    payer_trouble: list[str] = field(default_factory=list)
    most_claims: int = 5_000
    closed: str = ""

    def deliver(self, key: str, name: str, text: str) -> None:
        self.calls += 1
        if self.closed:
            raise OutsideTrouble(self.closed)
        if text.count("CLM*") > self.most_claims:
            raise DoorRefused("The file is too large for the clearinghouse (413).")
        self.delivered.setdefault(key, text)

    def collect(self) -> list[Incoming]:
        return list(self.mailbox)

    def ask(self, text: str) -> str:
        self.asked.append(text)
        answer = self.answers.pop(0) if self.answers else OutsideTrouble("The payer didn’t respond to.")
        if isinstance(answer, OutsideTrouble):
            raise answer
        return answer

    def ask_status(self, text: str) -> str:
        return self.ask(text)

    def payers(self, after: str) -> PayerPage:
        if self.payer_trouble:
            raise OutsideTrouble(self.payer_trouble.pop())
        text, total = payer_list.page(after, 500)
        return PayerPage(text, total)

    def confirm(self, file_id: str) -> None:
        self.mailbox = [each for each in self.mailbox if each.id != file_id]


@dataclass
class FakeMail:
    sent: list[EmailMessage] = field(default_factory=list)

    def send(self, message: EmailMessage) -> None:
        self.sent.append(message)

    def check(self) -> None:
        """It takes mail."""


@dataclass
class FakeTexts:
    """What was texted: key, number, words; each key once, as a gateway has it. `waiting` are replies."""

    sent: dict[str, tuple[str, str]] = field(default_factory=dict)
    waiting: dict[int, TextReply] = field(default_factory=dict)
    came: int = 0

    def send(self, key: str, to: str, words: str) -> None:
        self.sent.setdefault(key, (to, words))

    def reply(self, sender: str, words: str) -> int:
        self.came += 1
        self.waiting[self.came] = TextReply(self.came, sender, words)
        return self.came

    def knows(self, key: str) -> bool:
        return key in self.sent

    def replies(self) -> list[TextReply]:
        return list(self.waiting.values())

    def taken(self, number: int) -> None:
        self.waiting.pop(number, None)


@dataclass
class FakeCalls:
    """Who was rung up: key, number, words; each key once."""

    placed: dict[str, tuple[str, str]] = field(default_factory=dict)

    def place(self, key: str, to: str, words: str, language: str) -> None:
        self.placed.setdefault(key, (to, words))

    def knows(self, key: str) -> bool:
        return key in self.placed
