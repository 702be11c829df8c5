"""Planned services as booking needs them, and the charge lines of visits that are still to come."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from datetime import datetime

from sqlalchemy import Connection, and_, bindparam, func, insert, or_, select, text, update

from zax.store.book.records import NewLine, PlannedService, Relative, VisitLine
from zax.store.rows import add, change, many, one
from zax.store.schema import charge_line, patient, planned_service, proposal

_p, _line = planned_service, charge_line
_SIGNED = and_(proposal.c.signed_option == _p.c.option_letter, proposal.c.ended_at.is_(None))
_PLANNED = (
    select(_p)
    .join(proposal, proposal.c.id == _p.c.proposal_id, isouter=True)
    .where(_p.c.patient_id == bindparam("patient_id"), _p.c.visit_id.is_(None))
    .where(_p.c.done_at.is_(None), _p.c.removed_at.is_(None), or_(_p.c.proposal_id.is_(None), _SIGNED))
    .order_by(_p.c.phase, _p.c.id)
)
_HOUSEHOLD = text(
    """
    SELECT o.id, o.first, o.last, o.birth
    FROM patient p
    JOIN patient o ON o.household_id = p.household_id
    WHERE p.id = :patient_id AND o.id <> p.id AND o.status = 'active'
    ORDER BY o.birth, o.id
    LIMIT 12
    """
)


def planned_for(connection: Connection, patient_id: int) -> list[PlannedService]:
    """The patient's planned services that no visit is to do yet: single ones, and those of a signed option by
    phase.
    """
    return many(connection, _PLANNED, PlannedService, patient_id=patient_id)


def relatives_of(connection: Connection, patient_id: int) -> list[Relative]:
    """The other members of the patient's household, oldest first."""
    return many(connection, _HOUSEHOLD, Relative, patient_id=patient_id)


def planned_for_update(connection: Connection, planned_id: int) -> PlannedService | None:
    return one(connection, select(_p).where(_p.c.id == planned_id).with_for_update(), PlannedService)


def add_planned(
    connection: Connection,
    *,
    patient_id: int,
    service_id: int,
    tooth: str,
    surfaces: str,
    made_at: datetime,
    area: str = "",
    visit_id: int | None = None,
) -> int:
    return add(
        connection,
        _p,
        patient_id=patient_id,
        service_id=service_id,
        tooth=tooth,
        surfaces=surfaces,
        area=area,
        visit_id=visit_id,
        made_at=made_at,
    )


def remove_planned(connection: Connection, planned_id: int, at: datetime) -> None:
    change(connection, _p, planned_id, removed_at=at)


def give_planned(connection: Connection, planned_ids: Sequence[int], visit_id: int) -> None:
    """These planned services are to be done at that visit."""
    connection.execute(update(_p).where(_p.c.id.in_(planned_ids)).values(visit_id=visit_id))


def free_planned(connection: Connection, visit_id: int) -> None:
    """The planned services of a visit go back to planned, but for those that were done."""
    connection.execute(
        update(_p).where(_p.c.visit_id == visit_id, _p.c.done_at.is_(None)).values(visit_id=None)
    )


def take_planned_again(connection: Connection, visit_id: int) -> None:
    """What the visit's lines were to do, and nobody else does by now, is its own again."""
    mine = select(_line.c.planned_id).where(
        _line.c.visit_id == visit_id, _line.c.planned_id.is_not(None), _line.c.removed_at.is_(None)
    )
    connection.execute(update(_p).where(_p.c.id.in_(mine), _p.c.visit_id.is_(None)).values(visit_id=visit_id))


def lines_to_do(connection: Connection, visit_id: int) -> list[VisitLine]:
    query = select(_line).where(_line.c.visit_id == visit_id, _line.c.removed_at.is_(None))
    return many(connection, query, VisitLine)


def add_lines(
    connection: Connection,
    visit_id: int,
    lines: Sequence[NewLine],
    entered_at: datetime,
    entered_by: int | None,
) -> None:
    more = {"visit_id": visit_id, "entered_at": entered_at, "entered_by": entered_by}
    if lines:
        connection.execute(insert(_line), [asdict(line) | more for line in lines])


def tie_line(connection: Connection, line_id: int, planned_id: int) -> None:
    """The line does this planned service."""
    change(connection, _line, line_id, planned_id=planned_id)


def hand_lines(connection: Connection, visit_id: int, before: int, after: int) -> None:
    """What the one provider was to do, the other does."""
    mine = (_line.c.visit_id == visit_id, _line.c.provider_id == before, _line.c.removed_at.is_(None))
    connection.execute(update(_line).where(*mine).values(provider_id=after))


def remove_planned_lines(connection: Connection, visit_id: int, at: datetime) -> None:
    """The lines that do planned services leave the visit."""
    planned = (_line.c.visit_id == visit_id, _line.c.planned_id.is_not(None), _line.c.removed_at.is_(None))
    connection.execute(update(_line).where(*planned).values(removed_at=at))


def put_lines_back(
    connection: Connection, visit_id: int, line_ids: Sequence[int], planned_ids: Sequence[int], at: datetime
) -> None:
    """The visit has these lines and no others, and does these planned services and no others."""
    kept = list(line_ids) or [0]
    others = (_line.c.visit_id == visit_id, _line.c.id.not_in(kept), _line.c.removed_at.is_(None))
    connection.execute(update(_line).where(*others).values(removed_at=at))
    connection.execute(update(_line).where(_line.c.id.in_(kept)).values(removed_at=None))
    connection.execute(update(_p).where(_p.c.visit_id == visit_id).values(visit_id=None))
    give_planned(connection, list(planned_ids) or [0], visit_id)


def value_of_visit(connection: Connection, visit_id: int) -> int:
    """What the visit's services come to, in cents."""
    total = select(func.coalesce(func.sum(_line.c.fee_cents * _line.c.units), 0))
    query = total.where(_line.c.visit_id == visit_id, _line.c.removed_at.is_(None))
    return int(connection.execute(query).scalar_one())


def set_wishes(connection: Connection, patient_id: int, likes: int, never: int) -> bool:
    """Whether there is such a patient."""
    connection.execute(update(patient).where(patient.c.id == patient_id).values(likes=likes, never=never))
    return connection.execute(select(patient.c.id).where(patient.c.id == patient_id)).first() is not None
