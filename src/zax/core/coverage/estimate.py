"""What a plan should pay for each line and what is left to the patient, each with the sentence that explains it.

Rule so far: the plan pays its percentage of the category, after the patient's deductible; categories may be free of the
deductible. Lines are worked in the order given and the deductible is used up from line to line. All amounts in cents.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from zax.core.money.cents import percent_of, plain

CATEGORY_WORDS = {
    "preventive": "preventive care",
    "diagnostic": "diagnostic care",
    "basic": "basic care",
    "major": "major care",
    "office": "office visits",
    "lab": "lab tests",
    "procedure": "procedures",
    "vaccine": "vaccines",
    "other": "other services",
}


@dataclass(frozen=True, slots=True)
class Benefits:
    """A plan's promise: percent paid by category (missing: not covered), yearly deductible, categories free of it."""

    name: str
    percents: Mapping[str, int]
    deductible_cents: int = 0
    no_deductible: frozenset[str] = field(default_factory=frozenset)


@dataclass(frozen=True, slots=True)
class PricedLine:
    """A service to estimate: its fee for all units, its category, and whether it goes to the insurer at all."""

    line_id: int
    cents: int
    category: str
    billed: bool = True


@dataclass(frozen=True, slots=True)
class LineEstimate:
    """`insurer + patient == fee`; `deductible` is the part of the patient's share that counts toward it."""

    line_id: int
    fee: int
    deductible: int
    insurer: int
    patient: int
    why: str


def estimate(lines: Sequence[PricedLine], benefits: Benefits | None, deductible_used: int = 0) -> list[LineEstimate]:
    """One answer a line, in order. `deductible_used` is what counted toward this year's deductible before."""
    left = max(0, benefits.deductible_cents - deductible_used) if benefits else 0
    answers: list[LineEstimate] = []
    for line in lines:
        answer = _estimate_line(line, benefits, left)
        left -= answer.deductible
        answers.append(answer)
    return answers


def _estimate_line(line: PricedLine, benefits: Benefits | None, left: int) -> LineEstimate:
    def all_patient(why: str) -> LineEstimate:
        return LineEstimate(line.line_id, line.cents, 0, 0, line.cents, why)

    if benefits is None:
        return all_patient("no coverage on file")
    if not line.billed:
        return all_patient("not billed to the plan")
    words = CATEGORY_WORDS.get(line.category, line.category)
    percent = benefits.percents.get(line.category, 0)
    if percent == 0:
        return all_patient(f"not covered: {words}")
    free = line.category in benefits.no_deductible
    deductible = 0 if free else min(left, line.cents)
    insurer = percent_of(line.cents - deductible, percent)
    why = _sentence(line.cents, percent, deductible, words, met=bool(benefits.deductible_cents) and not free)
    return LineEstimate(line.line_id, line.cents, deductible, insurer, line.cents - insurer, why)


def _sentence(fee: int, percent: int, deductible: int, words: str, met: bool) -> str:
    if deductible == fee:
        return f"all of {plain(fee)} goes to the deductible"
    if deductible:
        return f"{percent} percent of {plain(fee - deductible)}, after {plain(deductible)} deductible"
    if percent == 100:
        return f"100 percent, {words}"
    return f"{percent} percent of {plain(fee)}, {'deductible met' if met else words}"


def totals(answers: Sequence[LineEstimate]) -> tuple[int, int, int]:
    """(fee, insurer, patient) in cents."""
    return sum(a.fee for a in answers), sum(a.insurer for a in answers), sum(a.patient for a in answers)
