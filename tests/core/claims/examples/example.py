"""What an example of a check is, and what examples share."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from datetime import date
from typing import Any

from tests.core.claims.sound_claims import (
    HELEN,
    MATEO,
    line,
    medical,
    situation,
)
from tests.x12_samples import DAY, HOME
from zax.core.claims.claim import Claim, ClaimLine, Rank
from zax.core.claims.finding import Strength
from zax.core.claims.parts import (
    Adjusted,
    LineDecision,
    OtherCoverage,
)
from zax.core.claims.payer_rules import Condition, PayerRule
from zax.core.claims.situation import Approval, EarlierService, PayerKind, PlanHolder, Situation
from zax.core.x12.parties import Organization

MEDICARE = situation(payer_kind=PayerKind.MEDICARE)
OLD = replace(HELEN, birth=date(1950, 4, 12), member_id="1EG4TE5MK73")
BABY = replace(MATEO, birth=date(2025, 2, 20))


def earlier(code: str, day: date, **more: Any) -> Situation:
    return situation(history=(EarlierService(day=day, code=code, **more),))


def other(**changes: Any) -> OtherCoverage:
    values: dict[str, Any] = {
        "rank": "P",
        "relationship": "18",
        "payer_name": "Northmoor",
        "payer_id": "NM1",
        "member_id": "N77",
        "first": "HELEN",
        "last": "VASQUEZ",
        "filing_indicator": "CI",
        "decided": True,
        "decided_on": DAY,
        "paid_cents": 8000,
        "left_cents": 4800,
        "adjusted": (Adjusted("PR", "2", 4800),),
    }
    return OtherCoverage(**(values | changes))


def second(*others: OtherCoverage, lines: tuple[ClaimLine, ...] = (), **changes: Any) -> Claim:
    return medical(*lines, **({"rank": Rank.SECONDARY, "others": others or (other(),)} | changes))


def decided(cents: int) -> LineDecision:
    return LineDecision(
        payer_id="NM1",
        paid_cents=8000,
        code="99213",
        units=1,
        day=DAY,
        adjusted=(Adjusted("PR", "2", cents),),
    )


@dataclass(frozen=True)
class Example:
    """`trips` in its situation breaks the check `rule` about that path; `passes` does not."""

    rule: str
    about: str
    trips: Claim
    passes: Claim
    where: Situation = field(default_factory=situation)
    where_it_passes: Situation | None = None


VISIT, STITCH = line("99213"), line("20610", number="L2")
CROWN = line("D2740", tooth="3", first_placement=True)
BRIDGE = line("D6240", tooth="3", first_placement=True)
SHOT, VACCINE = line("90471", number="L2"), line("90656", number="L3")
FIRST_PLAN = PlanHolder("P", "Mother’s plan", date(1985, 4, 12), "19", "A")
SECOND_PLAN = PlanHolder("S", "Father’s plan", date(1987, 1, 20), "19", "B")
APPROVED = Approval("A77", date(2026, 11, 1), date(2026, 11, 30), units=1, used=0)
GROUP_RULE = PayerRule(
    field="subscriber.member_id",
    condition=Condition.SHAPED,
    value="HG*",
    strength=Strength.STOP,
    sentence="Its member IDs begin with HG.",
)
NO_NAME = Organization(name="", identifier="X")
CLINIC = Organization(name="Ferry Hospital", identifier="1234567893", address=HOME)


def born(day: date | None) -> Claim:
    return medical(subscriber=replace(HELEN, birth=day))


def lives(**changes: str) -> Claim:
    return medical(subscriber=replace(HELEN, address=replace(HOME, **changes)))
