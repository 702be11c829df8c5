"""Examples of the checks of people and coverage."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta

from tests.core.claims.examples.example import (
    APPROVED,
    FIRST_PLAN,
    MEDICARE,
    OLD,
    SECOND_PLAN,
    Example,
    born,
    lives,
    second,
)
from tests.core.claims.sound_claims import (
    HELEN,
    MATEO,
    child,
    line,
    medical,
    situation,
)
from tests.x12_samples import DAY
from zax.core.claims.claim import Frequency
from zax.core.claims.situation import PayerKind
from zax.core.x12.parties import Organization

EXAMPLES = [
    # People
    Example("name-given", "patient.last", medical(subscriber=replace(HELEN, last=" ")), medical()),
    Example("name-given", "patient.first", child(patient=replace(MATEO, first="")), child()),
    Example(
        "name-can-be-written",
        "patient.last",
        medical(subscriber=replace(HELEN, last="’-")),
        medical(subscriber=replace(HELEN, last="Đặng-Ærø")),
    ),
    Example(
        "name-fits",
        "patient.first",
        medical(subscriber=replace(HELEN, first="H" * 36)),
        medical(subscriber=replace(HELEN, first="H" * 35)),
    ),
    Example("name-fits", "patient.address.line1", lives(street="S" * 56), lives(street="S" * 55)),
    Example("birth-date-given", "patient.birth", born(None), born(date(1990, 1, 1))),
    Example(
        "sex-given",
        "patient.sex",
        child(patient=replace(MATEO, sex="")),
        child(patient=replace(MATEO, sex="U")),
    ),
    Example("address-complete", "patient.address", lives(zip=""), lives(zip="", state="", country="MX")),
    Example("state-and-zip-real", "patient.address.state", lives(state="XX"), lives(state="pr")),
    Example(
        "state-and-zip-real",
        "patient.address.zip",
        lives(zip="9820"),
        lives(zip="H2X 1K5", state="QC", country="CA"),
    ),
    Example("relationship-known", "patient.relation", child(relationship=""), child(relationship="G8")),
    Example("born-before-service", "patient.birth", born(DAY + timedelta(1)), born(DAY)),
    Example("age-plausible", "patient.birth", born(date(1900, 1, 1)), born(date(1920, 1, 1))),
    Example("alive-on-the-day", "lines.1.from", medical(died=DAY - timedelta(1)), medical(died=DAY)),
    # Coverage
    Example(
        "member-id-given", "subscriber.member_id", medical(subscriber=replace(HELEN, member_id="")), medical()
    ),
    Example(
        "member-id-fits",
        "subscriber.member_id",
        medical(subscriber=replace(HELEN, member_id="7")),
        medical(subscriber=replace(HELEN, member_id="77")),
    ),
    Example(
        "medicare-id-valid",
        "subscriber.member_id",
        medical(subscriber=replace(OLD, member_id="123456789A")),
        medical(subscriber=replace(OLD, member_id="1eg4-te5-mk73")),
        MEDICARE,
    ),
    Example(
        "group-given",
        "subscriber.group",
        medical(group_number=""),
        medical(),
        situation(needs=frozenset({"group"})),
    ),
    Example("payer-id-given", "payer.id", medical(payer=Organization(name="X", identifier=" ")), medical()),
    Example("payer-type-given", "payer.kind", medical(filing_indicator=""), medical()),
    Example(
        "coverage-active",
        "coverage.from",
        medical(),
        medical(),
        situation(coverage_from=DAY + timedelta(1)),
        situation(coverage_from=DAY),
    ),
    Example(
        "coverage-active",
        "coverage.to",
        medical(),
        medical(),
        situation(coverage_to=DAY - timedelta(1)),
        situation(coverage_to=DAY),
    ),
    Example(
        "filed-in-time",
        "lines.1.from",
        medical(),
        medical(),
        situation(filing_days=6),
        situation(filing_days=7),
    ),
    Example("filed-in-time", "lines.1.from", medical(), medical(delay_reason="7"), situation(filing_days=6)),
    Example("delay-reason-known", "delay_reason", medical(delay_reason="99"), medical(delay_reason="11")),
    Example(
        "authorization-given",
        "authorization",
        medical(),
        medical(authorization="A77"),
        situation(authorized_codes=frozenset({"99213"})),
    ),
    Example(
        "authorization-in-its-dates",
        "authorization",
        medical(line("99213", day=date(2026, 12, 1)), authorization="A77"),
        medical(line("99213", day=date(2026, 11, 30)), authorization="A77"),
        situation(approvals=(APPROVED,)),
    ),
    Example(
        "authorization-not-used-up",
        "referral",
        medical(referral="A77"),
        medical(referral="A77"),
        situation(approvals=(replace(APPROVED, used=1),)),
        situation(approvals=(APPROVED,)),
    ),
    Example(
        "replaced-claim-named",
        "payer_control_number",
        medical(frequency=Frequency.VOID),
        medical(frequency=Frequency.VOID, payer_claim="P9"),
    ),
    Example(
        "first-claim-names-none",
        "frequency",
        medical(payer_claim="P9"),
        medical(payer_claim="P9", frequency=Frequency.CORRECTED),
    ),
    Example(
        "birthday-rule-kept",
        "payer_rank",
        child(),
        child(),
        situation(plans=(FIRST_PLAN, SECOND_PLAN)),
        situation(plans=(replace(SECOND_PLAN, rank="P"), replace(FIRST_PLAN, rank="S"))),
    ),
    Example(
        "medicare-second-says-why",
        "other_payers.1.msp_type",
        second(subscriber=OLD),
        second(subscriber=OLD, secondary_reason="12"),
        MEDICARE,
    ),
    Example(
        "secondary-reason-known",
        "other_payers.1.msp_type",
        second(secondary_reason="99"),
        second(secondary_reason="47"),
    ),
    Example(
        "medicaid-last",
        "payer_rank",
        medical(),
        medical(),
        situation(payer_kind=PayerKind.MEDICAID, plans=(SECOND_PLAN,)),
        situation(payer_kind=PayerKind.MEDICAID, plans=(replace(SECOND_PLAN, payer_id="HGD01"),)),
    ),
]
