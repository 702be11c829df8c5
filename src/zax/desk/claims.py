"""Claims: made from a visit's charges at checkout, checked, written as a file and put into the outbox in the same transaction."""

from __future__ import annotations

import hashlib
import uuid
from collections.abc import Sequence
from datetime import date
from typing import Any

from sqlalchemy import insert, select, update

from zax.core.charges.lines import pointed
from zax.core.claims.check import check_claim
from zax.core.claims.claim import (
    Address,
    Claim,
    ClaimLine,
    ClaimState,
    Clinician,
    Envelope,
    Organization,
    Person,
)
from zax.core.errors import Conflict, NotFound
from zax.core.x12.claimfile import claim_file
from zax.desk.clinic import Clinic, Provider
from zax.desk.money import Bill
from zax.desk.unit import Unit, act
from zax.store import money, schema


def make_claim(unit: Unit, visit: Any, bill: Bill) -> int | None:
    """The claim of a finished visit, or None when nothing goes to an insurer."""
    going = [line for line, each in zip(bill.lines, bill.estimates, strict=True) if line.billed and each.fee]
    if bill.coverage is None or not going:
        return None
    claim_id = unit.add(
        schema.claim, number=uuid.uuid4().hex[:20], visit_id=visit.id, patient_id=visit.patient_id, coverage_id=bill.coverage.id,
        dental=unit.clinic.types[visit.type_id].dental, state=ClaimState.HELD_BACK, cents=sum(line.fee_cents * line.units for line in going),
        findings=[], made_at=unit.now,
    )  # fmt: skip
    unit.connection.execute(
        update(schema.claim).where(schema.claim.c.id == claim_id).values(number=f"C{claim_id:06d}")
    )
    unit.connection.execute(
        insert(schema.claim_line),
        [
            {"claim_id": claim_id, "line_id": line.id, "position": at, "cents": line.fee_cents * line.units}
            for at, line in enumerate(going, 1)
        ],
    )
    add_event(unit, claim_id, "Made from the charges of the visit")
    check_and_send(unit, claim_id)
    return claim_id


@act("claims")
def recheck(unit: Unit, claim_id: int) -> bool:
    """Check a held-back or rejected claim again; whether it is on its way now."""
    row = unit.one(select(schema.claim).where(schema.claim.c.id == claim_id).with_for_update())
    if row is None:
        raise NotFound("There is no such claim.")
    if row.state not in {ClaimState.HELD_BACK, ClaimState.REJECTED}:
        raise Conflict("This claim is already on its way.")
    return check_and_send(unit, claim_id)


def check_and_send(unit: Unit, claim_id: int) -> bool:
    """Findings hold the claim back; without any its file goes into the outbox."""
    row = unit.one(select(schema.claim).where(schema.claim.c.id == claim_id))
    visit = unit.one(select(schema.visit).where(schema.visit.c.id == row.visit_id))
    claim = claim_data(unit, row, visit)
    findings = [
        {"field": f.field, "where": f.where, "message": f.message}
        for f in check_claim(claim, unit.business_day(visit.site_id))
    ]
    state = ClaimState.HELD_BACK if findings else ClaimState.READY
    unit.connection.execute(
        update(schema.claim).where(schema.claim.c.id == claim_id).values(state=state, findings=findings)
    )
    if findings:
        add_event(unit, claim_id, "Held back: " + " ".join(f["message"] for f in findings))
    else:
        file_id = _write_file(unit, claim)
        add_event(unit, claim_id, "Checked, waiting to go out", file_id)
        unit.send("claim_file", f"file-{file_id}", {"file_id": file_id, "claim_id": claim_id})
    unit.tell("claim", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)
    return not findings


def _write_file(unit: Unit, claim: Claim) -> int:
    """The control number is the file's own id, so an acknowledgement finds its file."""
    kind = "837D" if claim.dental else "837P"
    file_id = unit.add(schema.x12_file, direction="out", kind=kind, digest=uuid.uuid4().hex, text="", at=unit.now)
    text = claim_file([claim], envelope_of(unit, file_id))
    unit.connection.execute(
        update(schema.x12_file)
        .where(schema.x12_file.c.id == file_id)
        .values(text=text, control=str(file_id), name=f"{claim.number}-{file_id}.{kind.lower()}",
                digest=hashlib.sha256(text.encode()).hexdigest())
    )  # fmt: skip
    return file_id


def envelope_of(unit: Unit, control: int) -> Envelope:
    """Who we are to the clearinghouse."""
    about = unit.clinic.about
    site = unit.clinic.first_site
    address = Address(*site.address)
    name = about["clinic_name"]
    return Envelope(
        sender=Organization(name, about["submitter_id"], phone=site.phone),
        receiver=Organization(about["clearinghouse_name"], about["clearinghouse_id"]),
        billing=Organization(name, about["npi"], address, about["tax_id"], about["taxonomy"]),
        made_at=unit.now, control=control,
    )  # fmt: skip


