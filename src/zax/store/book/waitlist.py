"""Reading and writing the waitlist: a row a reason; a key lets a reason of a person be open once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import fields
from datetime import datetime

from sqlalchemy import Connection, bindparam, or_, select, update

from zax.core.book.waitlist import WaitWhy
from zax.store.book.records import OpenWait, Wait, WaitRow
from zax.store.book.tables import visit, waiting
from zax.store.patients.attendance import missed_of
from zax.store.patients.tables import patient
from zax.store.rows import add, change, many, one

_w = waiting
_OPEN = (
    select(
        *(_w.c[each.name] for each in fields(Wait)),
        patient.c.first,
        patient.c.last,
        patient.c.phone,
        patient.c.likes,
        patient.c.never,
        visit.c.day.label("booked"),
        visit.c.state.label("visit_state"),
        missed_of(_w.c.patient_id).label("missed"),
    )
    .join(patient, patient.c.id == _w.c.patient_id)
    .join(visit, visit.c.id == _w.c.visit_id, isouter=True)
    .where(_w.c.ended_at.is_(None), _w.c.site_id == bindparam("site_id"), patient.c.status == "active")
    .order_by(_w.c.since_at, _w.c.id)
)


def open_waits(connection: Connection, site_id: int) -> list[OpenWait]:
    """All that wait at the site, who has waited longest first."""
    return many(connection, _OPEN, OpenWait, site_id=site_id)


def waits_of(connection: Connection, patient_id: int) -> list[WaitRow]:
    """The open reasons of one patient."""
    query = select(_w).where(_w.c.patient_id == patient_id, _w.c.ended_at.is_(None)).order_by(_w.c.since_at)
    return many(connection, query, WaitRow)


def wait_for_update(connection: Connection, wait_id: int) -> WaitRow | None:
    return one(connection, select(_w).where(_w.c.id == wait_id).with_for_update(), WaitRow)


def open_wait_for_update(connection: Connection, patient_id: int, why: str, type_id: int) -> WaitRow | None:
    """The open reason of this kind, if there is one; its key is held either way."""
    query = select(_w).where(_w.c.open_key == f"{patient_id}-{why}-{type_id}").with_for_update()
    return one(connection, query, WaitRow)


def waits_answered_by(connection: Connection, patient_id: int, type_id: int, wait_id: int) -> list[WaitRow]:
    """The open reasons that a booking of the type answers, and the one it was made from; held."""
    mine = or_(_w.c.type_id == type_id, _w.c.id == wait_id)
    query = select(_w).where(_w.c.patient_id == patient_id, _w.c.ended_at.is_(None), mine)
    return many(connection, query.with_for_update(), WaitRow)


def waits_about(connection: Connection, patient_id: int, visit_id: int) -> list[WaitRow]:
    """The patient's open reasons about one visit; held."""
    query = select(_w).where(
        _w.c.patient_id == patient_id, _w.c.ended_at.is_(None), _w.c.visit_id == visit_id
    )
    return many(connection, query.with_for_update(), WaitRow)


def waits_to_leave(connection: Connection, visit_id: int) -> list[WaitRow]:
    """Open wishes to leave this visit for a sooner one; held."""
    query = select(_w).where(_w.c.ended_at.is_(None), _w.c.visit_id == visit_id, _w.c.why != WaitWhy.LOST)
    return many(connection, query.with_for_update(), WaitRow)


def add_wait(
    connection: Connection,
    *,
    patient_id: int,
    why: str,
    site_id: int,
    visit_id: int | None,
    type_id: int,
    minutes: int,
    provider_id: int | None,
    value_cents: int,
    note: str,
    now: datetime,
) -> int:
    return add(
        connection,
        _w,
        patient_id=patient_id,
        why=why,
        site_id=site_id,
        visit_id=visit_id,
        type_id=type_id,
        minutes=minutes,
        provider_id=provider_id,
        value_cents=value_cents,
        note=note.strip()[:200],
        since_at=now,
        asked_at=now,
    )


def turn_wait(connection: Connection, wait_id: int, visit_id: int, now: datetime) -> None:
    """The reason is about this visit from now on."""
    change(connection, _w, wait_id, visit_id=visit_id, asked_at=now)


def note_asked(connection: Connection, wait_id: int, now: datetime) -> None:
    change(connection, _w, wait_id, asked_at=now)


def note_try(connection: Connection, patient_id: int, words: str) -> None:
    """On all open reasons of the person."""
    mine = (_w.c.patient_id == patient_id, _w.c.ended_at.is_(None))
    connection.execute(update(_w).where(*mine).values(last_try=words[:120]))


def end_waits(
    connection: Connection, wait_ids: Sequence[int], now: datetime, by_id: int | None, why: str
) -> None:
    if wait_ids:
        ended = {"ended_at": now, "ended_by": by_id, "ended_why": why[:200]}
        connection.execute(update(_w).where(_w.c.id.in_(wait_ids)).values(**ended))


def end_lost(connection: Connection, visit_id: int, now: datetime, by_id: int | None, why: str) -> None:
    """Whoever lost this visit has it again."""
    lost = (_w.c.visit_id == visit_id, _w.c.why == WaitWhy.LOST, _w.c.ended_at.is_(None))
    connection.execute(update(_w).where(*lost).values(ended_at=now, ended_by=by_id, ended_why=why))


def reopen_wait(connection: Connection, wait_id: int) -> None:
    """Open again, unless the person waits for the same by now."""
    row = one(connection, select(_w).where(_w.c.id == wait_id), WaitRow)
    if row is None:
        return
    twin = select(_w.c.id).where(_w.c.open_key == f"{row.patient_id}-{row.why}-{row.type_id}")
    if connection.execute(twin).first() is None:
        change(connection, _w, wait_id, ended_at=None, ended_by=None, ended_why="")
