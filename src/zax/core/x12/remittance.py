"""Reads an 835 (005010X221A1): which claims a payer paid, line by line, and why the rest was not paid.

Loops: 1000A payer, 2000 header number (LX), 2100 claim (CLP), 2110 service (SVC), PLB provider adjustments.
Segments and loops that do not concern payment are passed over. Amounts become cents; a sum that does not add
up (section 1.10.2, balancing) is said in `problems`.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date

from zax.core.reading import day_or_none
from zax.core.x12.syntax import Document, Segment, Transaction, read, to_cents


@dataclass(frozen=True, slots=True)
class Adjustment:
    """One CAS triplet: group (CO contractual, PR patient, OA other, PI payer), reason code list
    139, cents.
    """

    group: str
    reason: str
    cents: int


@dataclass(frozen=True, slots=True)
class ProviderAdjustment:
    """One PLB pair: reason code list 426, the payer's reference with it (PLB03-2), and cents that lower the
    payment (below zero they raise it).
    """

    reason: str
    reference: str
    cents: int


@dataclass(slots=True, kw_only=True)
class RemitLine:
    """Loop 2110. `number` is the line item control number (REF*6R) that our claim carried, `billed` the code
    we sent where the payer paid by another one (SVC06).
    """

    code: str
    qualifier: str
    modifiers: tuple[str, ...]
    charge_cents: int
    paid_cents: int
    number: str = ""
    billed: str = ""
    day: date | None = None
    allowed_cents: int | None = None
    adjustments: list[Adjustment] = field(default_factory=list)
    remarks: list[str] = field(default_factory=list)


@dataclass(slots=True, kw_only=True)
class RemitClaim:
    """Loop 2100. `status` is code list 1029: 1 to 3 processed, 4 denied, 19 to 21 processed and passed on to
    the next payer, 22 reversal. `passed_to` is the payer it was passed on to (NM1*TT).
    """

    number: str
    status: str
    charge_cents: int
    paid_cents: int
    patient_cents: int
    payer_claim: str
    patient_name: str = ""
    passed_to: str = ""
    adjustments: list[Adjustment] = field(default_factory=list)
    lines: list[RemitLine] = field(default_factory=list)


@dataclass(slots=True, kw_only=True)
class Remittance:
    """One 835 transaction: one payment (`trace` is TRN02) with its claims; provider adjustments reduce what
    was paid. `payee_npi` and `payee_tax_id` (loop 1000B) say whom the payment is for; empty where not said.
    """

    trace: str = ""
    payer: str = ""
    payer_id: str = ""
    payee: str = ""
    payee_npi: str = ""
    payee_tax_id: str = ""
    method: str = ""
    day: date | None = None
    paid_cents: int = 0
    claims: list[RemitClaim] = field(default_factory=list)
    provider_adjustments: list[ProviderAdjustment] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class RemittanceFile:
    remittances: list[Remittance]
    problems: list[str]


def read_remittances(text: str) -> RemittanceFile:
    """Every 835 in the text; other transactions are named in `problems`."""
    return remittances_of(read(text))


def remittances_of(document: Document) -> RemittanceFile:
    problems = list(document.problems)
    found: list[Remittance] = []
    for transaction in document.transactions:
        if transaction.kind == "835":
            found.append(_Reader(transaction, problems).read())
        else:
            problems.append(f"Transaction {transaction.control} is a {transaction.kind}, not an 835.")
    if not found and not problems:
        problems.append("The file holds no payment (835).")
    return RemittanceFile(found, problems)


def parse_day(text: str) -> date | None:
    """CCYYMMDD; None when it is no date of a clinic's life."""
    return day_or_none(f"{text[:4]}-{text[4:6]}-{text[6:]}") if len(text) == 8 else None


