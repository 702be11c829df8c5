"""Where an insurer's answer goes in the journal: for each line paid, written off, moved to the patient.

What the payer paid and what the contract forgives leave the insurer's part, and what the payer names as the
patient's share (deductible, coinsurance, copay) goes to the patient, less what a second plan should pay of
it: that waits for the second plan. Nothing else is ever written off or asked of the patient by itself: a
line or an amount that was not paid for any other reason stays with the insurer until a person decides.
Source: 005010X221A1 claim adjustment groups CO, PR, OA, PI. Amounts are cents with the journal's signs.
"""

from __future__ import annotations

from collections.abc import Container, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from zax.core.remits.line import (
    FIRST,
    ExpectedLine,
    Posting,
    Reading,
    kept_with_insurer,
    line_problem,
    place_line,
    reason_words,
    remark_words,
    shortfall,
)
from zax.core.remits.reasons import advice
from zax.core.remits.shortfalls import Shortfall, Work
from zax.core.remits.whole import share_out
from zax.core.wording import dollars
from zax.core.x12.remittance import RemitClaim, RemitLine, Remittance

# Code list 1029: processed, and passed on to the next payer by the payer itself.
PASSED_ON = frozenset({"19", "20", "21"})


class Outcome(StrEnum):
    """What became of a payer's answer to one claim. UNKNOWN: no such claim here. REPEATED: it was answered
    before. PERSON: somebody has to decide where its money goes. SECOND: posted, and the rest is for the
    second plan, which could not be billed by itself. PASSED: posted, and the payer has passed the claim on to
    that plan. DENIED: nothing of it was paid, and what to do about it is on the list of denials. OUT: taken
    out of its payment again.
    """

    POSTED = "posted"
    SECOND = "second"
    UNKNOWN = "unknown"
    REPEATED = "repeated"
    PERSON = "person"
    PASSED = "passed"
    DENIED = "denied"
    OUT = "out"


FOR_A_PERSON = frozenset({Outcome.UNKNOWN, Outcome.REPEATED, Outcome.PERSON, Outcome.SECOND})


@dataclass(frozen=True, slots=True)
class Placed:
    """What to post, and in `why_not` the plain reason that a person must decide about all of it. `shortfalls`
    stay with the insurer until a biller decides. `second` cents wait for the next plan, to which the payer
    may have `passed_on` the claim itself; `advice` is what to do next.
    """

    postings: tuple[Posting, ...] = ()
    why_not: str = ""
    denied: bool = False
    shortfalls: tuple[Shortfall, ...] = ()
    second: int = 0
    passed_on: bool = False
    advice: str = ""

    @property
    def short(self) -> str:
        """What was not paid and why, in words; empty where nothing is missing."""
        return " ".join(each.words for each in self.shortfalls if each.work is not Work.ABOVE).strip()

    @property
    def says(self) -> str:
        """What somebody has to decide, about all of it or about what is short; empty for nothing."""
        return self.why_not or self.short


def not_for_us(remittance: Remittance, npis: Container[str], tax_id: str) -> str:
    """Why nothing of a payment is posted that was made to somebody else than these; empty where it is ours,
    or where the payer doesn't say. Source: 005010X221A1 loop 1000B, N104 and REF*TJ.
    """
    said = (remittance.payee_npi, remittance.payee_tax_id)
    if not any(said) or remittance.payee_npi in npis or remittance.payee_tax_id == tax_id:
        return ""
    whom = f"{remittance.payee.title()} ({remittance.payee_npi or remittance.payee_tax_id})"
    return f"This payment is to {whom}, not to us, so nothing of it was posted."


def place(answer: RemitClaim, expected: Sequence[ExpectedLine], reading: Reading = FIRST) -> Placed:
    """Post where everything agrees, line by line; otherwise say what does not."""
    if answer.status == "22":
        return Placed(why_not="The payer is reversing an earlier payment (status 22).")
    if answer.status == "25":
        return Placed(why_not="The payer only says what it would pay (status 25), but this work was done.")
    if answer.status == "4":
        return _denied(answer, expected)
    if answer.charge_cents != sum(line.cents for line in expected):
        return Placed(why_not="The payer’s charge isn’t the charge we sent.")
    lines = answer.lines
    if answer.adjustments:
        one = reading.stay or len(expected) == 1
        if lines or not one or any(a.cents < 0 for a in answer.adjustments):
            return Placed(why_not="The payer adjusted the whole claim, not its lines. Decide where it goes.")
        lines = share_out(answer, [(each.number, each.code, each.cents) for each in expected])
    pairs = pair_lines(lines, expected)
    if isinstance(pairs, str):
        return Placed(why_not=pairs)
    wrong = next((problem for line, ours in pairs if (problem := line_problem(line, ours))), "")
    if wrong:
        return Placed(why_not=wrong)
    passed_on = answer.status in PASSED_ON or bool(answer.passed_to)
    placed = [place_line(line, ours, reading, passed_on) for line, ours in pairs]
    shortfalls = _to_decide(
        (short, ours) for each, (_, ours) in zip(placed, pairs, strict=True) for short in each.shortfalls
    )
    return Placed(
        tuple(posting for each in placed for posting in each.postings),
        denied=any(each.work not in {Work.UNDERPAID, Work.ABOVE} for each in shortfalls),
        shortfalls=shortfalls,
        second=sum(each.second for each in placed),
        passed_on=passed_on,
        advice=advice(_numbers(shortfalls)),
    )


def _to_decide(found: Iterable[tuple[Shortfall, ExpectedLine]]) -> tuple[Shortfall, ...]:
    """Those of which something is with the insurer, or that the patient has paid although the payer doesn't
    leave it to them: a refund or an appeal, but never nothing.
    """
    kept = []
    for short, ours in found:
        paid = ours.owed - max(0, ours.open.patient)
        if short.cents > 0:
            kept.append(short)
        elif paid > 0 and any(not each.startswith("PR ") for each in short.reasons):
            words = f"{short.words} The patient has paid {dollars(paid)} for it."
            kept.append(replace(short, cents=0, words=words))
    return tuple(kept)


def _numbers(shortfalls: Sequence[Shortfall]) -> list[str]:
    """The reasons without their groups."""
    return [reason.split()[-1] for each in shortfalls for reason in each.reasons]


def _denied(answer: RemitClaim, expected: Sequence[ExpectedLine]) -> Placed:
    """Nothing is paid. The reasons of the claim are those of each of its lines."""
    pairs = pair_lines(answer.lines, expected)
    by_line = {} if isinstance(pairs, str) else {ours.line_id: line for line, ours in pairs}
    said = sorted(
        {reason_words(a) + remark_words(line) for line in answer.lines for a in line.adjustments}
        | {reason_words(a) for a in answer.adjustments}
    )
    words = f"Denied: {'; '.join(said) or 'no reason given'}."
    found = []
    for ours in expected:
        line = by_line.get(ours.line_id)
        adjusted = [*answer.adjustments, *(line.adjustments if line else ())]
        remarks = line.remarks if line else []
        cents = max(0, ours.open.patient) + ours.open.insurer
        found.append((shortfall(ours, cents, adjusted, remarks, words), ours))
    moved = tuple(posting for line in expected for posting in kept_with_insurer(line))
    # What the claim says of all its lines is said once.
    told = tuple(
        replace(each, words=each.words if at == 0 else each.words.removeprefix(words).strip())
        for at, each in enumerate(_to_decide(found))
    )
    return Placed(moved, denied=bool(told), shortfalls=told, advice=advice(_numbers(told)))


def pair_lines(
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
