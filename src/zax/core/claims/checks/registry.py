"""Every check is a small function, registered with its id, strength, the forms it is for and the source of
its rule; its docstring is the rule in one sentence. docs/claim-checks.md is made from what stands here.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from zax.core.claims.claim import Claim, Form
from zax.core.claims.finding import Strength
from zax.core.claims.situation import Situation

STOP, ODD = Strength.STOP, Strength.ODD


@dataclass(frozen=True, slots=True)
class Problem:
    """What a check says: the path of what is wrong, the sentence, and what to do."""

    about: str
    message: str
    remedy: str = ""


Look = Callable[[Claim, Situation], Iterator[Problem]]


@dataclass(frozen=True, slots=True)
class Check:
    id: str
    strength: Strength
    forms: frozenset[Form]
    source: str
    rule: str
    look: Look


CHECKS: list[Check] = []


def check(strength: Strength, forms: str, source: str) -> Callable[[Look], Look]:
    """Registers a check; `forms` are letters of P, D and I."""

    def register(look: Look) -> Look:
        rule = " ".join((look.__doc__ or "").split())
        name = look.__name__.replace("_", "-")
        CHECKS.append(Check(name, strength, frozenset(Form(each) for each in forms), source, rule, look))
        return look

    return register
