"""Reads a 271 (005010X279A1): who answers about whom, what was refused, and every benefit with its dates,
limits and messages.

Takes any valid 271: subscriber and dependent loops in any number, EB with many service types, III, DTP days
and ranges, MSG, HSD, REF, related entities, and whatever delimiters the interchange names. Segments it has no
room for are kept as text in `others`, not dropped. Amounts are cents; `percent` is the share that EB08 names,
as a whole percentage (for coinsurance the patient's).
"""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal, InvalidOperation

from zax.core.x12.remittance import parse_day
from zax.core.x12.syntax import Document, Segment, Transaction, read, to_cents

LEVELS = {"20": "payer", "21": "provider", "22": "subscriber", "23": "dependent"}


@dataclass(frozen=True, slots=True)
class Rejection:
    """AAA: `where` is the loop it stands in, `reason` AAA03, `follow_up` AAA04."""

    where: str
    reason: str
    follow_up: str


@dataclass(frozen=True, slots=True)
class Period:
    """A DTP: one day, or from and to; `text` is what stood there when it is no date."""

    kind: str
    first: date | None
    last: date | None
    text: str = ""


@dataclass(slots=True, kw_only=True)
class Benefit:
    """One EB with all that hangs on it (loop 2110). `counted` and `quantity` are EB09 and EB10; `limits` are
    HSD segments as element lists.
    """

    information: str
    level: str = ""
    services: tuple[str, ...] = ()
    plan: str = ""
    period: str = ""
    cents: int | None = None
    percent: Decimal | None = None
    counted: str = ""
    quantity: str = ""
    authorization: str = ""
    network: str = ""
    procedure: str = ""
    dates: list[Period] = field(default_factory=list)
    messages: list[str] = field(default_factory=list)
    limits: list[tuple[str, ...]] = field(default_factory=list)
    facts: list[str] = field(default_factory=list)
    references: list[tuple[str, str]] = field(default_factory=list)
    entities: list[str] = field(default_factory=list)
    rejections: list[Rejection] = field(default_factory=list)
    others: list[str] = field(default_factory=list)


@dataclass(slots=True, kw_only=True)
class Member:
    """A subscriber or dependent of the answer (loops 2000C and 2000D)."""

    level: str
    first: str = ""
    last: str = ""
    member_id: str = ""
    birth: date | None = None
    sex: str = ""
    traces: list[str] = field(default_factory=list)
    group: str = ""
    references: list[tuple[str, str]] = field(default_factory=list)
    address: list[str] = field(default_factory=list)
    dates: list[Period] = field(default_factory=list)
    relationship: str = ""
    rejections: list[Rejection] = field(default_factory=list)
    benefits: list[Benefit] = field(default_factory=list)
    others: list[str] = field(default_factory=list)


@dataclass(slots=True)
class Answer:
    """One 271 transaction. `rejections` are those of payer and provider, before any member."""

    control: str
    payer: str = ""
    payer_id: str = ""
    provider: str = ""
    rejections: list[Rejection] = field(default_factory=list)
    members: list[Member] = field(default_factory=list)
    others: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class EligibilityFile:
    answers: list[Answer]
    problems: list[str]


def read_eligibility(text: str) -> EligibilityFile:
    """Every 271 in the text. Never raises: damage and other transactions become sentences in `problems`."""
    return eligibility_of(read(text))


def eligibility_of(document: Document) -> EligibilityFile:
    problems = list(document.problems)
    answers: list[Answer] = []
    for transaction in document.transactions:
        if transaction.kind == "271":
            answers.append(_Reader(transaction, problems).read())
        else:
            problems.append(f"Transaction {transaction.control} is a {transaction.kind}, not a 271.")
    if not answers and not problems:
        problems.append("The file holds no answer about coverage (271).")
    return EligibilityFile(answers, problems)