class _Reader:
    """One transaction. `claim` and `line` are the loops the reader is in."""

    def __init__(self, transaction: Transaction, problems: list[str]) -> None:
        self.transaction = transaction
        self.problems = problems
        self.remittance = Remittance()
        self.claim: RemitClaim | None = None
        self.line: RemitLine | None = None

    def cents(self, segment: Segment, position: int) -> int:
        where = (
            f"{segment.id}{position:02d} of {self.claim.number if self.claim else self.transaction.control}"
        )
        return to_cents(segment.get(position), where, self.problems)

    def read(self) -> Remittance:
        readers = {
            "BPR": self.bpr,
            "TRN": self.trn,
            "N1": self.n1,
            "CLP": self.clp,
            "NM1": self.nm1,
            "SVC": self.svc,
            "CAS": self.cas,
            "DTM": self.dtm,
            "REF": self.ref,
            "AMT": self.amt,
            "LQ": self.lq,
            "PLB": self.plb,
            "LX": self.leave_claim,
            "N3": self.ignore,
        }
        for segment in self.transaction.segments:
            readers.get(segment.id, self.ignore)(segment)
        self.balance()
        return self.remittance

    def ignore(self, segment: Segment) -> None:
        """Segments that say nothing about payment."""

    def leave_claim(self, segment: Segment) -> None:
        self.claim = self.line = None

    def bpr(self, segment: Segment) -> None:
        self.remittance.paid_cents = self.cents(segment, 2)
        if segment.get(3) == "D":
            self.remittance.paid_cents *= -1
        self.remittance.method = segment.get(4)
        self.remittance.day = parse_day(segment.get(16))

    def trn(self, segment: Segment) -> None:
        if not self.remittance.trace:
            self.remittance.trace = segment.get(2)

    def n1(self, segment: Segment) -> None:
        if segment.get(1) == "PR" and self.claim is None:
            self.remittance.payer, self.remittance.payer_id = segment.get(2), segment.get(4)
        if segment.get(1) == "PE":
            self.remittance.payee = segment.get(2)
            self._note_payee({"XX": "XX", "FI": "TJ"}.get(segment.get(3), ""), segment.get(4))

    def _note_payee(self, kind: str, identifier: str) -> None:
        if kind == "XX":
            self.remittance.payee_npi = identifier
        if kind == "TJ":
            self.remittance.payee_tax_id = identifier

    def clp(self, segment: Segment) -> None:
        self.line = None
        self.claim = RemitClaim(
            number=segment.get(1),
            status=segment.get(2),
            charge_cents=0,
            paid_cents=0,
            patient_cents=0,
            payer_claim=segment.get(7),
        )
        self.claim.charge_cents, self.claim.paid_cents = self.cents(segment, 3), self.cents(segment, 4)
        self.claim.patient_cents = self.cents(segment, 5)
        self.remittance.claims.append(self.claim)
        if not segment.get(1) or len(segment.elements) < 5:
            self.problems.append(f"CLP of claim {segment.get(1) or '(no number)'} is incomplete.")

    def nm1(self, segment: Segment) -> None:
        if segment.get(1) == "QC" and self.claim:
            self.claim.patient_name = f"{segment.get(4)} {segment.get(3)}".strip()
        if segment.get(1) == "TT" and self.claim:
            self.claim.passed_to = segment.get(3)

    def svc(self, segment: Segment) -> None:
        if self.claim is None:
            self.problems.append("A service (SVC) stands outside any claim.")
            return
        parts = segment.parts(1)
        code, modifiers = (parts[1] if len(parts) > 1 else ""), tuple(m for m in parts[2:6] if m)
        self.line = RemitLine(
            code=code,
            qualifier=parts[0],
            modifiers=modifiers,
            charge_cents=self.cents(segment, 2),
            paid_cents=self.cents(segment, 3),
            billed=(segment.parts(6) + [""])[1] if segment.get(6) else "",
        )
        self.claim.lines.append(self.line)

    def cas(self, segment: Segment) -> None:
        target = self.line or self.claim
        if target is None:
            self.problems.append("An adjustment (CAS) stands outside any claim.")
            return
        for at in range(2, len(segment.elements), 3):
            if segment.get(at):
                target.adjustments.append(
                    Adjustment(segment.get(1), segment.get(at), self.cents(segment, at + 1))
                )

    def dtm(self, segment: Segment) -> None:
        if self.line and segment.get(1) in {"472", "150"}:
            self.line.day = parse_day(segment.get(2))

    def ref(self, segment: Segment) -> None:
        if self.line and segment.get(1) == "6R":
            self.line.number = segment.get(2)
        if self.claim is None:
            self._note_payee(segment.get(1), segment.get(2))

    def amt(self, segment: Segment) -> None:
        if self.line and segment.get(1) == "B6":
            self.line.allowed_cents = self.cents(segment, 2)

    def lq(self, segment: Segment) -> None:
        if self.line and segment.get(1) == "HE":
            self.line.remarks.append(segment.get(2))

    def plb(self, segment: Segment) -> None:
        self.claim = self.line = None
        for at in range(3, len(segment.elements), 2):
            if segment.get(at):
                reason, *reference = segment.parts(at)
                self.remittance.provider_adjustments.append(
                    ProviderAdjustment(reason, "".join(reference[:1]), self.cents(segment, at + 1))
                )

    def balance(self) -> None:
        for claim in self.remittance.claims:
            self.balance_claim(claim)
        paid = sum(claim.paid_cents for claim in self.remittance.claims)
        paid -= sum(each.cents for each in self.remittance.provider_adjustments)
        off = self.remittance.paid_cents - paid
        if off:
            self.problems.append(
                f"Payment {self.remittance.trace} is {_show(self.remittance.paid_cents)}, its claims"
                f" {'less what was taken beside them ' if self.remittance.provider_adjustments else ''}add up"
                f" to {_show(paid)}: {_show(abs(off))} {'too much' if off > 0 else 'is missing'}."
            )

    def balance_claim(self, claim: RemitClaim) -> None:
        for line in claim.lines:
            off = _sum(line.adjustments)
            if line.charge_cents - off != line.paid_cents:
                self.problems.append(
                    f"Service {line.code} of claim {claim.number} does not add up:"
                    f" {_difference(line.charge_cents, off, line.paid_cents)}"
                )
        adjusted = _sum(claim.adjustments) + sum(_sum(line.adjustments) for line in claim.lines)
        if claim.charge_cents - adjusted != claim.paid_cents:
            self.problems.append(
                f"Claim {claim.number} does not add up:"
                f" {_difference(claim.charge_cents, adjusted, claim.paid_cents)}"
            )


def _difference(charge: int, off: int, paid: int) -> str:
    """Which sum is wrong, and by how much."""
    return f"{_show(charge)} less {_show(off)} is {_show(charge - off)}, but it says {_show(paid)} was paid."


def _sum(adjustments: Iterable[Adjustment]) -> int:
    return sum(adjustment.cents for adjustment in adjustments)


def _show(cents: int) -> str:
    return f"{'-' if cents < 0 else ''}{abs(cents) // 100}.{abs(cents) % 100:02d}"
