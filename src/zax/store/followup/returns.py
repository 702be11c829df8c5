"""Reading and writing returns, what was done about them, and the clinic's list of reasons."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import Connection, Select, func, select

from zax.core.followup.due import DueFacts, Stand, stand_of
from zax.core.followup.returns import ReturnOrder, ReturnReason
from zax.store.book.tables import visit
from zax.store.clinic.tables import provider
from zax.store.followup.tables import patient_return, return_event, return_reason
from zax.store.patients.tables import patient
from zax.store.people.tables import user
from zax.store.rows import add, change, keep, many, one

_r, _e = patient_return, return_event


@dataclass(frozen=True, slots=True, kw_only=True)
class Return:
    """One return with whose it is, who asked, and the visit it hangs on. Days are local, moments UTC."""

    id: int
    patient_id: int
    reason_id: int | None
    words: str
    note: str
    due_day: date
    for_whom: str
    urgent: bool
    type_id: int | None
    provider_id: int | None
    visit_id: int | None
    booked_visit_id: int | None
    paused_until: date | None
    made_at: datetime
    made_by: int
    risen: int
    holder_id: int | None
    ended_at: datetime | None
    ended_how: str
    version: int
    first: str
    last: str
    phone: str
    status: str
    asked_by: str
    holder: str | None
    booked_day: date | None
    booked_state: str | None

    def stand(self, today: date) -> Stand:
        facts = DueFacts(
            opens=date.min,
            due=self.due_day,
            visit=self.booked_state or "",
            paused_until=self.paused_until,
            ended=self.ended_at is not None,
        )
        return stand_of(facts, today)


@dataclass(frozen=True, slots=True)
class ReturnEvent:
    id: int
    kind: str
    words: str
    at: datetime
    by_name: str | None


def _returns() -> Select[Any]:
    holder = user.alias("holder")
    asked = func.coalesce(provider.c.name, user.c.name)
    return (
        select(
            _r,
            patient.c.first,
            patient.c.last,
            patient.c.phone,
            patient.c.status,
            asked.label("asked_by"),
            holder.c.name.label("holder"),
            visit.c.day.label("booked_day"),
            visit.c.state.label("booked_state"),
        )
        .join(patient, patient.c.id == _r.c.patient_id)
        .join(user, user.c.id == _r.c.made_by)
        .join(provider, provider.c.id == _r.c.provider_id, isouter=True)
        .join(holder, holder.c.id == _r.c.holder_id, isouter=True)
        # A visit that was given to another patient holds this one's return no longer.
        .join(
            visit,
            (visit.c.id == _r.c.booked_visit_id) & (visit.c.patient_id == _r.c.patient_id),
            isouter=True,
        )
    )


def open_returns(connection: Connection) -> list[Return]:
    """Every one that hasn't been ended, the longest due first; those that are booked or done too."""
    query = _returns().where(_r.c.ended_at.is_(None))
    return many(connection, query.order_by(_r.c.due_day, _r.c.id), Return)


def returns_of(connection: Connection, patient_id: int) -> list[Return]:
    """Every one of a patient, the ended ones last."""
    query = _returns().where(_r.c.patient_id == patient_id)
    return many(connection, query.order_by(_r.c.ended_at.is_not(None), _r.c.due_day, _r.c.id), Return)


def return_of(connection: Connection, return_id: int) -> Return | None:
    return one(connection, _returns().where(_r.c.id == return_id), Return)


def hold_return(connection: Connection, return_id: int) -> Return | None:
    """Held until the transaction ends."""
    connection.execute(select(_r.c.id).where(_r.c.id == return_id).with_for_update()).first()
    return return_of(connection, return_id)


def add_return(connection: Connection, order: ReturnOrder, **values: Any) -> int:
    return add(
        connection,
        _r,
        words=order.words,
        note=order.note,
        due_day=order.due,
        for_whom=order.for_whom,
        urgent=order.urgent,
        reason_id=order.reason_id,
        type_id=order.type_id,
        **values,
    )


def change_return(connection: Connection, return_id: int, **values: Any) -> None:
    change(connection, _r, return_id, **values)


def add_event(
    connection: Connection, return_id: int, kind: str, words: str, at: datetime, by_id: int | None
) -> None:
    add(connection, _e, return_id=return_id, kind=kind, words=words[:300], at=at, by_id=by_id)


def events_of(connection: Connection, return_id: int) -> list[ReturnEvent]:
    query = select(_e, user.c.name.label("by_name")).join(user, user.c.id == _e.c.by_id, isouter=True)
    return many(connection, query.where(_e.c.return_id == return_id).order_by(_e.c.id), ReturnEvent)


def reasons(connection: Connection) -> list[ReturnReason]:
    """The clinic's own list, in its order."""
    query = select(return_reason).order_by(return_reason.c.position, return_reason.c.id)
    return many(connection, query, ReturnReason)


def keep_reason(connection: Connection, reason: ReturnReason) -> int:
    """As it is kept now; id 0 makes one, at the end of the list. Raises NotFound and Stale."""
    values = {
        "words": reason.words,
        "by_when": reason.by_when,
        "for_whom": reason.for_whom,
        "urgent": reason.urgent,
        "type_id": reason.type_id,
        "active": reason.active,
    }
    return keep(connection, return_reason, reason.id, reason.version, values, "reason")
