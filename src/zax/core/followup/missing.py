"""The chance that somebody doesn't come: from how they kept their visits before, pulled toward the clinic's
rate
while there are few of them, and from how the visit was made.

It is fitted nightly on the clinic's own past (`core.followup.missing_fit`) and shown only where it helps:
when it does better than the clinic's rate alone on visits it was not fitted on. Nothing about who somebody is
goes into it, neither age nor sex, language, address or plan. Chances are 0 to 1; money is cents.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

# So many visits at the clinic's rate are added to everybody's own: two misses of two are no certainty.
PRIOR_VISITS = 6
EARLY, LATE = 9 * 60, 15 * 60 + 30
OWES = 5_000
# From when on it is worth a word, as a multiple of the clinic's rate and as a chance.
TIMES_USUAL, LEAST_SHOWN = 2.0, 0.1


@dataclass(frozen=True, slots=True, kw_only=True)
class Case:
    """A visit as it is known so many days ahead. `visits` and `missed` are those before it."""

    visits: int
    missed: int
    lead_days: int
    days_ahead: int
    confirmed: bool
    start: int
    owed: int


@dataclass(frozen=True, slots=True)
class Bin:
    """Visits whose chance lay in one tenth: what was said, and how often they were missed."""

    visits: int
    said: float
    missed: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Model:
    """`base` is the clinic's rate; `weights` are log odds, in the order of FEATURES; the Brier scores are
    those of
    visits kept apart (`tested` of them), the model's and that of the rate alone.
    """

    fitted_on: date
    base: float
    intercept: float
    weights: tuple[float, ...]
    fitted: int
    tested: int
    brier: float
    brier_base: float
    bins: tuple[Bin, ...] = ()

    @property
    def helps(self) -> bool:
        return self.tested > 0 and self.brier < self.brier_base


def own_rate(case: Case, base: float) -> float:
    """How often they miss, pulled toward the clinic's rate."""
    return (case.missed + PRIOR_VISITS * base) / (case.visits + PRIOR_VISITS)


def log_odds(chance: float) -> float:
    kept = min(0.999, max(0.001, chance))
    return math.log(kept / (1 - kept))


FEATURES = ("own", "first", "lead", "ahead", "unconfirmed", "early", "late", "owes")


def features(case: Case, base: float) -> tuple[float, ...]:
    """Numbers of about the same size, in the order of FEATURES."""
    return (
        log_odds(own_rate(case, base)) - log_odds(base),
        float(case.visits == 0),
        math.log1p(max(0, case.lead_days)) - 3,
        math.log1p(max(0, case.days_ahead)) - 1,
        float(not case.confirmed),
        float(case.start < EARLY),
        float(case.start >= LATE),
        float(case.owed >= OWES),
    )


def chance_of(model: Model, case: Case) -> float:
    return logistic(model.intercept + sum(_parts(model, case).values()))


def logistic(odds: float) -> float:
    return 1 / (1 + math.exp(-max(-30.0, min(30.0, odds))))


def _parts(model: Model, case: Case) -> dict[str, float]:
    values = features(case, model.base)
    return {name: weight * value for name, weight, value in zip(FEATURES, model.weights, values, strict=True)}


@dataclass(frozen=True, slots=True)
class Risk:
    """A chance worth a word, and why in words, what weighs most first."""

    chance: float
    why: tuple[str, ...]

    @property
    def percent(self) -> int:
        return round(100 * self.chance)


def risk_of(model: Model, case: Case) -> Risk | None:
    """None where the model doesn't help, or the chance is about the usual one."""
    chance = chance_of(model, case)
    if not model.helps or chance < max(LEAST_SHOWN, TIMES_USUAL * model.base):
        return None
    words = _words(case)
    parts = sorted(_parts(model, case).items(), key=lambda pair: -pair[1])
    return Risk(chance, tuple(words[name] for name, weight in parts if weight > 0.05 and words[name]))


def _words(case: Case) -> Mapping[str, str]:
    missed = f"missed {case.missed} of {case.visits}" if case.missed else ""
    return {
        "own": missed,
        "first": "first visit" if not case.visits else "",
        "lead": f"booked {case.lead_days} days ahead" if case.lead_days > 20 else "",
        "ahead": "",
        "unconfirmed": "" if case.confirmed else "not confirmed",
        "early": "early" if case.start < EARLY else "",
        "late": "late in the day" if case.start >= LATE else "",
        "owes": "balance open" if case.owed >= OWES else "",
    }


def brier_of(chances: Sequence[float], missed: Sequence[bool]) -> float:
    """The mean squared distance between what was said and what happened; 0 is perfect."""
    return sum((said - was) ** 2 for said, was in zip(chances, missed, strict=True)) / max(1, len(chances))


def calibration(chances: Sequence[float], missed: Sequence[bool], most: int = 10) -> tuple[Bin, ...]:
    """Groups of the same size, the least likely first: what was said against what happened."""
    pairs = sorted(zip(chances, missed, strict=True))
    size = max(1, -(-len(pairs) // most))
    groups = [pairs[at : at + size] for at in range(0, len(pairs), size)]
    return tuple(
        Bin(len(each), sum(c for c, _ in each) / len(each), sum(m for _, m in each) / len(each))
        for each in groups
    )
