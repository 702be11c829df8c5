"""Examples of the checks of institutional claims, earlier services and a payer’s own rules."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta

from tests.core.claims.examples.example import CROWN, GROUP_RULE, STITCH, Example, earlier
from tests.core.claims.sound_claims import (
    HELEN,
    INES,
    STAY,
    dental,
    hospital,
    line,
    medical,
    outpatient,
    situation,
)
from tests.x12_samples import DAY
from zax.core.claims.claim import Frequency
from zax.core.claims.finding import Strength
from zax.core.claims.parts import (
    Happened,
)
from zax.core.claims.payer_rules import Condition, PayerRule

EXAMPLES = [
    # Institutional
    Example("bill-type-given", "bill_type", hospital(bill_type=""), hospital()),
    Example(
        "revenue-code-given",
        "lines.1.revenue",
        outpatient(line("99283", revenue="450", pointers=())),
        outpatient(),
    ),
    Example(
        "institutional-code-well-formed",
        "lines.1.code",
        outpatient(line("D0120", revenue="0450")),
        outpatient(),
    ),
    Example(
        "outpatient-line-coded",
        "lines.1.code",
        outpatient(line("", revenue="0450", pointers=())),
        outpatient(),
    ),
    Example("statement-in-order", "statement", hospital(stay=None), hospital()),
    Example(
        "statement-in-order",
        "statement",
        hospital(stay=replace(STAY, last=STAY.first - timedelta(1))),
        hospital(),
    ),
    Example(
        "lines-within-statement",
        "lines.1.from",
        outpatient(line("99283", revenue="0450", day=date(2026, 11, 23), pointers=())),
        outpatient(),
    ),
    Example(
        "room-days-fit",
        "lines.1.units",
        hospital(stay=replace(STAY, discharge_status="30")),
        hospital(),
    ),
    Example(
        "admission-described",
        "admission.hour",
        hospital(stay=replace(STAY, admitted_hour="24")),
        hospital(stay=replace(STAY, admitted_hour="23")),
    ),
    Example(
        "discharge-status-given",
        "admission.discharge_status",
        hospital(stay=replace(STAY, discharge_status="")),
        hospital(),
    ),
    Example(
        "discharge-hour-given",
        "admission.discharge_hour",
        hospital(stay=replace(STAY, discharge_hour="")),
        hospital(
            line("", revenue="0120", units=4, day=STAY.first, last=STAY.last, pointers=()),
            stay=replace(STAY, discharge_hour="", discharge_status="30"),
        ),
    ),
    Example(
        "admitting-diagnosis-given",
        "admission.diagnosis",
        hospital(stay=replace(STAY, admitting="")),
        outpatient(),
    ),
    Example(
        "reason-for-visit-given",
        "reason_for_visit",
        outpatient(stay=replace(STAY, first=DAY, last=DAY, reasons=())),
        outpatient(),
    ),
    Example("attending-named", "attending", hospital(attending=None), hospital()),
    Example(
        "operating-named",
        "operating",
        hospital(stay=replace(STAY, procedures=(Happened("0DTJ4ZZ", DAY),))),
        hospital(stay=replace(STAY, procedures=(Happened("0DTJ4ZZ", DAY),)), operating=INES),
    ),
    Example("present-on-admission-said", "diagnoses.1.poa", hospital(present=()), hospital()),
    # Earlier services
    Example(
        "not-twice-on-the-claim",
        "lines.2",
        medical(STITCH, replace(STITCH, number="L3")),
        medical(STITCH, replace(STITCH, number="L3", modifiers=("76",))),
    ),
    Example(
        "not-billed-before",
        "lines.1",
        medical(),
        medical(frequency=Frequency.CORRECTED, payer_claim="P9"),
        earlier("99213", DAY, open_claim=True),
    ),
    Example(
        "within-the-plans-limits",
        "lines.1",
        medical(),
        medical(),
        situation(over_limits={"L1": "the plan doesn’t pay it."}),
        situation(over_limits={"L2": "the plan doesn’t pay it."}),
    ),
    Example(
        "new-patient-is-new",
        "lines.1.code",
        medical(line("99203")),
        medical(line("99203")),
        earlier("99213", date(2023, 11, 25)),
        earlier("99213", date(2023, 11, 24)),
    ),
    Example(
        "visit-after-operation-marked",
        "lines.1.modifiers",
        medical(),
        medical(),
        earlier("27447", DAY - timedelta(90)),
        earlier("27447", DAY - timedelta(91)),
    ),
    Example(
        "maintenance-follows-treatment",
        "lines.1",
        dental(line("D4910")),
        dental(line("D4910")),
        situation(),
        earlier("D4341", date(2026, 1, 5)),
    ),
    Example(
        "replaced-after-five-years",
        "lines.1",
        dental(replace(CROWN, first_placement=False, placed_before=date(2021, 11, 25))),
        dental(replace(CROWN, first_placement=False, placed_before=date(2021, 11, 24))),
    ),
    Example(
        "known-crown-is-replaced",
        "lines.1.prosthesis",
        dental(CROWN),
        dental(replace(CROWN, first_placement=False, placed_before=date(2012, 1, 1))),
        earlier("D2750", date(2012, 1, 1), tooth="3"),
    ),
    Example(
        "tooth-not-taken-out-before",
        "lines.1.tooth",
        dental(),
        dental(),
        earlier("D7140", date(2020, 1, 1), tooth="14"),
        earlier("D7140", date(2020, 1, 1), tooth="15"),
    ),
    # The payer's own
    Example(
        "payer-rejects",
        "subscriber.member_id",
        medical(subscriber=replace(HELEN, member_id="XX1")),
        medical(),
        situation(rules=(GROUP_RULE,)),
    ),
    Example(
        "payer-asks-about",
        "lines.1.note",
        medical(),
        medical(line("99213", note="WHY")),
        situation(
            rules=(
                PayerRule(
                    field="lines.note",
                    condition=Condition.GIVEN,
                    strength=Strength.ODD,
                    sentence="It wants a note.",
                    codes=("992*",),
                ),
            )
        ),
    ),
]
