"""What of a claim goes along to other days, and that nothing is left behind without a word."""

from __future__ import annotations

from dataclasses import fields, replace
from datetime import date
from typing import Any

import pytest

from zax.core.claims.carried import Carried, CarriedLine
from zax.core.claims.claim import Clinician
from zax.core.claims.copying import what_holds
from zax.core.claims.parts import (
    Accident,
    Attachment,
    Dates,
    Drug,
    LineDecision,
    OrthodonticPlan,
    OtherCoverage,
    Stay,
)
from zax.core.x12.parties import Organization

DAY = date(2026, 10, 1)
WREN = Clinician("Tobias", "Wren", "1467560029", "1223G0001X")
OTHER = OtherCoverage(
    rank="P",
    relationship="18",
    payer_name="X",
    payer_id="X1",
    member_id="M",
    first="",
    last="",
    filing_indicator="CI",
)
SAID: dict[str, Any] = {
    "payer_claim": "PC-1",
    "secondary_reason": "12",
    "authorization": "A1",
    "referral": "R1",
    "clia": "05D0",
    "note": "words",
    "delay_reason": "1",
    "paid_cents": 500,
    "accident": Accident(("OA",), DAY),
    "dates": Dates(onset=DAY, last_seen=DAY),
    "attachments": (Attachment("OZ", "EL", "N1"),),
    **dict.fromkeys(("referring", "supervising", "assistant", "attending", "operating"), WREN),
    "other_operating": WREN,
    "facility": Organization(name="Harbor Hospital", identifier="1467560003"),
    "braces": OrthodonticPlan(24, 12),
    "teeth_to_extract": ("3",),
    "bill_type": "13",
    "stay": Stay(first=DAY, last=DAY),
    "present": ("Y",),
    "others": (OTHER,),
    "files": (7,),
    "release": "N",
    "assignment": "N",
    "benefits": "N",
}
SAID_OF_LINE: dict[str, Any] = {
    "drug": Drug("00002831501", 1, "UN"),
    "note": "words",
    "minutes": 30,
    "emergency": True,
    "first_placement": False,
    "placed_before": DAY,
    "appliance_on": DAY,
    "ordering": WREN,
    "assistant": WREN,
    "purchased_npi": "1467560029",
    "purchased_cents": 100,
    "revenue": "0450",
    "decided": (LineDecision(payer_id="X1", paid_cents=1, code="D1110", units=1, day=DAY),),
}
# Nobody types these: they belong to the earlier file.
UNSAID = {"payer_claim", "secondary_reason", "decided", "files"}


@pytest.mark.parametrize("name", [each.name for each in fields(Carried) if each.name != "lines"])
def test_whatever_is_on_a_claim_goes_along_or_is_said_to_stay(name: str) -> None:
    """Kills: a field added to a claim that a copy loses without a word."""
    said = Carried(**{name: SAID[name]})
    holds = what_holds(said, {})
    assert holds.carried == said or holds.left_behind or name in UNSAID
    assert holds.carried in (said, replace(said, dates=Dates(onset=DAY)), Carried())


@pytest.mark.parametrize("name", [each.name for each in fields(CarriedLine)])
def test_whatever_is_on_a_service_goes_along_or_is_said_to_stay(name: str) -> None:
    said = Carried(lines={"L1": CarriedLine(**{name: SAID_OF_LINE[name]})})
    holds = what_holds(said, {"L1": "L9"})
    assert holds.carried.line("L9") == said.line("L1") or holds.left_behind or name in UNSAID
    assert not holds.carried.line("L1").note


def test_what_belongs_to_one_day_is_named_once() -> None:
    said = Carried(
        authorization="A1",
        attachments=(Attachment("OZ", "EL", "N1"),) * 2,
        dates=Dates(onset=DAY, last_seen=DAY, admitted=DAY),
        lines={"L1": CarriedLine(emergency=True), "L2": CarriedLine(emergency=True)},
    )
    holds = what_holds(said, {"L1": "L8"})
    assert holds.left_behind == (
        "the attachments",
        "that it was an emergency",
        "dates of that visit alone",
    )
    assert holds.carried == Carried(authorization="A1", dates=Dates(onset=DAY), lines={"L8": CarriedLine()})
