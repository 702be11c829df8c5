"""Examples of the checks of amounts, papers and diagnoses."""

from __future__ import annotations

from dataclasses import replace

from tests.core.claims.examples.example import SHOT, VACCINE, VISIT, Example
from tests.core.claims.sound_claims import (
    NADIA,
    child,
    dental,
    line,
    medical,
)
from zax.core.claims.parts import (
    Attachment,
)

EXAMPLES = [
    # Amounts and papers
    Example("something-billed", "lines", replace(medical(), lines=()), medical()),
    Example(
        "lines-fit",
        "lines",
        medical(*[line("3074F", cents=0, number=f"L{n}", modifiers=("59",)) for n in range(51)]),
        medical(*[line("3074F", cents=0, number=f"L{n}", modifiers=("59",)) for n in range(50)]),
    ),
    Example(
        "diagnoses-fit",
        "diagnoses",
        dental(diagnoses=("J02.9", "R05.1", "I10", "Z23", "M17.11")),
        dental(diagnoses=("J02.9", "R05.1", "I10", "Z23")),
    ),
    Example("number-fits", "number", medical(number="C" * 21), medical(number="C" * 20)),
    Example("charge-fits", "lines.1.amount", medical(line("99213", cents=-1)), medical()),
    Example(
        "service-has-a-charge",
        "lines.1.amount",
        medical(line("99213", cents=0)),
        medical(line("3074F", cents=0)),
    ),
    Example("units-fit", "lines.1.units", medical(line("97110", units=0)), medical(line("97110"))),
    Example("visit-counts-once", "lines.1.units", medical(line("99213", units=2)), medical()),
    Example(
        "timed-units-plausible",
        "lines.1.units",
        medical(line("97110", units=33)),
        medical(line("97110", units=32)),
    ),
    Example(
        "anesthesia-in-minutes",
        "lines.1.minutes",
        medical(line("00810")),
        medical(line("00810", basis="MJ", units=45)),
    ),
    Example("anesthesia-in-minutes", "lines.1.minutes", medical(line("99213", basis="MJ")), medical()),
    Example(
        "paid-no-more-than-charged",
        "patient_paid",
        medical(paid_cents=12801),
        medical(paid_cents=12800),
    ),
    Example("note-fits", "note", medical(note="n" * 81), medical(note="n" * 80)),
    Example("note-fits", "lines.1.note", medical(line("99213", note="n" * 81)), medical()),
    Example(
        "papers-described",
        "attachments.1.number",
        dental(attachments=(Attachment("RB", "EL"),)),
        dental(attachments=(Attachment("RB", "AA"),)),
    ),
    Example(
        "papers-described",
        "attachments.1.type",
        dental(attachments=(Attachment("??", "EL", "1"),)),
        dental(attachments=(Attachment("P6", "EL", "1"),)),
    ),
    Example(
        "one-visit-a-day",
        "lines.2",
        medical(VISIT, line("99214", number="L2")),
        medical(VISIT, line("99214", number="L2", rendering=NADIA)),
    ),
    # Diagnoses
    Example("diagnosis-given", "diagnoses", medical(diagnoses=()), medical()),
    Example("diagnosis-well-formed", "diagnoses.1", medical(diagnoses=("COUGH",)), medical()),
    Example("diagnosis-in-the-list", "diagnoses.1", medical(diagnoses=("J02.0",)), medical()),
    Example("diagnosis-complete", "diagnoses.1", medical(diagnoses=("M54.5",)), medical()),
    Example("diagnosis-once", "diagnoses.2", medical(diagnoses=("I10", "I10")), medical()),
    Example(
        "cause-not-first",
        "diagnoses.1",
        medical(diagnoses=("W01.0XXA", "S13.4XXA")),
        medical(diagnoses=("S13.4XXA", "W01.0XXA")),
    ),
    Example("diagnosis-fits-sex", "diagnoses.1", medical(diagnoses=("N40.0",)), medical()),
    Example(
        "diagnosis-fits-age",
        "diagnoses.1",
        child(diagnoses=("Z00.00",)),
        child(diagnoses=("Z00.129",)),
    ),
    Example("service-points-somewhere", "lines.1.pointers", medical(line("99213", pointers=())), medical()),
    Example(
        "pointers-lead-somewhere",
        "lines.1.pointers",
        medical(line("99213", pointers=(3,))),
        medical(line("99213", pointers=(2, 1))),
    ),
    Example("pointers-once", "lines.1.pointers", medical(line("99213", pointers=(1, 1))), medical()),
    Example(
        "vaccine-has-its-reason",
        "diagnoses",
        medical(SHOT, VACCINE),
        medical(SHOT, VACCINE, diagnoses=("Z23",)),
    ),
]
