"""Reads any 837 (professional, dental, institutional) into the same `Claim` that is written: whatever we
wrote comes back as it was, and loops we never write are passed over.

A claim is put together while its segments pass: who bills and whose plan it is hold on until the next HL
(loops 2000A to 2000C), so that several claims of one subscriber share them. Damage becomes a sentence.
Sources: 005010X222A1, 005010X224A2, 005010X223A2.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

from zax.core.claims.claim import Claim, Form, Rank
from zax.core.x12.claim_codes import FORMS, VERSIONS
from zax.core.x12.claim_draft import ClaimDraft
from zax.core.x12.draft import address_of, city_of, day_of
from zax.core.x12.parties import Address, Organization, Person
from zax.core.x12.syntax import Document, Segment, Transaction, read

NOBODY = Person(first="", last="", birth=None, sex="")
NOWHERE = Organization(name="", identifier="")


@dataclass(frozen=True, slots=True)
class ReadClaim:
    """A claim with what its file says it charges (CLM02, cents)."""

    claim: Claim
    stated_cents: int


@dataclass(slots=True)
class ClaimBatch:
    """The claims of one billing provider in one transaction, by its ST02."""

    form: Form
    control: str
    billing: Organization
    claims: list[ReadClaim]


def claims_of(document: Document) -> tuple[list[ClaimBatch], list[str]]:
    """All claims of a file and what is wrong with it."""
    problems = list(document.problems)
    found: list[ClaimBatch] = []
    for transaction in document.transactions:
        if transaction.kind != "837":
            problems.append(f"Transaction {transaction.control} is a {transaction.kind}, not a claim (837).")
            continue
        found += _Reader(transaction, problems).read()
    if not any(batch.claims for batch in found) and not problems:
        problems.append("The file holds no claim (837).")
    return found, problems


def claim_in(text: str, number: str) -> Claim | None:
    """One claim out of a file we wrote, by its number (CLM01), without reading the others: each stands in a
    subscriber level (HL03 22) of its own below its biller's (20).
    """
    for transaction in read(text).transactions:
        segments = transaction.segments
        at = next((n for n, each in enumerate(segments) if each.id == "CLM" and each.get(1) == number), None)
        if at is None:
            continue
        levels = [n for n, each in enumerate(segments) if each.id == "HL" and each.get(3) in {"20", "22"}]
        alone = segments[: levels[0]] if levels else segments[:-1]
        for start, end in pairwise([*levels, len(segments) - 1]):
            if segments[start].get(3) == "20" or start < at < end:
                alone += segments[start:end]
        alone.append(segments[-1])  # SE, which ends the last claim
        batches = _Reader(replace(transaction, segments=alone), []).read()
        found = (each.claim for batch in batches for each in batch.claims)
        return next((each for each in found if each.number == number), None)
    return None


def form_of(transaction: Transaction, problems: list[str]) -> Form:
    """By the guide named in ST03 or GS08, otherwise by what its services look like."""
    named = transaction.version[:10]
    for version, form in FORMS.items():
        if version[:10] == named:
            return form
    for segment in transaction.segments:
        match segment.id:
            case "SV2":
                return Form.INSTITUTIONAL
            case "SV3":
                return Form.DENTAL
            case "SV1":
                return Form.PROFESSIONAL
    known = ", ".join(VERSIONS.values())
    problems.append(f"Transaction {transaction.control} names no claim guide ({known}).")
    return Form.PROFESSIONAL


class _Reader:
    """Walks one transaction. `level` is HL03 of the loop we are in; `draft` the claim that is open."""

    def __init__(self, transaction: Transaction, problems: list[str]) -> None:
        self.segments: Sequence[Segment] = transaction.segments
        self.problems = problems
        self.form = form_of(transaction, problems)
        self.control = transaction.control
        self.batches: list[ClaimBatch] = []
        self.level = ""
        self.entity = ""
        self.billing, self.payer = NOWHERE, NOWHERE
        self.subscriber, self.patient = NOBODY, NOBODY
        self.plan: dict[str, Any] = {}
        self.draft: ClaimDraft | None = None

    def read(self) -> list[ClaimBatch]:
        for segment in self.segments:
            if segment.id in {"HL", "CLM", "SE"}:
                self.close()
            if segment.id == "HL":
                self.open_level(segment)
            elif segment.id == "CLM":
                self.draft = ClaimDraft(self.form, segment, self.problems)
            elif self.draft is not None:
                self.draft.take(segment)
            else:
                self.take(segment)
        return self.batches

    def open_level(self, segment: Segment) -> None:
        self.level, self.entity = segment.get(3), ""
        if self.level == "20":
            self.billing = NOWHERE
        elif self.level == "22":
            self.payer, self.subscriber, self.patient, self.plan = NOWHERE, NOBODY, NOBODY, {}

    def take(self, segment: Segment) -> None:
        """Who bills, whose plan it is, and who was treated."""
        match segment.id:
            case "PRV" if self.level == "20":
                self.billing = replace(self.billing, taxonomy=segment.get(3))
            case "SBR":
                self.plan |= {
                    "rank": segment.get(1),
                    "relationship": segment.get(2),
                    "group_number": segment.get(3),
                    "secondary_reason": segment.get(5),
                    "filing_indicator": segment.get(9),
                }
            case "PAT":
                if segment.get(1):
                    self.plan["relationship"] = segment.get(1)
                if segment.get(6):
                    self.plan["died"] = day_of(segment.get(6), "PAT06", self.problems)
            case "NM1":
                self.name(segment)
            case "N3":
                self.place(address_of(segment))
            case "N4":
                self.place(city_of(self.where(), segment))
            case "DMG":
                self.born(segment)
            case "REF" if self.entity == "85" and segment.get(1) in {"EI", "SY"}:
                self.billing = replace(self.billing, tax_id=segment.get(2))

    def name(self, segment: Segment) -> None:
        self.entity = segment.get(1)
        match self.entity:
            case "85":
                alone = segment.get(4) if segment.get(2) == "1" else ""
                self.billing = replace(
                    self.billing, name=segment.get(3), first=alone, identifier=segment.get(9)
                )
            case "PR":
                self.payer = Organization(name=segment.get(3), identifier=segment.get(9))
            case "IL":
                self.subscriber = _person(segment, segment.get(9))
            case "QC":
                self.patient = _person(segment, "")

    def where(self) -> Address:
        """The address that is being read."""
        match self.entity:
            case "85":
                return self.billing.address
            case "PR":
                return self.payer.address
            case "IL":
                return self.subscriber.address
            case "QC":
                return self.patient.address
        return Address()

    def place(self, address: Address) -> None:
        match self.entity:
            case "85":
                self.billing = replace(self.billing, address=address)
            case "PR":
                self.payer = replace(self.payer, address=address)
            case "IL":
                self.subscriber = replace(self.subscriber, address=address)
            case "QC":
                self.patient = replace(self.patient, address=address)

    def born(self, segment: Segment) -> None:
        birth = day_of(segment.get(2), "DMG02", self.problems)
        if self.entity == "IL":
            self.subscriber = replace(self.subscriber, birth=birth, sex=segment.get(3))
        elif self.entity == "QC":
            self.patient = replace(self.patient, birth=birth, sex=segment.get(3))

    def close(self) -> None:
        """The open claim is whole."""
        if self.draft is None:
            return
        draft, self.draft = self.draft, None
        own = self.level == "22"
        plan = {"group_number": "", "filing_indicator": "", **self.plan}
        relationship = "18" if own else plan.pop("relationship", "")
        plan.pop("relationship", None)
        rank = plan.pop("rank", "P")
        claim = Claim(
            form=self.form,
            payer=self.payer,
            relationship=relationship,
            subscriber=self.subscriber,
            patient=self.subscriber if own else self.patient,
            billing=self.billing,
            rank=Rank(rank) if rank in {"P", "S"} else Rank.TERTIARY,
            **plan,
            **draft.done(),
        )
        if claim.cents != draft.stated_cents:
            self.problems.append(f"Claim {claim.number}: its services don’t add up to what it charges.")
        self.batch().claims.append(ReadClaim(claim, draft.stated_cents))

    def batch(self) -> ClaimBatch:
        """Opened with the first claim of a billing provider."""
        if not self.batches or self.batches[-1].billing != self.billing:
            self.batches.append(ClaimBatch(self.form, self.control, self.billing, []))
        return self.batches[-1]


def _person(segment: Segment, member_id: str) -> Person:
    return Person(
        first=segment.get(4),
        last=segment.get(3),
        birth=None,
        sex="",
        member_id=member_id,
        middle=segment.get(5),
        suffix=segment.get(7),
    )
