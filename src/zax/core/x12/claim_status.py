"""Reads a 277: what a payer or clearinghouse says of single claims, as an acknowledgment of a file (277CA,
005010X214) or in answer to a question (005010X212).

Both name each claim in loop 2200D (or 2200E for a dependent) by TRN or REF EJ and say its state in STC, with
up to three statuses in each. `number` is our own claim number.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date

from zax.core.x12.draft import day_of
from zax.core.x12.status_codes import Verdict, field_of, status_words, verdict_of
from zax.core.x12.syntax import Document, Segment, Transaction, to_cents

ACKNOWLEDGMENT = "005010X214"


@dataclass(frozen=True, slots=True)
class Status:
    """One STC composite; `words` are our own."""

    category: str
    code: str
    entity: str

    @property
    def words(self) -> str:
        return status_words(self.category, self.code, self.entity)

    @property
    def verdict(self) -> Verdict:
        return verdict_of(self.category)

    @property
    def about(self) -> str:
        """The path of the claim's field it is about, or nothing."""
        return field_of(self.code, self.entity)


@dataclass(slots=True)
class ClaimStatus:
    """What is said of one claim; `day` is when it took effect."""

    number: str
    payer_claim: str = ""
    charge_cents: int = 0
    paid_cents: int = 0
    day: date | None = None
    patient: str = ""
    statuses: list[Status] = field(default_factory=list)

    @property
    def verdict(self) -> Verdict:
        """The gravest counts: a claim that is refused for one reason is refused."""
        said = {each.verdict for each in self.statuses}
        order = (Verdict.REFUSED, Verdict.ASKED, Verdict.DECIDED, Verdict.PENDING, Verdict.TAKEN)
        return next((verdict for verdict in order if verdict in said), Verdict.UNKNOWN)

    @property
    def words(self) -> str:
        return "; ".join(dict.fromkeys(each.words for each in self.statuses))


@dataclass(frozen=True, slots=True)
class StatusReport:
    """One 277 transaction; `acknowledgment` tells a 277CA from an answer, `payer` who speaks."""

    control: str
    acknowledgment: bool
    payer: str
    claims: list[ClaimStatus]


def status_reports_of(document: Document) -> tuple[list[StatusReport], list[str]]:
    """All reports of a file and what is wrong with it."""
    problems = list(document.problems)
    found: list[StatusReport] = []
    for transaction in document.transactions:
        if transaction.kind != "277":
            problems.append(f"Transaction {transaction.control} is a {transaction.kind}, not a 277.")
            continue
        found.append(_report(transaction, problems))
    if not found and not problems:
        problems.append("The file holds no claim status (277).")
    return found, problems


def _report(transaction: Transaction, problems: list[str]) -> StatusReport:
    """Claims stand below the level of a patient (HL03 PT, 22 or 23); the levels above speak of the file."""
    payer, level, patient = "", "", ""
    claims: list[ClaimStatus] = []
    fresh = False
    for segment in transaction.segments:
        match segment.id:
            case "HL":
                level, fresh = segment.get(3), False
            case "NM1" if level == "20":
                payer = segment.get(3)
            case "NM1" if segment.get(1) in {"QC", "IL"}:
                patient = " ".join(filter(None, (segment.get(4), segment.get(3))))
            case "TRN" if level in {"PT", "22", "23"}:
                claims.append(ClaimStatus(segment.get(2), patient=patient))
                fresh = True
            case _ if fresh:
                _take(claims[-1], segment, problems)
            case _:
                continue
    acknowledgment = transaction.version.startswith(ACKNOWLEDGMENT)
    return StatusReport(transaction.control, acknowledgment, payer, claims)


def _take(claim: ClaimStatus, segment: Segment, problems: list[str]) -> None:
    match segment.id:
        case "STC":
            for position in (1, 10, 11):
                category, code, entity = [*segment.parts(position), "", "", ""][:3]
                if category:
                    claim.statuses.append(Status(category, code, entity))
            where = f"STC of claim {claim.number}"
            if segment.get(2):
                claim.day = day_of(segment.get(2), where, problems)
            claim.charge_cents = claim.charge_cents or to_cents(segment.get(4), where, problems)
            claim.paid_cents = claim.paid_cents or to_cents(segment.get(5), where, problems)
        case "REF" if segment.get(1) == "1K":
            claim.payer_claim = segment.get(2)
        case "REF" if segment.get(1) == "EJ":
            claim.number = segment.get(2)
