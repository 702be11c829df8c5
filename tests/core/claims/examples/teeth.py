"""Examples of the checks of dental services."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

from tests.core.claims.examples.example import BABY, BRIDGE, CROWN, Example
from tests.core.claims.sound_claims import (
    dental,
    line,
    small_patient,
)
from tests.x12_samples import DAY
from zax.core.claims.parts import (
    Dates,
    OrthodonticPlan,
)

EXAMPLES = [
    # Teeth
    Example("dental-code-well-formed", "lines.1.code", dental(line("2740")), dental(line("D0120"))),
    Example("tooth-given", "lines.1.tooth", dental(line("D7140")), dental(line("D7140", tooth="1"))),
    Example(
        "tooth-exists", "lines.1.tooth", dental(line("D7140", tooth="33")), dental(line("D7140", tooth="32"))
    ),
    Example("surfaces-given", "lines.1.surfaces", dental(line("D2391", tooth="14")), dental()),
    Example(
        "surfaces-counted",
        "lines.1.surfaces",
        dental(line("D2392", tooth="14", surfaces="MOD")),
        dental(line("D2394", tooth="14", surfaces="MODBL")),
    ),
    Example(
        "surfaces-exist",
        "lines.1.surfaces",
        dental(line("D2391", tooth="14", surfaces="I")),
        dental(line("D2330", tooth="8", surfaces="I")),
    ),
    Example(
        "code-fits-tooth",
        "lines.1.code",
        dental(line("D3330", tooth="8")),
        dental(line("D3330", tooth="14")),
    ),
    Example(
        "tooth-fits-age",
        "lines.1.tooth",
        dental(line("D7140", tooth="A")),
        small_patient(line("D7140", tooth="A")),
    ),
    Example("cleaning-fits-age", "lines.1.code", dental(line("D1120")), small_patient(line("D1120"))),
    Example(
        "service-fits-the-child",
        "lines.1.code",
        small_patient(line("D0145")),
        small_patient(line("D0145"), patient=BABY),
    ),
    Example(
        "service-fits-the-child",
        "lines.1.code",
        dental(line("D1351", tooth="14")),
        small_patient(line("D1351", tooth="14")),
    ),
    Example("quadrant-given", "lines.1.area", dental(line("D4341")), dental(line("D4341", area="10"))),
    Example(
        "area-exists",
        "lines.1.area",
        dental(line("D5110", area="77", first_placement=True), missing_teeth=("1",)),
        dental(line("D5110", area="01", first_placement=True), missing_teeth=("1",)),
    ),
    Example(
        "placement-given", "lines.1.prosthesis", dental(replace(CROWN, first_placement=None)), dental(CROWN)
    ),
    Example(
        "earlier-placement-dated",
        "lines.1.prosthesis.prior_date",
        dental(replace(CROWN, first_placement=False)),
        dental(replace(CROWN, first_placement=False, placed_before=date(2012, 1, 1))),
    ),
    Example(
        "earlier-placement-dated",
        "lines.1.prosthesis.prior_date",
        dental(replace(CROWN, first_placement=False, placed_before=DAY)),
        dental(CROWN),
    ),
    Example(
        "first-placement-replaces-nothing",
        "lines.1.prosthesis",
        dental(replace(CROWN, placed_before=date(2012, 1, 1))),
        dental(CROWN),
    ),
    Example("missing-teeth-listed", "missing_teeth", dental(BRIDGE), dental(BRIDGE, missing_teeth=("3",))),
    Example(
        "tooth-still-there",
        "lines.1.tooth",
        dental(missing_teeth=("14",)),
        dental(missing_teeth=("15",)),
    ),
    Example(
        "braces-described",
        "ortho.months",
        dental(line("D8080"), dates=Dates(appliance=DAY)),
        dental(line("D8080"), dates=Dates(appliance=DAY), braces=OrthodonticPlan(24, 24)),
    ),
    Example(
        "braces-months-fit",
        "ortho.months_left",
        dental(braces=OrthodonticPlan(24, 25)),
        dental(braces=OrthodonticPlan(24, 24)),
    ),
    Example(
        "one-exam-a-day",
        "lines.2",
        dental(line("D0120"), line("D0150", number="L2")),
        dental(line("D0120"), line("D0140", number="L2")),
    ),
    Example(
        "cleaning-beside-deep-cleaning",
        "lines.1",
        dental(line("D1110"), line("D4341", area="10")),
        dental(line("D1110"), line("D4355")),
    ),
    Example(
        "bitewings-beside-full-set",
        "lines.1",
        dental(line("D0274"), line("D0210")),
        dental(line("D0274"), line("D0330")),
    ),
    Example(
        "nothing-on-a-tooth-taken-out",
        "lines.1.tooth",
        dental(line("D2391", tooth="14", surfaces="O"), line("D7140", tooth="14")),
        dental(line("D2391", tooth="14", surfaces="O"), line("D7140", tooth="15")),
    ),
]