class _Reader:
    """One transaction; `member` and `benefit` are the loops the reader is in."""

    def __init__(self, transaction: Transaction, problems: list[str]) -> None:
        self.transaction, self.problems = transaction, problems
        self.answer = Answer(transaction.control)
        self.level = ""
        self.member: Member | None = None
        self.benefit: Benefit | None = None

    def read(self) -> Answer:
        readers = {
            "HL": self.hl,
            "NM1": self.nm1,
            "TRN": self.trn,
            "AAA": self.aaa,
            "REF": self.ref,
            "N3": self.place,
            "N4": self.place,
            "DMG": self.dmg,
            "INS": self.ins,
            "DTP": self.dtp,
            "EB": self.eb,
            "HSD": self.hsd,
            "MSG": self.msg,
            "III": self.iii,
            "LS": self.ignore,
            "LE": self.ignore,
        }
        for segment in self.transaction.segments:
            if segment.id not in {"ST", "SE", "BHT"}:
                readers.get(segment.id, self.other)(segment)
        return self.answer

    def hl(self, segment: Segment) -> None:
        self.level = LEVELS.get(segment.get(3), segment.get(3))
        self.benefit = self.member = None
        if self.level in {"subscriber", "dependent"}:
            self.member = Member(level=self.level)
            self.answer.members.append(self.member)

    def nm1(self, segment: Segment) -> None:
        name = " ".join(part for part in (segment.get(4), segment.get(3)) if part)
        if self.benefit is not None:
            self.benefit.entities.append(f"{name} ({segment.get(9)})" if segment.get(9) else name)
        elif self.member is not None:
            self.member.last, self.member.first = segment.get(3), segment.get(4)
            self.member.member_id = segment.get(9) or self.member.member_id
        elif self.level == "payer":
            self.answer.payer, self.answer.payer_id = name, segment.get(9)
        else:
            self.answer.provider = name

    def trn(self, segment: Segment) -> None:
        if self.member is not None:
            self.member.traces.append(segment.get(2))

    def aaa(self, segment: Segment) -> None:
        rejection = Rejection(self.level, segment.get(3), segment.get(4))
        target = self.benefit or self.member or self.answer
        target.rejections.append(rejection)

    def ref(self, segment: Segment) -> None:
        pair = (segment.get(1), segment.get(2))
        if self.benefit is not None:
            self.benefit.references.append(pair)
        elif self.member is not None:
            self.member.references.append(pair)
            if pair[0] in {"6P", "1L"}:
                self.member.group = pair[1]
        else:
            self.other(segment)

    def place(self, segment: Segment) -> None:
        words = " ".join(part for part in segment.elements[1:4] if part)
        if self.benefit is not None:
            self.benefit.entities.append(words)
        elif self.member is not None:
            self.member.address.append(words)
        else:
            self.other(segment)

    def dmg(self, segment: Segment) -> None:
        if self.member is None:
            self.other(segment)
            return
        self.member.birth, self.member.sex = parse_day(segment.get(2)), segment.get(3)

    def ins(self, segment: Segment) -> None:
        if self.member is None:
            self.other(segment)
            return
        self.member.relationship = segment.get(2)

    def dtp(self, segment: Segment) -> None:
        period = _period(segment)
        target = self.benefit or self.member
        if target is None:
            self.other(segment)
            return
        target.dates.append(period)

    def eb(self, segment: Segment) -> None:
        if self.member is None:
            self.problems.append("A benefit (EB) stands outside any member.")
            return
        where = f"EB{len(self.member.benefits) + 1}"
        amount = segment.get(7)
        self.benefit = Benefit(
            information=segment.get(1),
            level=segment.get(2),
            services=tuple(code for code in segment.get(3).split(segment.repetition) if code),
            plan=segment.get(5),
            period=segment.get(6),
            cents=to_cents(amount, f"{where}07", self.problems) if amount else None,
            percent=self._percent(segment.get(8), where),
            counted=segment.get(9),
            quantity=segment.get(10),
            authorization=segment.get(11),
            network=segment.get(12),
            procedure=" ".join(part for part in segment.parts(13) if part),
        )
        self.member.benefits.append(self.benefit)

    def _percent(self, text: str, where: str) -> Decimal | None:
        """EB08 is a fraction: .2 is 20 percent. Some payers write 20; over 1 it can only be meant so."""
        if not text:
            return None
        try:
            found = Decimal(text)
        except InvalidOperation:
            found = Decimal("NaN")
        if not found.is_finite() or not 0 <= found <= 100:
            self.problems.append(f"{where}08: {text[:20]!r} is not a share.")
            return None
        return (found * 100 if found <= 1 else found).normalize()

    def hsd(self, segment: Segment) -> None:
        if self.benefit is None:
            self.other(segment)
            return
        self.benefit.limits.append(segment.elements[1:])

    def msg(self, segment: Segment) -> None:
        if self.benefit is None:
            self.other(segment)
            return
        self.benefit.messages.append(segment.get(1))

    def iii(self, segment: Segment) -> None:
        if self.benefit is None:
            self.other(segment)
            return
        self.benefit.facts.append(" ".join(part for part in segment.elements[1:] if part))

    def ignore(self, segment: Segment) -> None:
        """The brackets around a benefit's related entity: the entity itself is what counts."""

    def other(self, segment: Segment) -> None:
        """Kept as it stands, with what it belongs to."""
        target = self.benefit or self.member or self.answer
        target.others.append("*".join(segment.elements))


def _period(segment: Segment) -> Period:
    """D8 is a day, RD8 a range of two."""
    text = segment.get(3)
    if segment.get(2) == "RD8":
        first, _, last = text.partition("-")
        days = parse_day(first), parse_day(last)
        return Period(segment.get(1), *days, "" if all(days) else text)
    day = parse_day(text)
    return Period(segment.get(1), day, day, "" if day else text)
