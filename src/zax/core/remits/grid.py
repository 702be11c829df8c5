"""The paper's line as typed at the posting desk, turned into the answer that a file would have carried.

A line's charge is what was paid, the patient's deductible, coinsurance and copay, what the contract writes
off, and a rest with the payer's reason. So what is typed is placed by the very rules that place a file, and
the rest waits as a shortfall until somebody says where it goes. Amounts are cents.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from zax.core.money.journal import Kind, Parts
from zax.core.remits.line import ExpectedLine, Posting
from zax.core.remits.shortfalls import Shortfall
from zax.core.wording import dollars
from zax.core.x12.remittance import Adjustment, RemitClaim, RemitLine

# A rest that the paper gives no reason for.
NO_REASON = ("OA", "")
_REASON = re.compile(r"(?:(CO|PR|OA|PI)[ -]?)?([A-Z]?\d{1,3})")


class Place(StrEnum):
    """Where a rest goes. WORK: it stays with the insurer, on the list of denials."""

    WORK = "work"
    PATIENT = "patient"
    NEXT = "next"
    WRITE_OFF = "writeoff"


PLACE_WORDS = {
    Place.WORK: "stays with the insurer",
    Place.PATIENT: "patient owes it",
    Place.NEXT: "the next plan’s",
    Place.WRITE_OFF: "write off",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Boxes:
    """What was typed for one line; `reason` as 'CO 97' or '97', `place` for what is left of the charge."""

    paid: int = 0
    deductible: int = 0
    coinsurance: int = 0
    copay: int = 0
    off: int = 0
    reason: str = ""
    place: Place = Place.WORK

    @property
    def share(self) -> int:
        return self.deductible + self.coinsurance + self.copay

    @property
    def said(self) -> int:
        return self.paid + self.share + self.off


@dataclass(frozen=True, slots=True, kw_only=True)
class Outlook:
    """What we counted on for a line when it was billed: the plan's payment, the year's deductible, and what
    the contract forgives.
    """

    paid: int
    deductible: int = 0
    off: int = 0


def billed(ours: ExpectedLine, later: bool) -> int:
    """What this plan decides about: the charge, or for a later plan what the earlier ones left of it."""
    return min(ours.cents, max(0, ours.open.insurer) + max(0, ours.owed)) if later else ours.cents


def as_expected(ours: ExpectedLine, outlook: Outlook, later: bool) -> Boxes:
    """The boxes filled in as expected: what neither plan nor contract carries is coinsurance."""
    whole = billed(ours, later)
    off = min(outlook.off, whole)
    paid = min(outlook.paid, whole - off)
    deductible = min(outlook.deductible, whole - off - paid)
    return Boxes(paid=paid, deductible=deductible, coinsurance=whole - off - paid - deductible, off=off)


def filled_in(line: RemitLine) -> Boxes:
    """The boxes as a file's line says it; what is neither the patient's nor the contract's is rest."""

    def sum_of(group: str, *reasons: str) -> int:
        return sum(a.cents for a in line.adjustments if a.group == group and a.reason in reasons)

    named = {("PR", "1"), ("PR", "2"), ("PR", "3"), ("CO", "45"), ("OA", "23")}
    others = [a for a in line.adjustments if a.cents and (a.group, a.reason) not in named]
    return Boxes(
        paid=line.paid_cents,
        deductible=sum_of("PR", "1"),
        coinsurance=sum_of("PR", "2"),
        copay=sum_of("PR", "3"),
        off=sum_of("CO", "45"),
        reason=f"{others[0].group} {others[0].reason}" if others else "",
    )


def reason_typed(text: str) -> tuple[str, str] | None:
    """('CO', '97') of 'CO 97', 'co97' or '97' (then OA: a number alone decides nothing); None for neither."""
    if not text.strip():
        return NO_REASON
    found = _REASON.fullmatch(" ".join(text.upper().split()))
    return (found[1] or "OA", found[2]) if found else None


