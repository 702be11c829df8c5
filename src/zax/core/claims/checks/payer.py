"""A payer’s own rules, as a biller wrote them: one check of each strength speaks the rules’ sentences."""

from __future__ import annotations

from collections.abc import Iterator

from zax.core.claims.checks.registry import ODD, STOP, Problem, check
from zax.core.claims.claim import Claim
from zax.core.claims.finding import Strength
from zax.core.claims.payer_rules import broken
from zax.core.claims.situation import Situation


def _of(claim: Claim, situation: Situation, strength: Strength) -> Iterator[Problem]:
    for rule in situation.rules:
        if rule.strength is strength:
            for path in broken(rule, claim):
                yield Problem(path, rule.sentence)


@check(STOP, "PDI", "the payer’s own rules")
def payer_rejects(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """What the payer rejects, by its rules in Setup."""
    yield from _of(claim, situation, STOP)


@check(ODD, "PDI", "the payer’s own rules")
def payer_asks_about(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """What the payer asks about, by its rules in Setup."""
    yield from _of(claim, situation, ODD)
