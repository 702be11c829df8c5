"""Writing what was done at a visit: its services and diagnoses. Reading them is zax.store.money.queries,
where they become money.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, delete, func, insert, select, text, update

from zax.core.book.track import CHARGED
from zax.store.charges.tables import (
    charge_line,
    diagnosis_code,
    favorite_diagnosis,
    planned_service,
    visit_diagnosis,
)
from zax.store.money.records import ServiceLine
from zax.store.rows import add, change, many, one, save, sql_list

_line, _p = charge_line, planned_service
_EARLIER = text(
    f"""
    SELECT l.tooth, l.surfaces, s.code, s.words, v.day
    FROM visit v
    STRAIGHT_JOIN charge_line l ON l.visit_id = v.id
    STRAIGHT_JOIN service s ON s.id = l.service_id
    WHERE v.patient_id = :patient_id AND v.id <> :visit_id AND l.tooth <> '' AND l.removed_at IS NULL AND
        v.state IN {sql_list(CHARGED)}
    ORDER BY v.day
    """
)


@dataclass(frozen=True, slots=True)
class DiagnosisCode:
    code: str
    words: str
    billable: bool


@dataclass(frozen=True, slots=True)
class EarlierWork:
    """What was done to a tooth at another visit."""

    tooth: str
    surfaces: str
    code: str
    words: str
    day: date


def add_line(
    connection: Connection,
    *,
    visit_id: int,
    service_id: int,
    provider_id: int,
    fee_cents: int,
    units: int,
    tooth: str,
    surfaces: str,
    area: str,
    modifiers: str,
    place: str,
    planned_id: int | None,
    at: datetime,
    by_id: int | None,
    points_to: Sequence[str] = (),
    supervising_id: int | None = None,
) -> int:
    return add(
        connection,
        _line,
        visit_id=visit_id,
        service_id=service_id,
        provider_id=provider_id,
        fee_cents=fee_cents,
        units=units,
        tooth=tooth,
        surfaces=surfaces,
        area=area,
        modifiers=modifiers,
        place=place,
        planned_id=planned_id,
        entered_at=at,
        entered_by=by_id,
        points_to=list(points_to),
        supervising_id=supervising_id,
    )


def save_line(connection: Connection, before: ServiceLine, after: ServiceLine) -> None:
    save(connection, _line, before, after)


def remove_line(connection: Connection, line_id: int, at: datetime) -> None:
    change(connection, _line, line_id, removed_at=at)


def put_line_back(connection: Connection, visit_id: int, line_id: int) -> None:
    mine = (_line.c.id == line_id, _line.c.visit_id == visit_id)
    connection.execute(update(_line).where(*mine).values(removed_at=None))


def turn_planned_of_line(connection: Connection, line_id: int, visit_id: int | None) -> None:
    """The planned service behind a line goes with it: free again when the line is taken off, the visit's when
    it comes back.
    """
    behind = select(_line.c.planned_id).where(_line.c.id == line_id, _line.c.planned_id.is_not(None))
    undone = (_p.c.id == behind.scalar_subquery(), _p.c.done_at.is_(None))
    connection.execute(update(_p).where(*undone).values(visit_id=visit_id))


def finish_planned(connection: Connection, visit_id: int, at: datetime | None) -> None:
    """What the visit was to do is done now; None takes that back."""
    connection.execute(update(_p).where(_p.c.visit_id == visit_id).values(done_at=at))


def earlier_work(connection: Connection, patient_id: int, but_visit: int) -> list[EarlierWork]:
    """What was done to the patient's teeth at other visits, oldest first."""
    return many(connection, _EARLIER, EarlierWork, patient_id=patient_id, visit_id=but_visit)


def diagnosis_of(connection: Connection, code: str) -> DiagnosisCode | None:
    return one(connection, select(diagnosis_code).where(diagnosis_code.c.code == code), DiagnosisCode)


def diagnoses_of(connection: Connection, codes: Sequence[str]) -> list[DiagnosisCode]:
    return many(connection, select(diagnosis_code).where(diagnosis_code.c.code.in_(codes)), DiagnosisCode)


def uses_of(connection: Connection, codes: Sequence[str]) -> dict[str, int]:
    """How often the clinic has given each of these codes."""
    d = visit_diagnosis
    query = select(d.c.code, func.count()).where(d.c.code.in_(codes)).group_by(d.c.code)
    return {row[0]: int(row[1]) for row in connection.execute(query)}


def favorites_of(connection: Connection, user_id: int | None) -> list[DiagnosisCode]:
    """The diagnoses that somebody keeps at hand, by their words."""
    f = favorite_diagnosis
    query = select(diagnosis_code).join(f, f.c.code == diagnosis_code.c.code).where(f.c.user_id == user_id)
    return many(connection, query.order_by(diagnosis_code.c.words), DiagnosisCode)


def keep_favorite(connection: Connection, user_id: int, code: str, kept: bool) -> None:
    f = favorite_diagnosis
    connection.execute(delete(f).where(f.c.user_id == user_id, f.c.code == code))
    if kept:
        connection.execute(insert(f).values(user_id=user_id, code=code))


def codes_beginning(connection: Connection, letters: str, most: int) -> list[DiagnosisCode]:
    query = select(diagnosis_code).where(diagnosis_code.c.code.like(letters.replace("%", "") + "%"))
    return many(connection, query.order_by(diagnosis_code.c.code).limit(most), DiagnosisCode)


def codes_with_words(connection: Connection, terms: str, most: int) -> list[DiagnosisCode]:
    """`terms` in MariaDB's boolean mode; billable ones first."""
    d = diagnosis_code
    match = text("MATCH(words) AGAINST (:terms IN BOOLEAN MODE)")
    query = select(d).where(match).order_by(d.c.billable.desc(), func.length(d.c.words), d.c.code)
    return many(connection, query.limit(most), DiagnosisCode, terms=terms)


def add_diagnosis(connection: Connection, visit_id: int, position: int, code: str) -> None:
    connection.execute(insert(visit_diagnosis).values(visit_id=visit_id, position=position, code=code))


def remove_diagnosis(connection: Connection, visit_id: int, code: str) -> None:
    d = visit_diagnosis
    connection.execute(delete(d).where(d.c.visit_id == visit_id, d.c.code == code))


def set_diagnoses(connection: Connection, visit_id: int, codes: Sequence[str]) -> None:
    """These, in this order, instead of those there were."""
    d = visit_diagnosis
    connection.execute(delete(d).where(d.c.visit_id == visit_id))
    rows = [{"visit_id": visit_id, "position": at, "code": code} for at, code in enumerate(codes, 1)]
    if rows:
        connection.execute(insert(d), rows)
