"""What an insurer's answer does with one line of a claim: paid, written off, moved to the patient, short.

The line's adjustments are sorted by the rules (`rules`); what is left of the insurer's part once payment and
contract are off goes to the patient, as far as the payer names it theirs, and to the next plan. What the
payer takes off beyond its own contract stays with it. Amounts are cents with the journal's signs.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from zax.core.money.journal import Kind, Parts
from zax.core.remits.reasons import REASONS, REMARKS
from zax.core.remits.rules import SHIPPED, Deed, Does, Rulebook
from zax.core.remits.shortfalls import Shortfall, Work, work_of
from zax.core.wording import dollars
from zax.core.x12.remittance import Adjustment, RemitLine

# The reason that says how far the fee is above the contract; the others stand beside it.
ABOVE_CONTRACT = "45"


def reason_words(adjustment: Adjustment) -> str:
    """'CO 45: above the agreed price'; a code we have no words for is shown as it is."""
    if not adjustment.reason:
        return "no reason given"
    known = REASONS.get(adjustment.reason)
    words = known.words if known else f"reason {adjustment.reason}"
    return f"{adjustment.group} {adjustment.reason}: {words}"


def remark_words(line: RemitLine) -> str:
    """' (N657: code it otherwise)' of what stands beside the adjustments; empty without any."""
    said = [f"{code}: {REMARKS[code]}" if code in REMARKS else code for code in line.remarks]
    return f" ({'; '.join(dict.fromkeys(said))})" if said else ""


@dataclass(frozen=True, slots=True)
class Posting:
    """One journal entry to make for `line_id`; `credit` has its other half wait as the patient's credit."""

    line_id: int
    kind: Kind
    patient_cents: int
    insurer_cents: int
    words: str
    credit: bool = False


@dataclass(frozen=True, slots=True)
class ExpectedLine:
    """A line of our claim: what the claim says was charged, what the journal still has open on it, what of it
    the patient owes or has paid (`owed`), what a second plan should pay, what is charged for it by now
    (`charged`, where that may have been changed since), and what the payer's contract forgives of it
    (`contract`; None where no contract is on file).
    """

    line_id: int
    number: str
    code: str
    cents: int
    open: Parts
    owed: int
    second: int = 0
    charged: int | None = None
    contract: int | None = None


@dataclass(frozen=True, slots=True)
class Reading:
    """How an answer is to be read. `later`: the plan answers after another one, so what the earlier ones did
    stands in its answer. `stay`: a facility's claim, which a payer may price as a whole.
    """

    later: bool = False
    stay: bool = False
    payer_id: int = 0
    rules: Rulebook = SHIPPED

    def deed(self, adjustment: Adjustment, line: RemitLine) -> Deed:
        return self.rules.deed(adjustment, line, self.payer_id, self.later)


FIRST = Reading()


def line_problem(line: RemitLine, ours: ExpectedLine) -> str:
    if line.charge_cents != ours.cents:
        return f"The payer responded to a different charge for {ours.code} than we sent."
    if ours.charged not in {None, ours.cents}:
        return f"{ours.code} was changed after the claim went out, so its payment isn’t for what was done."
    if line.paid_cents < 0 or any(a.cents < 0 for a in line.adjustments):
        return f"{ours.code} is paid or adjusted below zero."
    return ""


def shortfall(
    ours: ExpectedLine,
    cents: int,
    adjusted: Sequence[Adjustment],
    remarks: Sequence[str],
    words: str,
    work: Work | None = None,
) -> Shortfall:
    reasons = tuple(dict.fromkeys(f"{each.group} {each.reason}" for each in adjusted if each.reason))
    return Shortfall(
        line_id=ours.line_id,
        cents=cents,
        work=work or work_of([each.reason for each in adjusted], remarks),
        reasons=reasons,
        remarks=tuple(dict.fromkeys(remarks)),
        words=words,
    )


