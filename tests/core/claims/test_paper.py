"""A claim on paper: every form's boxes by their official numbers, for any claim the guides allow."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

from hypothesis import given, settings

from tests.claim_strategies import any_claim
from tests.core.claims.sound_claims import INES, NADIA, dental, hospital, line, medical
from zax.core.claims.claim import Claim, Frequency
from zax.core.claims.paper import PaperClaim, on_paper
from zax.core.claims.parts import Accident, Dates, Drug, OrthodonticPlan


def boxes(paper: PaperClaim) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for box in paper.boxes:
        found.setdefault(box.number, []).append(box.value)
    return found


def cells(paper: PaperClaim) -> dict[str, str]:
    return {f"{n} {words}": cell for (n, words), cell in zip(paper.columns, paper.rows[0], strict=True)}


@settings(max_examples=200, deadline=None)
@given(any_claim)
def test_any_claim_prints_with_every_service_and_its_total(claim: Claim) -> None:
    paper = on_paper(claim)
    assert len(paper.rows) == len(claim.lines)
    assert all(len(row) == len(paper.columns) for row in paper.rows)
    assert all(box.value and box.number and box.words for box in paper.boxes)
    said = [box.value for box in paper.boxes]
    assert claim.subscriber.member_id in said and claim.number in said
    assert claim.billing.identifier in said


def test_a_professional_claim_has_its_boxes() -> None:
    drug = line("J3301", drug=Drug("00003029305", "1", "ML"), emergency=True, place="22", rendering=NADIA)
    paper = on_paper(
        medical(
            replace(drug, pointers=(2, 1), modifiers=("RT",)),
            accident=Accident(("AA",), date(2026, 11, 1), "WA"),
            dates=Dates(onset=date(2026, 11, 1)),
            frequency=Frequency.CORRECTED,
            payer_claim="P9",
            authorization="A7",
        )
    )
    found = boxes(paper)
    assert (found["1a"], found["2"], found["11"], found["23"]) == (
        ["HG31806"],
        ["Vasquez, Helen"],
        ["G104"],
        ["A7"],
    )
    assert (found["10a"], found["10b"], found["10c"]) == (["no"], ["yes", "WA"], ["no"])
    assert (found["21A"], found["21B"], found["22"]) == (["J02.9"], ["R05.1"], ["7", "P9"])
    assert (found["28"], found["31"]) == (["128.00"], ["on file: Ines Calloway"])
    row = cells(paper)
    assert (row["24D code"], row["24D modifiers"], row["24E for"]) == ("J3301", "RT", "BA")
    assert (row["24B place"], row["24C emergency"], row["24J NPI"]) == ("22", "Y", NADIA.npi)
    assert row["24 drug"] == "N400003029305 ML1"


def test_a_dental_claim_has_its_boxes() -> None:
    crown = line("D2740", tooth="3", first_placement=False, placed_before=date(2015, 5, 10))
    found = boxes(
        on_paper(
            dental(
                crown,
                missing_teeth=("1", "16"),
                braces=OrthodonticPlan(24, 18),
                dates=Dates(appliance=date(2026, 1, 2)),
            )
        )
    )
    assert (found["43"], found["33"], found["42"], found["54"]) == (["yes"], ["1 16"], ["18"], [INES.npi])
    assert found["44"] and found["41"] and found["1"] == ["of work that was done"]


def test_a_facility_claim_has_its_locators() -> None:
    found = boxes(on_paper(hospital()))
    assert (found["4"], found["13"], found["17"], found["69"]) == (["0111"], ["10"], ["01"], ["J18.9"])
    assert found["76"] == [f"Nadia Ferro {NADIA.npi}"]
    assert cells(on_paper(hospital()))["42 revenue"] == "0120"
