"""What was done, said in one breath: worked cases read as they stand in tests/cases, and what must hold for
anything typed.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.charges.lines import ServiceRule
from zax.core.charges.service_words import left_over, likeness, misfit, rank, take_apart, without_age
from zax.core.charges.teeth import AREAS, SURFACE_ORDER, TEETH, Numbering
from zax.demo.world import SERVICE_MORE, SERVICES

CASES: list[dict[str, Any]] = json.loads(
    (Path(__file__).parents[2] / "cases" / "service_search.json").read_text()
)["queries"]
# Which of the sample clinic's services are of a kind; a kind that it does not do has none.
OF_KIND = {
    "v05": {"D2392"},
    "v08": {"D2392"},
    "v10": {"D2330"},
    "v11": {"D2392", "D2391"},
    "v14": {"D2330", "D2391", "D2392"},
    "v16": {"D7140"},
    "v20": {"D7140"},
    "v21": {"D7140"},
    "v23": {"D4341"},
    "v25": {"D4341"},
    "v27": {"D0274"},
    "v29": {"D0274"},
    "v30": {"D0220"},
    "v34": {"D0120"},
    "v46": {"D2950"},
    "v55": {"99214"},
    "v56": {"99396"},
}
RULES = {
    code: ServiceRule(
        code=code,
        dental=dental,
        needs_tooth=tooth,
        surfaces=surfaces,
        teeth=SERVICE_MORE.get(code, {}).get("teeth", ""),
        area=SERVICE_MORE.get(code, {}).get("area", ""),
    )
    for code, _, dental, _, _, tooth, surfaces in SERVICES
}


def found(query: str, dental: bool) -> list[str]:
    typed = take_apart(query, Numbering.UNIVERSAL) if dental else None
    words = typed.words if typed else without_age(query)
    scored = [
        (rank(typed, RULES[code], alike) if typed else alike, code)
        for code, name, of_dental, *_ in SERVICES
        if of_dental == dental and (alike := likeness(words, code, name)) >= 75
    ]
    return [code for _, code in sorted(scored, key=lambda pair: -pair[0])]


@pytest.mark.parametrize("case", CASES, ids=[f"{c['id']}: {c['query']}" for c in CASES])
def test_cases_of_the_trade(case: dict[str, Any]) -> None:
    dental, fields = case["desk"] == "dental", case["fields"]
    typed = take_apart(case["query"], Numbering.UNIVERSAL) if dental else None
    if typed:
        assert list(typed.teeth) == fields.get("tooth", [])
        if "refuse" not in case:
            assert set(typed.surfaces) == set(fields.get("surfaces", ""))
        assert [AREAS[typed.area]] == fields["area"] if "area" in fields else typed.area == ""
        assert typed.number == fields.get("number", 0)
    if case["id"] in OF_KIND:
        assert found(case["query"], dental)[0] in OF_KIND[case["id"]]


def test_what_fits_the_tooth_and_its_surfaces_comes_first_and_nothing_is_dropped() -> None:
    typed = take_apart("3 MO filling", Numbering.UNIVERSAL)
    assert (typed.tooth, typed.surfaces, typed.words) == ("3", "MO", "filling")
    assert found("3 MO filling", True)[0] == "D2392" and {"D2391", "D2330"} <= set(
        found("3 MO filling", True)
    )
    assert "covers 1 surface, and you typed MO" in misfit(typed, RULES["D2391"], "White filling")
    assert misfit(typed, RULES["D2392"], "White filling") == ""
    assert "You typed tooth 3 MO," in left_over(typed, RULES["D0120"], Numbering.UNIVERSAL)
    assert "You typed tooth 16 MO," in left_over(typed, RULES["D0120"], Numbering.FDI)
    assert left_over(typed, RULES["D2392"], Numbering.UNIVERSAL) == ""


@given(st.text(max_size=50))
def test_any_text_is_taken_apart_without_losing_a_word(text: str) -> None:
    """Kills: a tooth that is none, a surface twice, a word that is neither looked for nor understood."""
    typed = take_apart(text, Numbering.UNIVERSAL)
    assert set(typed.teeth) <= set(TEETH) and (typed.tooth == (typed.teeth[0] if typed.teeth else ""))
    assert "".join(sorted(typed.surfaces, key=SURFACE_ORDER.index)) == typed.surfaces
    understood = len(typed.teeth) + bool(typed.surfaces) + bool(typed.area) + bool(typed.number)
    assert len(typed.words.split()) + understood >= len(text.replace(",", " ").split())