def kept_with_insurer(ours: ExpectedLine) -> tuple[Posting, ...]:
    """What was estimated as the patient's and isn't paid yet is not asked of them while nobody has decided
    about a denial.
    """
    open_cents = ours.open.patient
    if open_cents <= 0:
        return ()
    words = "Moved to insurance, until the denial is decided"
    return (Posting(ours.line_id, Kind.TRANSFER, -open_cents, open_cents, words),)


@dataclass(frozen=True, slots=True)
class PlacedLine:
    """What to post of a line; `shortfalls` and `second` (cents) stay with the insurers."""

    postings: tuple[Posting, ...]
    shortfalls: tuple[Shortfall, ...] = ()
    second: int = 0


@dataclass(frozen=True, slots=True)
class _Sorted:
    """A line's adjustments by what is done with them: `contract` is written off, `share` is the patient's or
    (`for_next`) the next plan's, `others` wait for a person, some of them with what a rule `proposes`.
    """

    contract: list[Adjustment]
    share: list[Adjustment]
    for_next: list[Adjustment]
    others: list[Adjustment]
    proposes: Work | None


_PROPOSED = {Does.WRITE_OFF: Work.WRITE_OFF, Does.PATIENT: Work.PATIENT, Does.NEXT: Work.ELSEWHERE}


def _sort(line: RemitLine, reading: Reading) -> _Sorted:
    found = _Sorted([], [], [], [], None)
    for each in line.adjustments:
        deed = reading.deed(each, line)
        if not each.cents or deed.does is Does.EARLIER:
            continue
        if deed.asks or deed.does is Does.WORK:
            found.others.append(each)
            found = replace(found, proposes=_PROPOSED.get(deed.does) or found.proposes)
        elif deed.does is Does.WRITE_OFF:
            found.contract.append(each)
        else:
            found.share.append(each)
            found.for_next.extend([each] if deed.does is Does.NEXT else [])
    return found


def place_line(line: RemitLine, ours: ExpectedLine, reading: Reading, passed_on: bool) -> PlacedLine:
    said = _sort(line, reading)
    own = _sum(said.share)
    priced = bool(line.paid_cents or said.share)
    too_much, too_little = _against_contract(said, ours, reading) if priced else (0, 0)
    off = _sum(said.contract) - too_much
    rest = ours.open.insurer - line.paid_cents - off
    if reading.later and said.contract and rest < 0:
        words = f"{ours.code}: the payer adjusted more than the earlier plans left."
        return PlacedLine(
            (), (shortfall(ours, ours.open.insurer, said.contract, line.remarks, words, Work.ASK),)
        )
    held = _held(said.others, ours.owed - own)
    others = (
        said.others if held else []
    )  # nothing held: the payer leaves to the patient what they owe already
    if (others or (said.contract and not reading.later)) and not priced:
        return _unpaid(line, ours, [*others, *said.contract], said.proposes)
    unexplained = max(0, rest - held - too_much - own) if reading.later else 0
    wanted = own if passed_on else max(ours.second, _sum(said.for_next))
    second = max(0, min(wanted, own, rest))
    left = rest - held - too_much - unexplained - second
    made = [*_decided(line, ours, said.contract, too_much), *_rest_postings(ours, left, said.share)]
    asked = min(own - second, ours.open.patient) if passed_on and left >= 0 else 0
    if asked > 0:
        words = "Moved to insurance, passed on to the next plan"
        made.append(Posting(ours.line_id, Kind.TRANSFER, -asked, asked, words))
        second += asked
    shortfalls = _part_unpaid(line, ours, others, held, unexplained, said.proposes)
    shortfalls += _off_contract(line, ours, said.contract, too_much, too_little)
    return PlacedLine(tuple(made), tuple(shortfalls), second)


def _against_contract(said: _Sorted, ours: ExpectedLine, reading: Reading) -> tuple[int, int]:
    """How many cents the payer takes off beyond its contract, and how many it leaves below; only the plan
    that pays first prices by the contract on file.
    """
    if reading.later or ours.contract is None:
        return 0, 0
    off = sum(each.cents for each in said.contract if each.reason == ABOVE_CONTRACT)
    whole = not said.others and off > 0
    return max(0, off - ours.contract), max(0, ours.contract - off) if whole else 0


