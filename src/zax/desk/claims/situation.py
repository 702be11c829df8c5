"""What the checks have to know around a claim, gathered from the record: plan, payer, earlier services."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from zax.core.claims.claim import Claim, ClaimLine, Form
from zax.core.claims.situation import EarlierService, KnownDiagnosis, PlanHolder, Situation, payer_kind
from zax.core.coverage.estimate import Cover
from zax.core.coverage.limits import Wanted, payable
from zax.desk.claims.about import About
from zax.desk.claims.rules import rules_for
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.approvals import approvals_for
from zax.desk.coverage.estimate_inputs import counting_on, covers_for
from zax.desk.coverage.parties import subscriber_of
from zax.store.charges.lines import diagnoses_of
from zax.store.coverage.queries import coverages_of, done_lines
from zax.store.coverage.records import Coverage, DoneLine
from zax.store.engine import Connection

_RANKS = "PST"


def situation_of(
    connection: Connection,
    clinic: Clinic,
    about: About,
    coverage: Coverage,
    claim: Claim,
    today: date,
    claim_id: int = 0,
) -> Situation:
    """Everything the checks ask about besides the claim itself; `claim_id` is 0 while it is not on file."""
    payer = clinic.payers[coverage.payer_id]
    dental = claim.form is Form.DENTAL
    on_file = coverages_of(connection, [about.patient_id])
    return Situation(
        today=today,
        payer_kind=payer_kind(payer.filing_indicator),
        coverage_from=coverage.from_day,
        coverage_to=coverage.to_day,
        filing_days=payer.filing_days,
        needs=frozenset(payer.required),
        authorized_codes=clinic.plans[coverage.plan_id].benefits.needs_authorization,
        approvals=approvals_for(connection, about.patient_id, coverage.id, claim_id),
        history=tuple(
            _earlier(clinic, about, line)
            for line in done_lines(connection, [about.patient_id], dental, about.day, about.visit_id)
        ),
        plans=_plans(connection, clinic, on_file, coverage, about.day),
        diagnoses=_known(connection, claim.diagnoses),
        rules=rules_for(connection, coverage.payer_id),
        over_limits=_over_limits(connection, clinic, about, coverage, claim, on_file),
    )


def _earlier(clinic: Clinic, about: About, line: DoneLine) -> EarlierService:
    ours, theirs = clinic.providers[about.provider_id], clinic.providers[line.provider_id]
    return EarlierService(
        day=line.day,
        code=line.code,
        tooth=line.tooth,
        area=line.area,
        same_clinician=ours.id == theirs.id,
        same_specialty=ours.taxonomy == theirs.taxonomy,
        open_claim=True,
    )


def _plans(
    connection: Connection, clinic: Clinic, on_file: Sequence[Coverage], coverage: Coverage, day: date
) -> tuple[PlanHolder, ...]:
    """The patient's plans of that kind on the day, in their order."""
    return tuple(
        PlanHolder(
            _RANKS[min(at, 2)],
            row.payer_name,
            subscriber_of(connection, row).birth,
            row.relationship,
            clinic.payers[row.payer_id].electronic_id,
        )
        for at, row in enumerate(counting_on(on_file, coverage.dental, day))
    )


def _known(connection: Connection, codes: Sequence[str]) -> dict[str, KnownDiagnosis]:
    return {
        each.code.replace(".", ""): KnownDiagnosis(each.billable, each.words)
        for each in diagnoses_of(connection, codes)
    }


def _over_limits(
    connection: Connection,
    clinic: Clinic,
    about: About,
    coverage: Coverage,
    claim: Claim,
    on_file: Sequence[Coverage],
) -> dict[str, str]:
    """By line, which limit of the plan keeps it from paying: how often, age, waiting time, missing tooth."""
    patient = (about.patient_id, about.birth)
    dental = coverage.dental
    rows, covers = covers_for(
        connection, clinic, patient, dental, about.day, about.provider_id, about.visit_id, on_file
    )
    cover = next((c for row, c in zip(rows, covers, strict=True) if row.id == coverage.id), None)
    if cover is None:
        return {}
    found = {line.number: _why_not(clinic, cover, line, about.day) for line in claim.lines}
    return {number: why for number, why in found.items() if why}


def _why_not(clinic: Clinic, cover: Cover, line: ClaimLine, day: date) -> str:
    category = clinic.categories.get(line.code, "")
    wanted = Wanted(
        code=line.code,
        category=category,
        day=day,
        tooth=line.tooth,
        area=line.area,
        units=int(line.units),
        authorized=True,
    )
    why = payable(cover.benefits, cover.insured, wanted, cover.used.done).why
    return f"the plan doesn’t pay it: {why}." if why else ""
