"""Where an insurer's answer goes in the journal: for each line paid, written off, moved to the patient.

What the payer paid and what the contract forgives leave the insurer's part, and what the payer names as the
patient's share (deductible, coinsurance, copay) goes to the patient, less what a second plan should pay of
it: that waits for the second plan. Nothing else is ever written off or asked of the patient by itself: a
line or an amount that was not paid for any other reason stays with the insurer until a person decides.
Source: 005010X221A1 claim adjustment groups CO, PR, OA, PI. Amounts are cents with the journal's signs.
"""

from __future__ import annotations

from collections.abc import Container, Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from zax.core.money.journal import Kind, Parts
from zax.core.remits.reasons import REASONS, REMARKS, advice
from zax.core.remits.whole import share_out
from zax.core.wording import dollars
from zax.core.x12.remittance import Adjustment, RemitClaim, RemitLine, Remittance

# What a contract with the payer forgives: the only reasons that write off by themselves, and only as CO.
CONTRACTUAL = frozenset({"45", "59", "131", "253"})
# What the patient owes by their plan, as PR: deductible, coinsurance, copay, without a contract what is above
# the payer's price, and what a costlier treatment costs beyond the one the plan pays for.
SHARE = frozenset({"1", "2", "3", "45", "169"})
# What earlier payers paid and took off, in the answer of a later one.
EARLIER = ("OA", "23")
# Code list 1029: processed, and passed on to the next payer by the payer itself.
PASSED_ON = frozenset({"19", "20", "21"})
# What the last plan doesn't cover of the share that the plans before it left to the patient.
NOT_COVERED = frozenset({"96", "119", "204"})


class Outcome(StrEnum):
    """What became of a payer's answer to one claim. UNKNOWN: no such claim here. REPEATED: it was answered
    before. PERSON: somebody has to decide. SECOND: posted, and the rest is for the second plan. PASSED: the
    same, and the payer has passed the claim on to that plan itself.
    """

    POSTED = "posted"
    SECOND = "second"
    UNKNOWN = "unknown"
    REPEATED = "repeated"
    PERSON = "person"
    PASSED = "passed"


FOR_A_PERSON = frozenset(Outcome) - {Outcome.POSTED}


def reason_words(adjustment: Adjustment) -> str:
    """'CO 45: above the agreed price'; a code we have no words for is shown as it is."""
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
class Placed:
    """What to post, and in `why_not` the plain reason that a person must decide about the rest, or about all
    of it. `second` cents wait for the next plan, to which the payer may have `passed_on` the claim itself;
    `advice` is what to do next.
    """

    postings: tuple[Posting, ...] = ()
    why_not: str = ""
    denied: bool = False
    second: int = 0
    passed_on: bool = False
    advice: str = ""


@dataclass(frozen=True, slots=True)
class ExpectedLine:
    """A line of our claim: what the claim says was charged, what the journal still has open on it, what of it
    the patient owes or has paid (`owed`), what a second plan should pay, and what is charged for it by now
    (`charged`, where that may have been changed since).
    """

    line_id: int
    number: str
    code: str
    cents: int
    open: Parts
    owed: int
    second: int = 0
    charged: int | None = None


def not_for_us(remittance: Remittance, npis: Container[str], tax_id: str) -> str:
    """Why nothing of a payment is posted that was made to somebody else than these; empty where it is ours,
    or where the payer doesn't say. Source: 005010X221A1 loop 1000B, N104 and REF*TJ.
    """
    said = (remittance.payee_npi, remittance.payee_tax_id)
    if not any(said) or remittance.payee_npi in npis or remittance.payee_tax_id == tax_id:
        return ""
    whom = f"{remittance.payee.title()} ({remittance.payee_npi or remittance.payee_tax_id})"
    return f"This payment is to {whom}, not to us, so nothing of it was posted."