def _unpaid(
    line: RemitLine, ours: ExpectedLine, why: Sequence[Adjustment], proposed: Work | None
) -> PlacedLine:
    said = "; ".join(reason_words(each) for each in why)
    words = f"{ours.code} wasn’t paid: {said}{remark_words(line)}."
    cents = max(0, ours.open.patient) + ours.open.insurer
    return PlacedLine(kept_with_insurer(ours), (shortfall(ours, cents, why, line.remarks, words, proposed),))


def _part_unpaid(
    line: RemitLine,
    ours: ExpectedLine,
    others: Sequence[Adjustment],
    held: int,
    unexplained: int,
    proposed: Work | None,
) -> list[Shortfall]:
    whys = [f"{dollars(each.cents)} {reason_words(each)}" for each in others]
    if unexplained:
        whys.append(f"{dollars(unexplained)} that the earlier plans left isn’t in the answer")
    if not whys:
        return []
    words = f"{ours.code}: {'; '.join(whys)}{remark_words(line)}."
    return [shortfall(ours, held + unexplained, others, line.remarks, words, proposed)]


def _off_contract(
    line: RemitLine, ours: ExpectedLine, contract: Sequence[Adjustment], too_much: int, too_little: int
) -> list[Shortfall]:
    found = []
    if too_much:
        words = f"{ours.code}: paid {dollars(too_much)} less than the contract says."
        found.append(shortfall(ours, too_much, contract, line.remarks, words, Work.UNDERPAID))
    if too_little and line.paid_cents:
        words = f"{ours.code}: allowed {dollars(too_little)} more than the contract says."
        found.append(shortfall(ours, too_little, contract, line.remarks, words, Work.ABOVE))
    return found


def _sum(adjustments: Sequence[Adjustment]) -> int:
    return sum(each.cents for each in adjustments)


def _decided(
    line: RemitLine, ours: ExpectedLine, contract: Sequence[Adjustment], too_much: int
) -> Iterator[Posting]:
    """What was paid, and what the contract forgives, as far as it does."""
    if line.paid_cents:
        yield Posting(ours.line_id, Kind.INSURER_PAYMENT, 0, -line.paid_cents, "Plan paid")
    for each in contract:
        kept = min(each.cents, too_much) if each.reason == ABOVE_CONTRACT else 0
        too_much -= kept
        if cents := each.cents - kept:
            yield Posting(ours.line_id, Kind.WRITE_OFF, 0, -cents, f"Written off, {reason_words(each)}")


def _held(others: Sequence[Adjustment], owed_beyond: int) -> int:
    """Cents that stay with the insurer until a person decides. What the payer leaves to the patient for an
    uncertain reason is theirs only as far as they owe it already (`owed_beyond` their sure share).
    """
    uncertain = sum(a.cents for a in others if a.group == "PR")
    sure = sum(a.cents for a in others) - uncertain
    return sure + uncertain - min(uncertain, max(0, owed_beyond))


def _rest_postings(ours: ExpectedLine, rest: int, share: Sequence[Adjustment]) -> list[Posting]:
    """What is left of the insurer's part goes to the patient. Below nothing, the patient's part is smaller
    than expected; what of it was written off or handed on already cannot shrink, so that much is a credit.
    """
    if rest > 0:
        why = ", ".join(reason_words(a) for a in share) or "left by the plan"
        return [Posting(ours.line_id, Kind.TRANSFER, rest, -rest, f"Moved to patient, {why}")]
    made: list[Posting] = []
    back = min(-rest, max(0, ours.owed))
    if back:
        words = "Moved to insurance, patient share is smaller than estimated"
        made.append(Posting(ours.line_id, Kind.TRANSFER, -back, back, words))
    if -rest > back:
        words = "Plan paid more than was left; kept as a credit"
        made.append(Posting(ours.line_id, Kind.TRANSFER, 0, -rest - back, words, credit=True))
    return made
