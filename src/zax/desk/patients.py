"""Patients: find them, make one from the least there is, correct their details and coverage."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import bindparam, select, update

from zax.core.errors import NotFound, ProblemCollector, Refused, Stale
from zax.core.patients.person import check_name, check_new_patient, check_phone, parse_birth, search_key
from zax.desk.unit import Unit, act
from zax.store import schema

SEXES = {"F": "female", "M": "male", "U": "not given"}


def new_patient(unit: Unit, first: str, last: str, birth: str, phone: str, site_id: int) -> int:
    """A new patient, alone in a new household, as part of a booking; the new id. Raises Problems with a message a field."""
    new = check_new_patient(first, last, birth, phone, unit.business_day(site_id))
    household_id = unit.add(schema.household, name=new.last)
    patient_id = unit.add(
        schema.patient, household_id=household_id, guarantor=True, first=new.first, last=new.last, birth=new.birth,
        phone=new.phone, first_key=search_key(new.first), last_key=search_key(new.last), made_at=unit.now,
    )  # fmt: skip
    unit.audit("patient.made", patient_id=patient_id, first=new.first, last=new.last)
    unit.tell("patient", patient_id=patient_id)
    return patient_id


@dataclass(frozen=True, slots=True)
class Details:
    """What the details form carries, as typed. `version` is that of the patient shown."""

    first: str
    last: str
    birth: str
    sex: str
    phone: str
    email: str
    street: str
    city: str
    state: str
    zip: str
    version: int


@act("patients")
def change_patient(unit: Unit, patient_id: int, typed: Details, site_id: int) -> None:
    """Save the details; raises Problems beside their fields, Stale when somebody saved in between."""
    before = unit.one(select(schema.patient).where(schema.patient.c.id == patient_id).with_for_update())
    if before is None:
        raise NotFound("There is no such patient.")
    if before.version != typed.version:
        raise Stale(_who_changed(unit, patient_id))
    wrong = ProblemCollector()
    values: dict[str, Any] = {
        "first": wrong.take(check_name, typed.first, "first name", "first"),
        "last": wrong.take(check_name, typed.last, "last name", "last"),
        "birth": wrong.take(parse_birth, typed.birth, unit.business_day(site_id)),
        "phone": wrong.take(check_phone, typed.phone),
        "sex": wrong.take(_check_sex, typed.sex),
        "email": wrong.take(_check_email, typed.email),
        "zip": wrong.take(_check_zip, typed.zip),
        "state": wrong.take(_check_state, typed.state),
        "street": wrong.take(_check_length, typed.street, 80, "street"),
        "city": wrong.take(_check_length, typed.city, 60, "city"),
    }
    wrong.raise_if_any()
    values |= {"first_key": search_key(values["first"]), "last_key": search_key(values["last"])}
    changed = {
        name: [str(getattr(before, name)), str(value)]
        for name, value in values.items()
        if getattr(before, name) != value
    }
    unit.connection.execute(
        update(schema.patient).where(schema.patient.c.id == patient_id).values(**values, version=before.version + 1)
    )
    unit.audit("patient.changed", patient_id=patient_id, changed=changed)
    unit.tell("patient", patient_id=patient_id)


def _who_changed(unit: Unit, patient_id: int) -> str:
    last = unit.one(
        select(schema.audit.c.at, schema.user.c.name, schema.audit.c.detail)
        .join(schema.user, schema.user.c.id == schema.audit.c.by_id, isouter=True)
        .where(
            schema.audit.c.patient_id == patient_id, schema.audit.c.act.in_(("patient.changed", "coverage.changed"))
        )
        .order_by(schema.audit.c.id.desc())
        .limit(1)
    )
    who = (last.name if last else None) or "Somebody"
    what = ", ".join((last.detail.get("changed") or {}) if last else ()) or "the details"
    return f"{who} has changed {what} since you opened this. Look at it again, then save."


def _check_sex(text: str) -> str:
    if text and text not in SEXES:
        raise Refused("Choose what the insurer has.", "sex")
    return text


def _check_email(text: str) -> str:
    text = text.strip()
    if text and ("@" not in text[1:-1] or " " in text or len(text) > 120):
        raise Refused("An email address looks like name@example.org.", "email")
    return text


def _check_zip(text: str) -> str:
    text = text.strip()
    digits = text.replace("-", "")
    if text and (not digits.isdecimal() or len(digits) not in {5, 9}):
        raise Refused("A ZIP code has 5 digits, or 5 and 4.", "zip")
    return text


def _check_state(text: str) -> str:
    text = text.strip().upper()
    if text and (len(text) != 2 or not text.isalpha()):
        raise Refused("The state has two letters.", "state")
    return text


def _check_length(text: str, most: int, field: str) -> str:
    text = " ".join(text.split())
    if len(text) > most:
        raise Refused(f"At most {most} letters can be kept here.", field)
    return text


@act("patients")
def set_coverage(unit: Unit, patient_id: int, plan_id: str, member_id: str, group_number: str) -> None:
    """The patient's own coverage by a plan of the clinic's list; an earlier one of the same kind ends yesterday."""
    member = member_id.strip().upper()
    wrong = ProblemCollector()
    if not plan_id.isdecimal() or int(plan_id) not in unit.clinic.plans:
        wrong.add("plan_id", "Choose a plan from the list.")
    if not member or len(member) > 30 or not member.replace("-", "").isalnum():
        wrong.add("member_id", "Enter the member id as it stands on the card, letters and digits.")
    wrong.raise_if_any()
    plan = unit.clinic.plans[int(plan_id)]
    current = current_coverage(unit.connection, patient_id, plan.dental, None)
    coverage = schema.coverage
    if current is not None and current.plan_id == plan.id:
        unit.connection.execute(
            update(coverage)
            .where(coverage.c.id == current.id)
            .values(member_id=member, group_number=group_number.strip()[:30])
        )
    else:
        if current is not None:
            ended = date.fromordinal(unit.business_day(next(iter(unit.clinic.sites))).toordinal() - 1)
            unit.connection.execute(update(coverage).where(coverage.c.id == current.id).values(to_day=ended))
        unit.add(coverage, patient_id=patient_id, plan_id=plan.id, subscriber_id=patient_id, member_id=member,
                 group_number=group_number.strip()[:30])  # fmt: skip
    unit.audit("coverage.changed", patient_id=patient_id, changed={"coverage": [plan.name, member]})
    unit.tell("patient", patient_id=patient_id)


_WITH_PLAN = (
    select(
        schema.coverage,
        schema.plan.c.payer_id,
        schema.plan.c.dental,
        schema.plan.c.name.label("plan_name"),
        schema.payer.c.name.label("payer_name"),
    )
    .join(schema.plan, schema.plan.c.id == schema.coverage.c.plan_id)
    .join(schema.payer, schema.payer.c.id == schema.plan.c.payer_id)
)
_OF_A_KIND = _WITH_PLAN.where(
    schema.coverage.c.patient_id == bindparam("patient_id"), schema.plan.c.dental == bindparam("dental")
).order_by(schema.coverage.c.id.desc())
_OF_PATIENTS = _WITH_PLAN.where(schema.coverage.c.patient_id.in_(bindparam("patient_ids", expanding=True))).order_by(
    schema.coverage.c.to_day.is_not(None), schema.coverage.c.patient_id, schema.coverage.c.id
)


def coverages_of(connection: Any, patient_ids: list[int]) -> list[Any]:
    """All coverages of these patients with plan and payer, those that have ended last."""
    return list(connection.execute(_OF_PATIENTS, {"patient_ids": patient_ids}))


def current_coverage(connection: Any, patient_id: int, dental: bool, day: date | None) -> Any:
    """The coverage of this kind that counts on `day` (None: whichever is not ended), with plan and payer; or None."""
    for row in connection.execute(_OF_A_KIND, {"patient_id": patient_id, "dental": dental}):
        if day is None and row.to_day is None:
            return row
        if (
            day is not None
            and (row.from_day is None or row.from_day <= day)
            and (row.to_day is None or row.to_day >= day)
        ):
            return row
    return None