def place(
    answer: RemitClaim, expected: Sequence[ExpectedLine], later: bool = False, stay: bool = False
) -> Placed:
    """Post where everything agrees, line by line; otherwise say what does not. `later`: the plan answers
    after another one, so what the earlier ones did stands in its answer as OA 23. `stay`: a facility's claim,
    which a payer may price as a whole.
    """
    if answer.status == "22":
        return Placed(why_not="The payer is reversing an earlier payment (status 22). Decide line by line.")
    if answer.status == "25":
        return Placed(why_not="The payer only says what it would pay (status 25), but this work was done.")
    if answer.status == "4":
        reasons = sorted(
            {reason_words(a) + remark_words(line) for line in answer.lines for a in line.adjustments}
            | {reason_words(a) for a in answer.adjustments}
        )
        why_not = f"Denied: {'; '.join(reasons) or 'no reason given'}."
        moved = tuple(posting for line in expected for posting in _kept_with_insurer(line))
        return Placed(moved, why_not, denied=True, advice=advice(_reasons(answer)))
    if answer.charge_cents != sum(line.cents for line in expected):
        return Placed(why_not="The payer’s charge isn’t the charge we sent.")
    lines = answer.lines
    if answer.adjustments:
        if lines or not (stay or len(expected) == 1) or any(a.cents < 0 for a in answer.adjustments):
            return Placed(why_not="The payer adjusted the whole claim, not its lines. Decide where it goes.")
        lines = share_out(answer, [(each.number, each.code, each.cents) for each in expected])
    pairs = _pair(lines, expected)
    if isinstance(pairs, str):
        return Placed(why_not=pairs)
    wrong = next((problem for line, ours in pairs if (problem := _line_problem(line, ours))), "")
    if wrong:
        return Placed(why_not=wrong)
    passed_on = answer.status in PASSED_ON or bool(answer.passed_to)
    placed = [_place_line(line, ours, later, passed_on) for line, ours in pairs]
    held = " ".join(each.held for each in placed if each.held)
    postings = tuple(posting for each in placed for posting in each.postings)
    unpaid = [line for (line, _), each in zip(pairs, placed, strict=True) if each.held]
    return Placed(
        postings,
        held,
        denied=bool(held),
        second=sum(each.second for each in placed),
        passed_on=passed_on,
        advice=advice(_reasons(answer, unpaid)),
    )


def _reasons(answer: RemitClaim, unpaid: Sequence[RemitLine] | None = None) -> list[str]:
    """What was taken off for, of the `unpaid` lines or of all, but for the contract, the earlier payers and
    the patient's own share.
    """
    lines = answer.lines if unpaid is None else unpaid
    return [
        each.reason
        for each in [*answer.adjustments, *(a for line in lines for a in line.adjustments)]
        if each.reason not in CONTRACTUAL and (each.group, each.reason) != EARLIER
        if not (each.group == "PR" and each.reason in SHARE)
    ]


def _pair(
    answered: Sequence[RemitLine], expected: Sequence[ExpectedLine]
) -> list[tuple[RemitLine, ExpectedLine]] | str:
    """By line item control number, or by code where the payer sends none back; a sentence when they do not
    match.
    """
    left: dict[int, ExpectedLine] = {line.line_id: line for line in expected}
    by_number: Mapping[str, ExpectedLine] = {line.number: line for line in expected}
    pairs: list[tuple[RemitLine, ExpectedLine]] = []
    for line in answered:
        code = line.billed or line.code
        ours = by_number.get(line.number) or next((o for o in left.values() if o.code == code), None)
        if ours is None or left.pop(ours.line_id, None) is None:
            return f"The payer responded to {line.code}, which isn’t on this claim."
        pairs.append((line, ours))
    if left:
        return f"The payer didn’t respond to {next(iter(left.values())).code}."
    return pairs


