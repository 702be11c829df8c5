"""X12 as text: segments, elements, envelopes. Reads any valid interchange and says what is wrong with a
damaged one.

The delimiters are taken from the ISA segment (X12.5 interchange control structure): element separator at
position 3, component separator at 104, segment terminator at 105, the repetition separator in ISA11 (from
00402 on); line breaks after the terminator are layout and carry no meaning.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from decimal import Decimal

from zax.core.spelling import plain_spelling

ISA_LENGTH = 106
# Twelve digits: 9,999,999,999.99.
MOST_CENTS = 10**12 - 1
_DELIMITERS = str.maketrans("*:~^|`", "      ")
_DECIMAL = re.compile(r"-?(\d{1,18}(\.\d{0,18})?|\.\d{1,18})(E[+-]?\d{1,2})?", re.ASCII)


@dataclass(frozen=True, slots=True)
class Segment:
    """`elements[0]` is the segment id, so `get(1)` is the first element as the guides count."""

    elements: tuple[str, ...]
    component: str = ":"
    repetition: str = "^"

    @property
    def id(self) -> str:
        return self.elements[0]

    def get(self, position: int, default: str = "") -> str:
        return self.elements[position] if position < len(self.elements) else default

    def parts(self, position: int) -> list[str]:
        """The components of an element, such as HC, 99213, 25 of SVC01."""
        return self.get(position).split(self.component)


@dataclass(slots=True)
class Transaction:
    """The segments from ST to SE (both included), with the implementation named in ST03 or GS08."""

    kind: str
    control: str
    version: str
    segments: list[Segment]


@dataclass(slots=True)
class Document:
    """Everything a file holds. `problems` is empty for a sound file; transactions are kept as far as they
    could be read.
    """

    sender: str = ""
    receiver: str = ""
    controls: list[str] = field(default_factory=list)
    transactions: list[Transaction] = field(default_factory=list)
    problems: list[str] = field(default_factory=list)
    ta1: list[Segment] = field(default_factory=list)


class NotX12(ValueError):
    """The text is no X12 interchange at all."""


def split_segments(text: str) -> list[Segment]:
    """All segments of one or more interchanges, each read with its own delimiters; raises NotX12."""
    rest = text.lstrip("\ufeff \t\r\n")
    if not rest:
        raise NotX12("The file is empty.")
    if not rest.startswith("ISA"):
        raise NotX12("This is not an X12 file: it does not begin with ISA.")
    segments: list[Segment] = []
    while rest.startswith("ISA"):
        if len(rest) < ISA_LENGTH:
            raise NotX12("The file breaks off inside its first segment (ISA).")
        element, component, terminator = rest[3], rest[104], rest[105]
        if element.isalnum() or terminator.isalnum() or rest[:105].count(element) != 16:
            raise NotX12("The first segment (ISA) does not have its 16 elements of fixed length.")
        repeats = rest.split(element)[11][:1]
        repetition = repeats if repeats and not repeats.isalnum() and not repeats.isspace() else "^"
        end = _end_of_interchange(rest, terminator, element)
        chunk, rest = rest[:end], rest[end:].lstrip(" \t\r\n")
        pieces = (
            piece.strip("\r\n \t" if terminator not in "\r\n" else "\r\n")
            for piece in chunk.split(terminator)
        )
        segments += [Segment(tuple(piece.split(element)), component, repetition) for piece in pieces if piece]
    if rest:
        segments.append(Segment(("", rest[:40]), ":"))
    return segments


def _end_of_interchange(text: str, terminator: str, element: str) -> int:
    """Where the interchange ends: after its IEA, or at the end of the text."""
    end, sep = re.escape(terminator), re.escape(element)
    found = re.search(rf"{end}\s*IEA{sep}[^{end}]*{end}", text)
    return found.end() if found else len(text)


def read(text: str) -> Document:
    """The transactions of a file and what is wrong with it. Never raises: damage becomes a sentence in
    `problems`.
    """
    document = Document()
    try:
        segments = split_segments(text)
    except NotX12 as error:
        document.problems.append(str(error))
        return document
    _Envelopes(document).read(segments)
    return document


class _Envelopes:
    """Walks the control segments and checks their counts and numbers against each other."""

    def __init__(self, document: Document) -> None:
        self.document = document
        self.isa: Segment | None = None
        self.gs: Segment | None = None
        self.open: Transaction | None = None
        self.groups = 0
        self.sets = 0

    def say(self, message: str) -> None:
        self.document.problems.append(message)

    def read(self, segments: Sequence[Segment]) -> None:
        handlers = {
            "ISA": self.isa_,
            "IEA": self.iea,
            "GS": self.gs_,
            "GE": self.ge,
            "ST": self.st,
            "SE": self.se,
        }
        for number, segment in enumerate(segments, 1):
            if segment.id in handlers:
                handlers[segment.id](segment)
            elif self.open is not None and segment.id:
                self.open.segments.append(segment)
            elif segment.id == "TA1":
                self.document.ta1.append(segment)
            else:
                self.say(
                    f"Segment {number} ({segment.id or segment.get(1)[:10]!r}) stands outside any"
                    " transaction."
                )
        self.close_transaction("The file breaks off")
        if self.gs is not None:
            self.say(f"The file breaks off: group {self.gs.get(6)} has no GE.")
        if self.isa is not None:
            self.say(f"The file breaks off: interchange {self.isa.get(13)} has no IEA.")

    def close_transaction(self, how: str) -> None:
        if self.open is not None:
            self.say(f"{how}: transaction {self.open.control} has no SE.")
            self.open = None

    def isa_(self, segment: Segment) -> None:
        if self.isa is not None:
            self.say(f"Interchange {self.isa.get(13)} has no IEA.")
        self.isa, self.groups = segment, 0
        self.document.sender, self.document.receiver = segment.get(6).strip(), segment.get(8).strip()
        self.document.controls.append(segment.get(13))

    def iea(self, segment: Segment) -> None:
        self.close_transaction("Interchange ends early")
        if self.isa is not None:
            self.count("IEA", segment.get(1), self.groups, "groups")
            self.same("IEA", segment.get(2), self.isa.get(13))
        self.isa = None

    def gs_(self, segment: Segment) -> None:
        self.gs, self.sets = segment, 0
        self.groups += 1

    def ge(self, segment: Segment) -> None:
        self.close_transaction("Group ends early")
        if self.gs is None:
            self.say("A GE has no GS before it.")
            return
        self.count("GE", segment.get(1), self.sets, "transactions")
        self.same("GE", segment.get(2), self.gs.get(6))
        self.gs = None

    def st(self, segment: Segment) -> None:
        self.close_transaction("A new transaction begins early")
        self.sets += 1
        version = segment.get(3) or (self.gs.get(8) if self.gs else "")
        self.open = Transaction(segment.get(1), segment.get(2), version, [segment])
        self.document.transactions.append(self.open)

    def se(self, segment: Segment) -> None:
        if self.open is None:
            self.say("An SE has no ST before it.")
            return
        self.open.segments.append(segment)
        self.count("SE", segment.get(1), len(self.open.segments), "segments")
        self.same("SE", segment.get(2), self.open.control)
        self.open = None

    def count(self, where: str, stated: str, counted: int, what: str) -> None:
        if not (stated.isascii() and stated.isdecimal() and int(stated) == counted):
            self.say(f"{where} says {stated or 'nothing'} {what}, the file has {counted}.")

    def same(self, where: str, stated: str, wanted: str) -> None:
        if stated.strip() != wanted.strip():
            self.say(f"{where} carries control number {stated or 'none'} instead of {wanted}.")


def to_cents(text: str, where: str, problems: list[str]) -> int:
    """An X12 decimal ('12.5', '-.1', '100') as cents; what is not one, or has more than twelve digits, is
    said in `problems` and counts as 0.
    """
    if not text:
        return 0
    if _DECIMAL.fullmatch(text) is None:
        problems.append(f"{where}: {text[:20]!r} is not an amount.")
        return 0
    cents = Decimal(text) * 100
    if abs(cents) > MOST_CENTS:
        problems.append(f"{where}: {text[:20]!r} is more than any payment.")
        return 0
    if cents != cents.to_integral_value():
        problems.append(f"{where}: {text[:20]!r} is not a whole number of cents.")
        return 0
    return int(cents)


def amount(cents: int) -> str:
    """Cents as X12 writes them: no trailing zeros, leading minus (X12.6 type R)."""
    sign, cents = ("-" if cents < 0 else ""), abs(cents)
    return (
        f"{sign}{cents // 100}.{cents % 100:02d}".rstrip("0").rstrip(".")
        if cents % 100
        else f"{sign}{cents // 100}"
    )


def clean(text: str) -> str:
    """Text as an element may carry it: plain letters (X12.6 basic character set, and what of the extended
    one is no delimiter), upper case, single spaces. A name never becomes empty.
    """
    flat = plain_spelling(text).translate(_DELIMITERS).upper()
    return " ".join(flat.split())


def write(segments: Iterable[Sequence[str]]) -> Iterator[str]:
    """Each segment as text, trailing empty elements dropped, terminated by '~' and a line break."""
    for segment in segments:
        elements = list(segment)
        while len(elements) > 1 and not elements[-1]:
            elements.pop()
        yield "*".join(elements) + "~\n"
