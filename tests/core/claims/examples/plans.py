"""Examples of the checks of other plans, providers and days."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta

from tests.core.claims.examples.example import (
    CLINIC,
    CROWN,
    MEDICARE,
    NO_NAME,
    OLD,
    Example,
    decided,
    other,
    second,
)
from tests.core.claims.sound_claims import (
    INES,
    NADIA,
    TODAY,
    dental,
    line,
    medical,
    situation,
)
from tests.x12_samples import BILLING, DAY
from zax.core.claims.claim import Rank
from zax.core.claims.parts import (
    Accident,
    Dates,
)

EXAMPLES = [
    # Other plans
    Example(
        "earlier-plan-answered",
        "other_payers",
        second(other(decided=False)),
        second(),
    ),
    Example(
        "earlier-plan-answered",
        "other_payers",
        second(rank=Rank.TERTIARY),
        second(other(), other(rank="S", payer_id="B"), rank=Rank.TERTIARY),
    ),
    Example("earlier-plan-named", "other_payers.1.id", second(other(payer_id="")), second()),
    Example("earlier-plan-named", "other_payers.1.subscriber", second(other(member_id="")), second()),
    Example("earlier-decision-dated", "other_payers.1.paid_on", second(other(decided_on=None)), second()),
    Example(
        "earlier-lines-balance",
        "other_payers.1.lines.1",
        second(other(adjusted=()), lines=(line("99213", decided=(decided(4799),)),)),
        second(other(adjusted=()), lines=(line("99213", decided=(decided(4800),)),)),
    ),
    Example(
        "earlier-payment-balances",
        "other_payers.1",
        second(other(paid_cents=8001)),
        second(),
    ),
    Example("something-left-to-ask", "other_payers", second(other(left_cents=0)), second()),
    Example("plans-in-order", "other_payers.1.rank", second(other(rank="S")), second()),
    # Providers
    Example(
        "npi-valid", "billing.npi", medical(billing=replace(BILLING, identifier="1234567890")), medical()
    ),
    Example("npi-valid", "rendering.npi", medical(clinician=replace(INES, npi="146756000")), medical()),
    Example(
        "npi-valid",
        "lines.1.ordering.npi",
        medical(line("99213", ordering=replace(NADIA, npi=""))),
        medical(line("99213", ordering=NADIA)),
    ),
    Example(
        "taxonomy-valid",
        "rendering.taxonomy",
        medical(clinician=replace(INES, taxonomy="DENTIST")),
        medical(clinician=replace(INES, taxonomy="")),
    ),
    Example(
        "tax-id-valid",
        "billing.tax_id",
        medical(billing=replace(BILLING, tax_id="91123456")),
        medical(billing=replace(BILLING, tax_id="91-1234567")),
    ),
    Example(
        "billing-street",
        "billing.address",
        medical(billing=replace(BILLING, address=replace(BILLING.address, street="P.O. Box 7"))),
        medical(billing=replace(BILLING, address=replace(BILLING.address, street="7 Boxwood St"))),
    ),
    Example(
        "billing-address-complete",
        "billing.address.zip",
        medical(billing=replace(BILLING, address=replace(BILLING.address, zip="98201"))),
        medical(billing=replace(BILLING, address=replace(BILLING.address, zip="98201-5518"))),
    ),
    Example(
        "rendering-named",
        "rendering",
        medical(clinician=None),
        medical(line("99213", rendering=INES), clinician=None),
    ),
    Example(
        "referral-given",
        "referral",
        medical(),
        medical(referring=NADIA),
        situation(needs=frozenset({"referral"})),
    ),
    Example(
        "medicare-order-named",
        "lines.1.ordering",
        medical(line("71046"), subscriber=OLD),
        medical(line("71046", ordering=NADIA), subscriber=OLD),
        MEDICARE,
    ),
    Example("facility-complete", "service_facility", medical(facility=NO_NAME), medical(facility=CLINIC)),
    Example(
        "facility-named",
        "service_facility",
        medical(place_of_service="22"),
        medical(place_of_service="22", facility=CLINIC),
    ),
    Example("supervisor-is-another", "supervising", medical(supervising=INES), medical(supervising=NADIA)),
    # Days
    Example("service-dated", "lines.1.from", dental(line("D0120", day=None)), dental(line("D0120"))),
    Example(
        "planned-work-not-dated",
        "lines.1.from",
        dental(CROWN, predetermination=True),
        dental(replace(CROWN, day=None), predetermination=True),
    ),
    Example(
        "service-not-in-future",
        "lines.1.from",
        medical(line("99213", day=TODAY + timedelta(1))),
        medical(line("99213", day=TODAY)),
    ),
    Example(
        "service-ends-after-it-begins",
        "lines.1.to",
        medical(line("99213", last=DAY - timedelta(1))),
        medical(line("99213", last=DAY + timedelta(1))),
    ),
    Example(
        "service-within-a-month",
        "lines.1.to",
        medical(line("97110", last=TODAY)),
        medical(line("97110", last=date(2026, 11, 30))),
    ),
    Example("accident-dated", "accident.date", medical(accident=Accident(("OA",))), medical()),
    Example(
        "auto-accident-placed",
        "accident.state",
        medical(accident=Accident(("AA",), DAY)),
        medical(accident=Accident(("AA",), DAY, "WA")),
    ),
    Example(
        "accident-kind-known",
        "accident.related",
        medical(accident=Accident(("XX",), DAY)),
        medical(accident=Accident(("EM",), DAY)),
    ),
    Example(
        "accident-before-service",
        "accident.date",
        medical(accident=Accident(("OA",), DAY + timedelta(1))),
        medical(accident=Accident(("OA",), DAY)),
    ),
    Example(
        "onset-before-service",
        "dates.onset",
        medical(dates=Dates(onset=DAY + timedelta(1))),
        medical(dates=Dates(onset=DAY)),
    ),
    Example(
        "inpatient-admission-given",
        "admission.date",
        medical(line("99232"), place_of_service="21", facility=CLINIC),
        medical(line("99232"), place_of_service="21", facility=CLINIC, dates=Dates(admitted=DAY)),
    ),
    Example(
        "discharge-after-admission",
        "admission.discharge_date",
        medical(dates=Dates(admitted=DAY, discharged=DAY - timedelta(1))),
        medical(dates=Dates(admitted=DAY, discharged=DAY)),
    ),
    Example(
        "disability-in-order",
        "dates.disabled_to",
        medical(dates=Dates(disabled_from=DAY, disabled_to=DAY - timedelta(1))),
        medical(dates=Dates(disabled_to=DAY)),
    ),
    Example(
        "first-treatment-given",
        "initial_treatment",
        medical(line("98940", modifiers=("AT",)), subscriber=OLD),
        medical(line("98940", modifiers=("AT",)), subscriber=OLD, dates=Dates(first_treated=DAY)),
        MEDICARE,
    ),
]
