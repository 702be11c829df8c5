"""Reading and writing patients and their households."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, and_, bindparam, func, or_, select, update

from zax.core.book.track import ON_THE_BOOK
from zax.core.errors import NotFound
from zax.core.json import KeptJson
from zax.store.patients.records import Patient
from zax.store.patients.tables import household, patient
from zax.store.rows import add, many, one, save
from zax.store.schema import audit, user, visit

_THESE = select(patient).where(patient.c.id.in_(bindparam("ids", expanding=True)))


@dataclass(frozen=True, slots=True, kw_only=True)
class NameKeys:
    """What a name is found by."""

    first_key: str
    last_key: str
    first_sound: str
    last_sound: str


@dataclass(frozen=True, slots=True)
class LastChange:
    at: datetime
    name: str | None
    detail: KeptJson


def patient_of(connection: Connection, patient_id: int) -> Patient | None:
    return one(connection, select(patient).where(patient.c.id == patient_id), Patient)


def known_patient(connection: Connection, patient_id: int) -> Patient:
    """One that other rows or an address name. Raises NotFound."""
    found = patient_of(connection, patient_id)
    if found is None:
        raise NotFound("There is no such patient.")
    return found


def texted_at(connection: Connection, phone: str) -> list[int]:
    """The patients who are texted at this phone."""
    p = patient.c
    theirs = or_(
        and_(p.texts_to == "phone", p.phone == phone),
        and_(p.texts_to == "home", p.home_phone == phone),
        and_(p.texts_to == "work", p.work_phone == phone),
    )
    query = select(p.id).where(theirs, p.status != "merged").order_by(p.id)
    return list(connection.execute(query).scalars())


def with_phone(connection: Connection, phone: str) -> list[int]:
    """The patients whose mobile phone it is."""
    query = select(patient.c.id).where(patient.c.phone == phone, patient.c.status != "merged")
    return list(connection.execute(query.order_by(patient.c.id)).scalars())


def with_email(connection: Connection, address: str) -> int | None:
    """The first patient whose email address it is."""
    query = select(patient.c.id).where(patient.c.email == address, patient.c.status != "merged")
    return connection.execute(query.order_by(patient.c.id).limit(1)).scalar()


def active_patient(connection: Connection, patient_id: int) -> Patient | None:
    """A patient who can be booked: neither merged away nor inactive."""
    return one(
        connection, select(patient).where(patient.c.id == patient_id, patient.c.status == "active"), Patient
    )


def patient_for_update(connection: Connection, patient_id: int) -> Patient | None:
    """The patient, held until the transaction ends."""
    return one(connection, select(patient).where(patient.c.id == patient_id).with_for_update(), Patient)


def patients_of(connection: Connection, patient_ids: Iterable[int]) -> dict[int, Patient]:
    return {each.id: each for each in many(connection, _THESE, Patient, ids=list(patient_ids) or [0])}


def guarantors_of(connection: Connection, household_ids: Iterable[int]) -> dict[int, Patient]:
    """Who answers for each household, by household; none where nobody is marked."""
    mine = select(patient).where(
        patient.c.household_id.in_(list(household_ids)), patient.c.guarantor, patient.c.status != "merged"
    )
    return {each.household_id: each for each in many(connection, mine, Patient)}


def members_of(connection: Connection, household_id: int) -> list[Patient]:
    """The people of a household, the one who pays first."""
    query = select(patient).where(patient.c.household_id == household_id, patient.c.status != "merged")
    return many(connection, query.order_by(patient.c.guarantor.desc(), patient.c.birth), Patient)


def everybody_of(connection: Connection, household_id: int) -> list[Patient]:
    """Like `members_of`, with records that were merged away: their money stays where it is."""
    query = select(patient).where(patient.c.household_id == household_id)
    return many(connection, query.order_by(patient.c.guarantor.desc(), patient.c.birth), Patient)


def household_of(connection: Connection, patient_id: int) -> int | None:
    return connection.execute(select(patient.c.household_id).where(patient.c.id == patient_id)).scalar()


def add_household(connection: Connection, name: str) -> int:
    return add(connection, household, name=name)


def add_patient(
    connection: Connection,
    *,
    household_id: int,
    guarantor: bool,
    first: str,
    last: str,
    birth: date | None,
    phone: str,
    made_at: datetime,
    keys: NameKeys,
) -> int:
    return add(
        connection,
        patient,
        household_id=household_id,
        guarantor=guarantor,
        first=first,
        last=last,
        birth=birth,
        phone=phone,
        made_at=made_at,
        first_key=keys.first_key,
        last_key=keys.last_key,
        first_sound=keys.first_sound,
        last_sound=keys.last_sound,
    )


def save_patient(connection: Connection, before: Patient, after: Patient) -> None:
    save(connection, patient, before, after)


def nobody_pays(connection: Connection, household_id: int) -> None:
    """Take the paying from everybody of a household, before it is given to one."""
    connection.execute(update(patient).where(patient.c.household_id == household_id).values(guarantor=False))


def visits_ahead(connection: Connection, patient_id: int, today: date) -> int:
    """How many visits the patient still has booked, from today on."""
    query = select(func.count()).where(
        visit.c.patient_id == patient_id, visit.c.day >= today, visit.c.state.in_(sorted(ON_THE_BOOK))
    )
    return int(connection.execute(query).scalar_one())


def last_change_of(connection: Connection, patient_id: int, but: str) -> LastChange | None:
    """The newest change of a patient on record, leaving out one kind of act."""
    query = (
        select(audit.c.at, user.c.name, audit.c.detail)
        .join(user, user.c.id == audit.c.by_id, isouter=True)
        .where(audit.c.patient_id == patient_id, audit.c.act.like("patient.%"), audit.c.act != but)
        .order_by(audit.c.id.desc())
        .limit(1)
    )
    return one(connection, query, LastChange)


def employers(connection: Connection) -> list[str]:
    """Every employer on file, the one of most people first."""
    query = select(patient.c.employer).where(patient.c.employer != "").group_by(patient.c.employer)
    return list(connection.execute(query.order_by(func.count().desc()).limit(2000)).scalars())
