"""Examples of the checks of medical services."""

from __future__ import annotations

from dataclasses import replace

from tests.core.claims.examples.example import MEDICARE, OLD, SHOT, STITCH, VACCINE, VISIT, Example
from tests.core.claims.sound_claims import (
    NADIA,
    child,
    line,
    medical,
    situation,
)
from tests.x12_samples import DAY
from zax.core.claims.parts import (
    Dates,
    Drug,
)

EXAMPLES = [
    # Medical services
    Example("code-well-formed", "lines.1.code", medical(line("9921")), medical(line("J1885"))),
    Example("place-given", "place", medical(place_of_service=""), medical()),
    Example(
        "modifiers-well-formed",
        "lines.1.modifiers",
        medical(line("99213", modifiers=("2",))),
        medical(line("99213", modifiers=("25",))),
    ),
    Example(
        "modifiers-once",
        "lines.1.modifiers",
        medical(line("20610", modifiers=("59", "59"))),
        medical(line("20610", modifiers=("59",))),
    ),
    Example(
        "modifiers-agree",
        "lines.1.modifiers",
        medical(line("20610", modifiers=("LT", "RT"))),
        medical(line("20610", modifiers=("LT",))),
    ),
    Example(
        "visit-modifiers-on-visits",
        "lines.1.modifiers",
        medical(line("20610", modifiers=("25",))),
        medical(line("99396", modifiers=("25",))),
    ),
    Example(
        "procedure-modifier-on-procedures",
        "lines.1.modifiers",
        medical(line("99213", modifiers=("59",))),
        medical(line("20610", modifiers=("59",))),
    ),
    Example(
        "visit-with-procedure-marked",
        "lines.1.modifiers",
        medical(VISIT, STITCH),
        medical(replace(VISIT, modifiers=("25",)), STITCH),
    ),
    Example(
        "visit-with-vaccine-marked",
        "lines.1.modifiers",
        medical(VISIT, SHOT, VACCINE),
        medical(replace(VISIT, modifiers=("25",)), SHOT, VACCINE),
    ),
    Example(
        "possible-by-video",
        "lines.1",
        medical(line("20610", modifiers=("95",)), place_of_service="10"),
        medical(line("99213", modifiers=("95",)), place_of_service="10"),
    ),
    Example(
        "video-has-its-place",
        "lines.1.place",
        medical(line("99213", modifiers=("95",))),
        medical(line("99213", modifiers=("95",), place="02")),
    ),
    Example("place-fits-visit", "lines.1.place", medical(line("99283")), medical(line("99283", place="23"))),
    Example(
        "medicare-therapy-marked",
        "lines.1.modifiers",
        medical(line("97110"), subscriber=OLD, referring=NADIA),
        medical(line("97110", modifiers=("GP",)), subscriber=OLD, referring=NADIA),
        MEDICARE,
    ),
    Example(
        "medicare-adjustment-marked",
        "lines.1.modifiers",
        medical(line("98940"), subscriber=OLD, dates=Dates(first_treated=DAY)),
        medical(line("98940", modifiers=("AT",)), subscriber=OLD, dates=Dates(first_treated=DAY)),
        MEDICARE,
    ),
    Example(
        "vaccine-was-given",
        "lines.1",
        medical(VACCINE, diagnoses=("Z23",)),
        medical(VACCINE, SHOT, diagnoses=("Z23",)),
    ),
    Example(
        "what-was-given-is-named",
        "lines.1",
        medical(SHOT, diagnoses=("Z23",)),
        medical(SHOT, VACCINE, diagnoses=("Z23",)),
    ),
    Example(
        "first-before-further",
        "lines.1.code",
        medical(line("90472"), VACCINE, diagnoses=("Z23",)),
        medical(line("90472"), SHOT, VACCINE, diagnoses=("Z23",)),
    ),
    Example(
        "clia-given",
        "clia",
        medical(line("87880", modifiers=("QW",))),
        medical(line("87880", modifiers=("QW",)), clia="06D1234567"),
    ),
    Example("clia-well-formed", "clia", medical(clia="06X1234567"), medical(clia="06D1234567")),
    Example(
        "drug-named",
        "lines.1.ndc",
        medical(line("J3301")),
        medical(line("J3301", drug=Drug("00003029305", "1", "ML"))),
        situation(needs=frozenset({"ndc"})),
    ),
    Example(
        "drug-code-well-formed",
        "lines.1.ndc.code",
        medical(line("J3301", drug=Drug("0003029305", "1", "ML"))),
        medical(line("J3301", drug=Drug("00003-0293-05", "1", "ML"))),
    ),
    Example(
        "drug-quantity-given",
        "lines.1.ndc.quantity",
        medical(line("J3301", drug=Drug("00003029305", "", "ML"))),
        medical(line("J3301", drug=Drug("00003029305", "2.5", "ML"))),
    ),
    Example(
        "drug-quantity-given",
        "lines.1.ndc.unit",
        medical(line("J3301", drug=Drug("00003029305", "1", "CC"))),
        medical(line("J3301", drug=Drug("00003029305", "1", "UN"))),
    ),
    Example("service-fits-sex", "lines.1.code", medical(line("55700")), medical(line("58100"))),
    Example("preventive-visit-fits-age", "lines.1.code", child(line("99395")), child(line("99393"))),
    Example(
        "both-sides-counted-once",
        "lines.1.units",
        medical(line("20610", modifiers=("50",), units=2)),
        medical(line("20610", modifiers=("50",))),
    ),
]
