"""Where an insurer's answer goes in the journal: for each line paid, written off, moved to the patient.

After an answer the insurer's part of the line is zero unless it was denied for a person to look at: what the
payer paid and what the contract forgives leave, and what is left (more or less than estimated) is the
patient's. Source: 005010X221A1 claim adjustment groups CO, PR, OA, PI. Amounts are cents with the journal's
signs.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from zax.core.money.journal import Kind, Parts
from zax.core.x12.remittance import Adjustment, RemitClaim, RemitLine

REASON_WORDS = {
    "1": "deductible",
    "2": "coinsurance",
    "3": "copay",
    "16": "information missing",
    "18": "exact duplicate",
    "27": "coverage had ended",
    "29": "filed too late",
    "45": "above the agreed price",
    "50": "not seen as necessary",
    "96": "not covered",
    "97": "part of another service",
    "119": "yearly maximum reached",
    "197": "no prior approval",
    "253": "federal payment cut",
}


class Outcome(StrEnum):
    """What became of a payer's answer to one claim. UNKNOWN: no such claim here. REPEATED: it was answered
    before. PERSON: somebody has to decide.
    """

    POSTED = "posted"
    UNKNOWN = "unknown"
    REPEATED = "repeated"
    PERSON = "person"


FOR_A_PERSON = frozenset({Outcome.UNKNOWN, Outcome.REPEATED, Outcome.PERSON})


def reason_words(adjustment: Adjustment) -> str:
    """'CO 45: above the agreed price'; a code we have no words for is shown as it is."""
    words = REASON_WORDS.get(adjustment.reason, f"reason {adjustment.reason}")
    return f"{adjustment.group} {adjustment.reason}: {words}"


@dataclass(frozen=True, slots=True)
class Posting:
    """One journal entry to make for `line_id`."""

    line_id: int
    kind: Kind
    patient_cents: int
    insurer_cents: int
    words: str


@dataclass(frozen=True, slots=True)
class Placed:
    """What to post, or in `why_not` the plain reason that a person must decide."""

    postings: tuple[Posting, ...] = ()
    why_not: str = ""
    denied: bool = False


@dataclass(frozen=True, slots=True)
class ExpectedLine:
    """A line of our claim: what was charged and what the journal still has open on it."""

    line_id: int
    number: str
    code: str
    cents: int
    open: Parts


def place(answer: RemitClaim, expected: Sequence[ExpectedLine]) -> Placed:
    """Post where everything agrees; otherwise say what does not."""
    if answer.status == "22":
        return Placed(why_not="The payer takes an earlier payment back (status 22). Decide line by line.")
    if answer.status == "4":
        reasons = sorted({reason_words(a) for line in answer.lines for a in line.adjustments})
        return Placed(why_not=f"Denied: {'; '.join(reasons) or 'no reason given'}.", denied=True)
    if answer.charge_cents != sum(line.cents for line in expected):
        return Placed(why_not="The charge the payer answers is not the charge we sent.")
    if answer.adjustments:
        return Placed(why_not="The payer adjusts the claim as a whole, not its lines. Decide where it goes.")
    pairs = _pair(answer.lines, expected)
    if isinstance(pairs, str):
        return Placed(why_not=pairs)
    postings: list[Posting] = []
    for line, ours in pairs:
        wrong = _line_problem(line, ours)
        if wrong:
            return Placed(why_not=wrong)
        postings += _line_postings(line, ours)
    return Placed(tuple(postings))


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
        ours = by_number.get(line.number) or next((o for o in left.values() if o.code == line.code), None)
        if ours is None or left.pop(ours.line_id, None) is None:
            return f"The payer answers {line.code}, which is not on this claim."
        pairs.append((line, ours))
    if left:
        return f"The payer does not answer {next(iter(left.values())).code}."
    return pairs


def _line_problem(line: RemitLine, ours: ExpectedLine) -> str:
    if line.charge_cents != ours.cents:
        return f"The payer answers another charge for {ours.code} than we sent."
    if any(a.group not in {"CO", "PR"} for a in line.adjustments):
        return f"{ours.code}: {'; '.join(reason_words(a) for a in line.adjustments)}."
    if line.paid_cents < 0:
        return f"{ours.code} is paid less than nothing."
    return ""


def _line_postings(line: RemitLine, ours: ExpectedLine) -> list[Posting]:
    contract = [a for a in line.adjustments if a.group == "CO" and a.cents]
    patient = [a for a in line.adjustments if a.group == "PR" and a.cents]
    rest = ours.open.insurer - line.paid_cents - sum(a.cents for a in contract)
    made: list[Posting] = []
    if line.paid_cents:
        made.append(Posting(ours.line_id, Kind.INSURER_PAYMENT, 0, -line.paid_cents, "Plan paid"))
    made += [
        Posting(ours.line_id, Kind.WRITE_OFF, 0, -a.cents, f"Written off, {reason_words(a)}")
        for a in contract
    ]
    if rest > 0:
        why = ", ".join(reason_words(a) for a in patient) or "left by the plan"
        made.append(Posting(ours.line_id, Kind.TRANSFER, rest, -rest, f"Moved to patient, {why}"))
    elif rest < 0:
        made.append(
            Posting(
                ours.line_id,
                Kind.TRANSFER,
                rest,
                -rest,
                "Moved to plan, patient's part is smaller than expected",
            )
        )
    return made