def _line_problem(line: RemitLine, ours: ExpectedLine) -> str:
    if line.charge_cents != ours.cents:
        return f"The payer responded to a different charge for {ours.code} than we sent."
    if ours.charged not in {None, ours.cents}:
        return f"{ours.code} was changed after the claim went out, so its payment isn’t for what was done."
    if line.paid_cents < 0 or any(a.cents < 0 for a in line.adjustments):
        return f"{ours.code} is paid or adjusted below zero."
    return ""


def _kept_with_insurer(ours: ExpectedLine) -> tuple[Posting, ...]:
    """What was estimated as the patient's and isn't paid yet is not asked of them while nobody has decided
    about a denial.
    """
    open_cents = ours.open.patient
    if open_cents <= 0:
        return ()
    words = "Moved to insurance, until the denial is decided"
    return (Posting(ours.line_id, Kind.TRANSFER, -open_cents, open_cents, words),)


@dataclass(frozen=True, slots=True)
class _PlacedLine:
    """What to post of a line; `held` and `second` (cents, in words) stay with the insurers."""

    postings: tuple[Posting, ...]
    held: str = ""
    second: int = 0


def _is_share(adjustment: Adjustment, line: RemitLine, later: bool) -> bool:
    """Whether the patient surely owes it. PR 50 is theirs where they signed before that they would pay for
    what Medicare finds unnecessary (modifier GA); OA 100 says that the plan paid the patient.
    """
    if adjustment.group == "OA":
        return adjustment.reason == "100"
    if adjustment.group != "PR":
        return False
    signed = adjustment.reason == "50" and "GA" in line.modifiers
    return adjustment.reason in SHARE or signed or (later and adjustment.reason in NOT_COVERED)


def _place_line(line: RemitLine, ours: ExpectedLine, later: bool, passed_on: bool) -> _PlacedLine:
    said = [a for a in line.adjustments if a.cents and not (later and (a.group, a.reason) == EARLIER)]
    contract = [a for a in said if a.group == "CO" and a.reason in CONTRACTUAL]
    share = [a for a in said if _is_share(a, line, later)]
    others = [a for a in said if a not in contract and a not in share]
    own = sum(a.cents for a in share)
    rest = ours.open.insurer - line.paid_cents - sum(a.cents for a in contract)
    if later and contract and rest < 0:
        return _PlacedLine((), f"{ours.code}: the payer adjusted more than the earlier plans left.")
    held = _held(others, ours.owed - own)
    if not held:
        others = []  # the payer leaves to the patient what they owe already
    if (others or (contract and not later)) and not line.paid_cents and not share:
        why = "; ".join(reason_words(a) for a in [*others, *contract])
        return _PlacedLine(_kept_with_insurer(ours), f"{ours.code} wasn’t paid: {why}{remark_words(line)}.")
    unexplained = max(0, rest - held - own) if later else 0
    second = max(0, min(own if passed_on else ours.second, own, rest))
    left = rest - held - unexplained - second
    made = [*_decided(line, ours, contract), *_rest_postings(ours, left, share)]
    asked = min(own - second, ours.open.patient) if passed_on and left >= 0 else 0
    if asked > 0:
        words = "Moved to insurance, passed on to the next plan"
        made.append(Posting(ours.line_id, Kind.TRANSFER, -asked, asked, words))
        second += asked
    whys = [f"{dollars(a.cents)} {reason_words(a)}" for a in others]
    if unexplained:
        whys.append(f"{dollars(unexplained)} that the earlier plans left isn’t in the answer")
    why = f"{ours.code}: {'; '.join(whys)}{remark_words(line)}." if whys else ""
    return _PlacedLine(tuple(made), why, second)


def _decided(line: RemitLine, ours: ExpectedLine, contract: Sequence[Adjustment]) -> Iterator[Posting]:
    if line.paid_cents:
        yield Posting(ours.line_id, Kind.INSURER_PAYMENT, 0, -line.paid_cents, "Plan paid")
    for each in contract:
        words = f"Written off, {reason_words(each)}"
        yield Posting(ours.line_id, Kind.WRITE_OFF, 0, -each.cents, words)


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
