"""What a claim says, read fresh from the record, so that what was completed since counts; and what the claim
of a visit would say if it were finished now. Both are put together by the same function, so that a page never
promises a claim that finishing then holds back.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.charges.lines import pointed
from zax.core.claims.check import Finding, check_claim
from zax.core.claims.claim import Claim, ClaimLine, Clinician
from zax.core.clinic.providers import Provider
from zax.core.x12.parties import Organization
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.parties import person_of, subscriber_of
from zax.desk.money.ledger import Bill
from zax.store.book.records import Visit
from zax.store.claims.claims import ClaimRow
from zax.store.coverage.queries import one_coverage
from zax.store.coverage.records import Coverage
from zax.store.engine import Connection
from zax.store.money import queries as money
from zax.store.money.records import ServiceLine


@dataclass(frozen=True, slots=True)
class ComingClaim:
    """The claim that finishing makes, over so many `cents`; with `findings` it is held back."""

    cents: int
    findings: Sequence[Finding]


def coming_claim(
    connection: Connection, clinic: Clinic, visit: Visit, bill: Bill, today: date
) -> ComingClaim | None:
    """What finishing the visit now would send; None when nothing goes to an insurer."""
    lines = going_lines(bill)
    if bill.coverage is None or not lines:
        return None
    dental = clinic.types[visit.type_id].dental
    claim = _claim(connection, clinic, visit, bill.coverage, lines, dental=dental)
    return ComingClaim(sum(cents for _, cents in lines), check_claim(claim, today))


def claim_of(connection: Connection, clinic: Clinic, row: ClaimRow, visit: Visit) -> Claim:
    """Everything a claim says."""
    coverage = one_coverage(connection, row.coverage_id)
    assert coverage is not None, "a claim names its coverage"
    lines = [(line, line.cents) for line in money.claim_lines(connection, row.id)]
    return _claim(connection, clinic, visit, coverage, lines, dental=row.dental, number=row.number)


def going_lines(bill: Bill) -> list[tuple[ServiceLine, int]]:
    """The services that go to the insurer, each with the cents claimed for it."""
    return [
        (line, line.fee_cents * line.units)
        for line, each in zip(bill.lines, bill.estimates, strict=True)
        if line.billed and each.fee
    ]


def _claim(
    connection: Connection,
    clinic: Clinic,
    visit: Visit,
    coverage: Coverage,
    lines: Sequence[tuple[ServiceLine, int]],
    *,
    dental: bool,
    number: str = "",
) -> Claim:
    payer = clinic.payers[clinic.plans[coverage.plan_id].payer_id]
    patient = person_of(connection, visit.patient_id, coverage.member_id)
    own = coverage.relationship == "18"
    diagnoses = () if dental else tuple(d.code for d in money.visit_diagnoses(connection, visit.id))
    place = lines[0][0].place if lines and lines[0][0].place else clinic.sites[visit.site_id].place
    return Claim(
        number=number,
        dental=dental,
        payer=Organization(name=payer.name, identifier=payer.electronic_id),
        filing_indicator=payer.filing_indicator,
        group_number=coverage.group_number,
        relationship=coverage.relationship,
        subscriber=patient if own else subscriber_of(connection, coverage),
        patient=patient,
        clinician=_clinician(clinic.providers[visit.provider_id]),
        place_of_service=place,
        lines=tuple(_claim_line(clinic, line, cents, visit, diagnoses, place) for line, cents in lines),
        diagnoses=diagnoses,
        coverage_from=coverage.from_day,
        coverage_to=coverage.to_day,
        filing_days=payer.filing_days,
        needs_group="group" in payer.required,
    )


def _clinician(provider: Provider) -> Clinician:
    return Clinician(provider.first, provider.last, provider.npi, provider.taxonomy)


def _claim_line(
    clinic: Clinic, line: ServiceLine, cents: int, visit: Visit, diagnoses: Sequence[str], place: str
) -> ClaimLine:
    """A charge line as its claim says it; people and place only where they differ from the claim's."""
    rendering = clinic.providers[line.provider_id] if line.provider_id != visit.provider_id else None
    supervising = clinic.providers[line.supervising_id] if line.supervising_id else None
    return ClaimLine(
        number=f"L{line.id}",
        code=clinic.services[line.service_id].code,
        cents=cents,
        units=line.units,
        day=visit.day,
        modifiers=tuple(line.modifiers.split()),
        pointers=pointed(line.points_to, diagnoses),
        tooth=line.tooth,
        surfaces=line.surfaces,
        area=line.area,
        place=line.place if line.place != place else "",
        rendering=_clinician(rendering) if rendering else None,
        supervising=_clinician(supervising) if supervising else None,
    )
