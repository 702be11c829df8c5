"""Reading and writing hand-overs; those that are done stay readable."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import ColumnElement, Connection, Select, func, literal, null, or_, select

from zax.core.book.track import Stop
from zax.core.followup.hand_over import About, HandOver
from zax.core.wording import day_words
from zax.store.book.tables import visit
from zax.store.claims.tables import claim
from zax.store.followup.tables import hand_over, patient_return, recall, recall_type
from zax.store.patients.tables import patient, patient_file
from zax.store.people.tables import user
from zax.store.remits.tables import remit
from zax.store.rows import add, change, many, one
from zax.store.schema import text_reply

_h = hand_over


@dataclass(frozen=True, slots=True, kw_only=True)
class HandedOver:
    """One hand-over with the names of those it is between. Days are local, moments UTC."""

    id: int
    about: str
    about_id: int
    patient_id: int | None
    title: str
    words: str
    cents: int
    to_user_id: int | None
    to_role: str
    due_day: date | None
    made_at: datetime
    made_by: int | None
    done_at: datetime | None
    done_words: str
    seen_at: datetime | None
    to_name: str | None
    giver: str
    doer: str | None


@dataclass(frozen=True, slots=True)
class Subject:
    """What is handed over, by name, and whose it is."""

    title: str
    patient_id: int | None


def subject_of(connection: Connection, about: About, number: int) -> Subject | None:
    """None for what isn't there."""
    name = func.concat(patient.c.first, " ", patient.c.last)
    whose = {
        About.PATIENT: select(name, patient.c.id, name).where(patient.c.id == number),
        About.VISIT: select(name, visit.c.patient_id, visit.c.day)
        .join(patient, patient.c.id == visit.c.patient_id)
        .where(visit.c.id == number),
        About.RETURN: select(name, patient_return.c.patient_id, patient_return.c.words)
        .join(patient, patient.c.id == patient_return.c.patient_id)
        .where(patient_return.c.id == number),
        About.RECALL: select(name, recall.c.patient_id, recall_type.c.name)
        .join(patient, patient.c.id == recall.c.patient_id)
        .join(recall_type, recall_type.c.id == recall.c.recall_type_id)
        .where(recall.c.id == number),
        About.CLAIM: select(name, claim.c.patient_id, claim.c.number)
        .join(patient, patient.c.id == claim.c.patient_id)
        .where(claim.c.id == number),
        About.BALANCE: select(name, patient.c.id, literal("account")).where(patient.c.id == number),
        About.REQUEST: select(name, visit.c.patient_id, visit.c.day)
        .join(patient, patient.c.id == visit.c.patient_id)
        .where(visit.c.id == number, visit.c.state == Stop.HELD),
        About.FILE: select(name, patient_file.c.patient_id, patient_file.c.name)
        .join(patient, patient.c.id == patient_file.c.patient_id)
        .where(patient_file.c.id == number, patient_file.c.ended_at.is_(None)),
        About.ANSWER: select(
            func.coalesce(name, text_reply.c.phone), text_reply.c.patient_id, text_reply.c.words
        )
        .join(patient, patient.c.id == text_reply.c.patient_id, isouter=True)
        .where(text_reply.c.id == number),
        About.PAYMENT: select(remit.c.payer, null(), remit.c.trace).where(remit.c.id == number),
    }
    found = connection.execute(whose[about]).first()
    if found is None:
        return None
    who, patient_id, what = found
    said = day_words(what, year=True) if isinstance(what, date) else what
    return Subject(str(who) if about is About.PATIENT else f"{who}, {said}", patient_id)


def _rows() -> Select[Any]:
    to, giver, doer = user.alias("to_user"), user.alias("giver_user"), user.alias("doer_user")
    return (
        select(
            _h,
            to.c.name.label("to_name"),
            func.coalesce(giver.c.name, "Zax").label("giver"),
            doer.c.name.label("doer"),
        )
        .join(giver, giver.c.id == _h.c.made_by, isouter=True)
        .join(to, to.c.id == _h.c.to_user_id, isouter=True)
        .join(doer, doer.c.id == _h.c.done_by, isouter=True)
    )


def _theirs(user_id: int, role: str) -> ColumnElement[bool]:
    return or_(_h.c.to_user_id == user_id, _h.c.to_role == role)


def open_for(connection: Connection, user_id: int, role: str) -> list[HandedOver]:
    """What somebody has to see to, what is due first on top, then the oldest."""
    query = _rows().where(_h.c.done_at.is_(None), _theirs(user_id, role))
    return many(connection, query.order_by(_h.c.due_day.is_(None), _h.c.due_day, _h.c.id), HandedOver)


def count_for(connection: Connection, user_id: int, role: str) -> int:
    query = select(func.count()).where(_h.c.done_at.is_(None), _theirs(user_id, role))
    return int(connection.execute(query).scalar_one())


def given_by(connection: Connection, user_id: int, since: datetime) -> list[HandedOver]:
    """What somebody gave: what is open, what they haven't seen done, what was done since then."""
    news = or_(_h.c.done_at.is_(None), _h.c.seen_at.is_(None), _h.c.done_at >= since)
    query = _rows().where(_h.c.made_by == user_id, news)
    return many(connection, query.order_by(_h.c.done_at.is_not(None), _h.c.id.desc()), HandedOver)


def about_patient(connection: Connection, patient_id: int) -> list[HandedOver]:
    """The open ones about anything of a patient's."""
    query = _rows().where(_h.c.patient_id == patient_id, _h.c.done_at.is_(None))
    return many(connection, query.order_by(_h.c.id), HandedOver)


def hold(connection: Connection, number: int) -> HandedOver | None:
    """Held until the transaction ends."""
    connection.execute(select(_h.c.id).where(_h.c.id == number).with_for_update()).first()
    return one(connection, _rows().where(_h.c.id == number), HandedOver)


def add_one(connection: Connection, order: HandOver, **values: Any) -> int:
    return add(
        connection,
        _h,
        words=order.words,
        cents=order.cents,
        to_user_id=order.to_user,
        to_role=order.to_role,
        due_day=order.due,
        **values,
    )


def change_one(connection: Connection, number: int, **values: Any) -> None:
    change(connection, _h, number, **values)
