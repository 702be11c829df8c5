"""What a claim says, read fresh from the record, so that what was completed since counts; and what the claims
of a visit would say if it were finished now. Both are put together by the same function, so that a page never
promises a claim that finishing then holds back. A predetermination is the same claim over planned services,
without their days.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date

from zax.core.charges.lines import pointed
from zax.core.charges.tooth_history import Known, ToothWork, Work, lost_teeth
from zax.core.claims.carried import Carried, carried_of, carry
from zax.core.claims.check import check_claim
from zax.core.claims.claim import Claim, ClaimLine, Clinician, Form, Frequency, Rank
from zax.core.claims.finding import Finding
from zax.core.claims.parts import Drug, Stay
from zax.core.claims.planned_answer import planned_number
from zax.core.claims.procedures import goes_with_lab_number, is_crown, is_prosthesis
from zax.core.claims.situation import Situation
from zax.core.claims.splitting import Charge, form_for, split
from zax.core.claims.states import CAN_BE_CHECKED
from zax.core.clinic.providers import Provider
from zax.core.clinic.services import Service
from zax.core.x12.parties import Organization
from zax.desk.claims.about import About, about_of, about_visit
from zax.desk.claims.situation import situation_of
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.parties import billing_of, person_of, subscriber_of
from zax.desk.money.ledger import Bill
from zax.store.book.records import Visit
from zax.store.claims.claims import ClaimRow
from zax.store.claims.predeterminations import AskedService, asked_services
from zax.store.coverage.queries import one_coverage
from zax.store.coverage.records import Coverage
from zax.store.engine import Connection
from zax.store.money import queries as money
from zax.store.money.records import ServiceLine
from zax.store.patients.tooth_history import tooth_history


@dataclass(frozen=True, slots=True)
class ComingClaim:
    """The claims that finishing makes, over so many `cents`; with `findings` one is held back."""

    cents: int
    findings: Sequence[Finding]


@dataclass(frozen=True, slots=True)
class Made:
    """A claim with what it is about, its coverage, and what the checks say of it."""

    claim: Claim
    about: About
    coverage: Coverage
    situation: Situation
    findings: Sequence[Finding]


@dataclass(frozen=True, slots=True)
class Part:
    """Charges that go on one claim, each with the cents claimed for it."""

    form: Form
    lines: Sequence[tuple[ServiceLine, int]]

    @property
    def cents(self) -> int:
        return sum(cents for _, cents in self.lines)


def coming_claim(
    connection: Connection, clinic: Clinic, visit: Visit, bill: Bill, today: date
) -> ComingClaim | None:
    """What finishing the visit now would make; None when nothing goes to an insurer."""
    parts = parts_of(connection, clinic, visit, bill)
    if bill.coverage is None or not parts:
        return None
    found: list[Finding] = []
    for part in parts:
        claim = _of_visit(connection, clinic, visit, bill.coverage, part, Carried())
        about = about_visit(visit)
        found += check_claim(claim, situation_of(connection, clinic, about, bill.coverage, claim, today))
    return ComingClaim(sum(part.cents for part in parts), found)


def parts_of(connection: Connection, clinic: Clinic, visit: Visit, bill: Bill) -> list[Part]:
    """The visit's charges as the claims they make: by form, by the form's limits and the payer's wishes."""
    going = {line.id: (line, cents) for line, cents in going_lines(bill)}
    if bill.coverage is None or not going:
        return []
    diagnoses = tuple(each.code for each in money.visit_diagnoses(connection, visit.id))
    demands = frozenset(clinic.payers[bill.coverage.payer_id].required)
    charges = [_charge(clinic, line, diagnoses, demands) for line, _ in going.values()]
    return [
        Part(claims[0].form, [going[charge.id] for charge in claims]) for claims in split(charges, demands)
    ]


def _charge(clinic: Clinic, line: ServiceLine, diagnoses: Sequence[str], demands: frozenset[str]) -> Charge:
    service = clinic.services[line.service_id]
    pointed_to = () if service.dental else tuple(line.points_to) or tuple(diagnoses)
    return Charge(
        line.id,
        form_for(service.dental, demands),
        line.provider_id,
        line.place,
        pointed_to,
        service.usual.taxonomy,
    )


def made_claim(connection: Connection, clinic: Clinic, row: ClaimRow, today: date) -> Made:
    """A claim that is on file, as it would leave now."""
    about, coverage = about_of(connection, clinic, row, today), one_coverage(connection, row.coverage_id)
    assert coverage is not None, "a claim names its coverage"
    claim = replace(
        _of_row(connection, clinic, row, about, coverage),
        number=row.number,
        rank=Rank(row.rank),
        frequency=Frequency(row.frequency),
    )
    situation = situation_of(connection, clinic, about, coverage, claim, today, row.id)
    return Made(claim, about, coverage, situation, check_claim(claim, situation))


def _of_row(connection: Connection, clinic: Clinic, row: ClaimRow, about: About, coverage: Coverage) -> Claim:
    carried = carried_of(row.carried)
    if about.visit is not None:
        part = Part(Form(row.form), [(line, line.cents) for line in money.claim_lines(connection, row.id)])
        return _of_visit(connection, clinic, about.visit, coverage, part, carried)
    asked = asked_services(connection, row.id, still_planned=row.state in CAN_BE_CHECKED)
    planned = [(clinic.services[each.service_id], _planned_line(clinic, each)) for each in asked]
    place = clinic.sites[about.site_id].place
    claim = _claim(connection, clinic, about, coverage, Form(row.form), place, planned, (), carried)
    return replace(claim, predetermination=True)