def claim_data(unit: Unit, row: Any, visit: Any) -> Claim:
    """Everything the claim says, read fresh, so that what was mended since counts."""
    clinic = unit.clinic
    coverage = unit.one(select(schema.coverage).where(schema.coverage.c.id == row.coverage_id))
    plan = clinic.plans[coverage.plan_id]
    payer = clinic.payers[plan.payer_id]
    provider = clinic.providers[visit.provider_id]
    patient = person_of(unit, visit.patient_id, coverage.member_id)
    own = coverage.relationship == "18"
    diagnoses = tuple(d.code for d in money.visit_diagnoses(unit.connection, visit.id))
    lines = money.claim_lines(unit.connection, row.id)
    place = lines[0].place if lines and lines[0].place else clinic.sites[visit.site_id].place
    return Claim(
        number=row.number, dental=row.dental, payer=Organization(payer.name, payer.electronic_id),
        filing_indicator=payer.filing_indicator, group_number=coverage.group_number, relationship=coverage.relationship,
        subscriber=patient if own else subscriber_of(unit, coverage), patient=patient,
        clinician=clinician_of(provider), place_of_service=place,
        lines=tuple(_claim_line(clinic, line, visit, () if row.dental else diagnoses, place) for line in lines), diagnoses=() if row.dental else diagnoses,
        coverage_from=coverage.from_day, coverage_to=coverage.to_day, filing_days=payer.filing_days,
        needs_group="group" in payer.required,
    )  # fmt: skip


def subscriber_of(unit: Unit, coverage: Any) -> Person:
    """The holder of a coverage: a patient, or the person outside who is written on the coverage."""
    if coverage.subscriber_id is not None:
        return person_of(unit, coverage.subscriber_id, coverage.member_id)
    kept = {"sex": "", "street": "", "city": "", "state": "", "zip": "", "birth": ""} | dict(coverage.holder)
    born = date.fromisoformat(kept["birth"]) if kept["birth"] else None
    address = Address(kept["street"], kept["city"], kept["state"], kept["zip"])
    return Person(kept["first"], kept["last"], born, kept["sex"], address, coverage.member_id)


def clinician_of(provider: Provider) -> Clinician:
    return Clinician(provider.first, provider.last, provider.npi, provider.taxonomy)


def _claim_line(clinic: Clinic, line: Any, visit: Any, diagnoses: Sequence[str], place: str) -> ClaimLine:
    """A charge line as its claim says it; people and place only where they differ from the claim's."""
    rendering = clinic.providers[line.provider_id] if line.provider_id != visit.provider_id else None
    supervising = clinic.providers[line.supervising_id] if line.supervising_id else None
    return ClaimLine(
        number=f"L{line.id}", code=clinic.services[line.service_id].code, cents=line.cents, units=line.units, day=visit.day,
        modifiers=tuple(line.modifiers.split()), pointers=pointed(line.points_to, diagnoses), tooth=line.tooth, surfaces=line.surfaces, area=line.area,
        place=line.place if line.place != place else "", rendering=clinician_of(rendering) if rendering else None,
        supervising=clinician_of(supervising) if supervising else None,
    )  # fmt: skip


def person_of(unit: Unit, patient_id: int, member_id: str) -> Person:
    """A patient as claims and inquiries name them."""
    row = unit.one(select(schema.patient).where(schema.patient.c.id == patient_id))
    return Person(
        row.first, row.last, row.birth, row.sex, Address(row.street, row.city, row.state, row.zip), member_id
    )


def add_event(unit: Unit, claim_id: int, words: str, file_id: int | None = None) -> None:
    unit.connection.execute(
        insert(schema.claim_event).values(
            claim_id=claim_id, at=unit.now, words=words[:500], file_id=file_id, by_id=unit.actor.id
        )
    )


def withdraw_unsent(unit: Unit, visit: Any) -> None:
    """A checkout is taken back: its claim must not have left. Held-back claims are closed with the reason on record."""
    c, m = schema.claim, schema.remit_claim
    rows = unit.rows(select(c).where(c.c.visit_id == visit.id).with_for_update())
    answered = select(m.c.id).where(m.c.claim_id.in_([row.id for row in rows]), m.c.outcome == "posted").limit(1)
    if unit.one(answered) is not None:
        raise Conflict("The insurer has answered this visit’s claim, so the checkout cannot be taken back.")
    for row in rows:
        if row.state not in {ClaimState.HELD_BACK, ClaimState.REJECTED, ClaimState.CLOSED}:
            raise Conflict(f"Claim {row.number} is already with the insurer, so the checkout cannot be taken back.")
        unit.connection.execute(
            update(schema.claim).where(schema.claim.c.id == row.id).values(state=ClaimState.CLOSED)
        )
        add_event(unit, row.id, "Withdrawn: the checkout was taken back")