def problem_with(ours: ExpectedLine, boxes: Boxes, later: bool) -> str:
    """Why a line can't be placed as typed; empty where it can."""
    whole = billed(ours, later)
    if boxes.said > whole:
        left = "left of it" if later else "charged"
        return f"{ours.code}: {dollars(boxes.said)} is more than the {dollars(whole)} {left}."
    if reason_typed(boxes.reason) is None:
        return f"{ours.code}: a reason is a number like 97, or CO 97."
    return ""


def as_answer(
    number: str, lines: Sequence[ExpectedLine], typed: Mapping[int, Boxes], later: bool, payer_claim: str = ""
) -> RemitClaim:
    """What the payer says of the claim, by the boxes of each line; those without boxes were paid nothing."""
    made = [_line(each, typed.get(each.line_id, Boxes()), later) for each in lines]
    return RemitClaim(
        number=number,
        status="2" if later else "1",
        charge_cents=sum(each.cents for each in lines),
        paid_cents=sum(each.paid_cents for each in made),
        patient_cents=sum(boxes.share for boxes in typed.values()),
        payer_claim=payer_claim,
        lines=made,
    )


def _line(ours: ExpectedLine, boxes: Boxes, later: bool) -> RemitLine:
    whole = billed(ours, later)
    group, reason = reason_typed(boxes.reason) or NO_REASON
    adjusted = [
        Adjustment("OA", "23", ours.cents - whole),
        Adjustment("PR", "1", boxes.deductible),
        Adjustment("PR", "2", boxes.coinsurance),
        Adjustment("PR", "3", boxes.copay),
        Adjustment("CO", "45", boxes.off),
        Adjustment(group, reason, whole - boxes.said),
    ]
    return RemitLine(
        code=ours.code,
        qualifier="",
        modifiers=(),
        charge_cents=ours.cents,
        paid_cents=boxes.paid,
        number=ours.number,
        adjustments=[each for each in adjusted if each.cents],
    )


def split_total(
    total: int, lines: Sequence[ExpectedLine], outlooks: Mapping[int, Outlook], later: bool
) -> dict[int, Boxes]:
    """A paper that gives one sum for the claim: shared out by what was expected of each line (by charge where
    nothing was), the odd cents to the first; the other boxes as expected, as far as there is room.
    """
    wholes = {each.line_id: billed(each, later) for each in lines}
    weights = {each.line_id: outlooks[each.line_id].paid for each in lines}
    if not sum(weights.values()):
        weights = dict(wholes)
    paid = _shared(min(total, sum(wholes.values())), weights, wholes)
    found = {}
    for each in lines:
        hoped = as_expected(each, outlooks[each.line_id], later)
        room = wholes[each.line_id] - paid[each.line_id]
        off = min(hoped.off, room)
        deductible = min(hoped.deductible, room - off)
        coinsurance = min(hoped.coinsurance, room - off - deductible)
        found[each.line_id] = Boxes(
            paid=paid[each.line_id], deductible=deductible, coinsurance=coinsurance, off=off
        )
    return found


def _shared(total: int, weights: Mapping[int, int], most: Mapping[int, int]) -> dict[int, int]:
    """`total` by weight, no part over its most; what doesn't fit goes to the first that have room."""
    whole = sum(weights.values())
    found = {
        each: min(most[each], total * weight // whole if whole else 0) for each, weight in weights.items()
    }
    left = total - sum(found.values())
    for each, given in [*found.items()]:
        more = min(left, most[each] - given)
        found[each] = given + more
        left -= more
    return found


def decided(short: Shortfall, place: Place, owed: Parts, words: str) -> list[Posting]:
    """What a person's decision about a shortfall does in the journal; nothing where it waits for a plan.
    Never more than the insurer's part (`owed`) still holds.
    """
    cents = min(short.cents, owed.insurer)
    if cents <= 0 or place in {Place.WORK, Place.NEXT}:
        return []
    if place is Place.PATIENT:
        return [Posting(short.line_id, Kind.TRANSFER, cents, -cents, f"Moved to patient, {words}")]
    return [Posting(short.line_id, Kind.WRITE_OFF, 0, -cents, f"Written off, {words}")]