def going_lines(bill: Bill) -> list[tuple[ServiceLine, int]]:
    """The services that go to the insurer, each with the cents claimed for it."""
    return [
        (line, line.fee_cents * line.units)
        for line, each in zip(bill.lines, bill.estimates, strict=True)
        if line.billed and each.fee
    ]


def _of_visit(
    connection: Connection, clinic: Clinic, visit: Visit, coverage: Coverage, part: Part, carried: Carried
) -> Claim:
    dental = part.form is Form.DENTAL
    diagnoses = () if dental else tuple(d.code for d in money.visit_diagnoses(connection, visit.id))
    first = part.lines[0][0] if part.lines else None
    place = first.place if first and first.place else clinic.sites[visit.site_id].place
    lines = [
        (clinic.services[line.service_id], _line(clinic, line, cents, visit, diagnoses, place))
        for line, cents in part.lines
    ]
    return _claim(
        connection, clinic, about_visit(visit), coverage, part.form, place, lines, diagnoses, carried
    )


def _claim(
    connection: Connection,
    clinic: Clinic,
    about: About,
    coverage: Coverage,
    form: Form,
    place: str,
    services: Sequence[tuple[Service, ClaimLine]],
    diagnoses: tuple[str, ...],
    carried: Carried,
) -> Claim:
    payer = clinic.payers[coverage.payer_id]
    patient = person_of(connection, about.patient_id, coverage.member_id)
    own = coverage.relationship == "18"
    dental = form is Form.DENTAL
    claim = Claim(
        number="",
        form=form,
        payer=Organization(name=payer.name, identifier=payer.electronic_id),
        filing_indicator=payer.filing_indicator,
        group_number=coverage.group_number,
        relationship=coverage.relationship,
        subscriber=patient if own else subscriber_of(connection, coverage),
        patient=patient,
        billing=billing_of(clinic),
        clinician=_clinician(clinic.providers[about.provider_id], _specialty(services)),
        place_of_service=place,
        lines=tuple(line for _, line in services),
        diagnoses=diagnoses,
        clia=str(clinic.about.get("clia", "")) if any(_in_our_lab(*each) for each in services) else "",
    )
    if form is Form.INSTITUTIONAL:
        claim = _as_bill(claim, about)
    history = [each.told for each in tooth_history(connection, about.patient_id)] if dental else []
    return carry(_with_teeth(claim, history), carried)


def _specialty(services: Sequence[tuple[Service, ClaimLine]]) -> str:
    """The one under which all of a claim's services are billed; empty for the provider's own. A claim made
    before a service got its own may have services of two.
    """
    named = {service.usual.taxonomy for service, _ in services}
    return named.pop() if len(named) == 1 else ""


def _in_our_lab(service: Service, line: ClaimLine) -> bool:
    return not service.dental and goes_with_lab_number(line.code, line.modifiers, service.usual.lab)


def _clinician(provider: Provider, specialty: str = "") -> Clinician:
    return Clinician(provider.first, provider.last, provider.npi, specialty or provider.taxonomy)


def _line(
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
        rendering=_clinician(rendering, clinic.services[line.service_id].usual.taxonomy)
        if rendering
        else None,
        supervising=_clinician(supervising) if supervising else None,
        drug=_usual_drug(clinic, line),
    )


def _usual_drug(clinic: Clinic, line: ServiceLine) -> Drug | None:
    """The drug that the service is given with, as much as its units take; a claim may say otherwise."""
    drug = clinic.services[line.service_id].usual.drug
    return Drug(drug.ndc, drug.of_units(line.units), drug.unit) if drug else None


def _as_bill(claim: Claim, about: About) -> Claim:
    """A facility's bill over the day of the visit, under whoever saw the patient; it has no place of service
    of its own.
    """
    return replace(
        claim,
        place_of_service="",
        clinician=None,
        attending=claim.clinician,
        stay=Stay(first=about.day, last=about.day),
    )


def _planned_line(clinic: Clinic, planned: AskedService) -> ClaimLine:
    """A planned service as its claim asks about it."""
    return ClaimLine(
        number=planned_number(planned.id),
        code=clinic.services[planned.service_id].code,
        cents=planned.cents,
        units=1,
        day=None,
        tooth=planned.tooth,
        surfaces=planned.surfaces,
        area=planned.area,
    )


def _with_teeth(claim: Claim, history: Sequence[ToothWork]) -> Claim:
    """What the tooth chart knows: the missing teeth where something replaces them, and the crown that an
    earlier one is replaced by. An earlier day goes along only if it is known to the day.
    """
    if not any(is_prosthesis(line.code) for line in claim.lines):
        return claim
    return replace(
        claim,
        missing_teeth=tuple(lost_teeth(history)),
        lines=tuple(_with_earlier_crown(line, history) for line in claim.lines),
    )


def _with_earlier_crown(line: ClaimLine, history: Sequence[ToothWork]) -> ClaimLine:
    earlier = [each for each in history if each.work == Work.CROWN and line.tooth in each.teeth]
    if not is_crown(line.code) or not earlier:
        return line
    when = earlier[-1].when
    return replace(line, first_placement=False, placed_before=when.day if when.known == Known.DAY else None)
