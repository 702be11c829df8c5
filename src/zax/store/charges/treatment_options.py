"""Reading and writing planned work offered as options in phases; its lines are planned services."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, func, select

from zax.store.arrivals.records import SignedForm
from zax.store.arrivals.tables import signed_form
from zax.store.book.records import PlannedService
from zax.store.charges.tables import planned_service, proposal
from zax.store.rows import add, many, one, save

_p, _s = proposal, planned_service


@dataclass(frozen=True, slots=True, kw_only=True)
class Proposal:
    """`phases` have words and months from the day it was made; `options` their words by letter."""

    id: int
    patient_id: int
    name: str
    phases: Sequence[Mapping[str, str | int]]
    options: Mapping[str, str]
    provider_id: int
    made_at: datetime
    signed_option: str
    signed_at: datetime | None
    ended_at: datetime | None
    version: int


def proposals_of(connection: Connection, patient_id: int) -> list[Proposal]:
    """The patient's proposals that were not ended, newest first."""
    query = select(_p).where(_p.c.patient_id == patient_id, _p.c.ended_at.is_(None)).order_by(_p.c.id.desc())
    return many(connection, query, Proposal)


def proposal_of(connection: Connection, proposal_id: int) -> Proposal | None:
    return one(connection, select(_p).where(_p.c.id == proposal_id), Proposal)


def proposal_for_update(connection: Connection, proposal_id: int) -> Proposal | None:
    return one(connection, select(_p).where(_p.c.id == proposal_id).with_for_update(), Proposal)


def add_proposal(
    connection: Connection,
    *,
    patient_id: int,
    name: str,
    provider_id: int,
    phases: Sequence[Mapping[str, str | int]],
    options: Mapping[str, str],
    made_at: datetime,
    made_by: int | None,
) -> int:
    return add(
        connection,
        _p,
        patient_id=patient_id,
        name=name,
        provider_id=provider_id,
        phases=phases,
        options=options,
        made_at=made_at,
        made_by=made_by,
    )


def save_proposal(connection: Connection, before: Proposal, after: Proposal) -> None:
    save(connection, _p, before, after)


def lines_of(connection: Connection, proposal_id: int) -> list[PlannedService]:
    """The lines of every option, done ones too, by phase."""
    query = select(_s).where(_s.c.proposal_id == proposal_id, _s.c.removed_at.is_(None))
    return many(connection, query.order_by(_s.c.phase, _s.c.id), PlannedService)


def line_for_update(connection: Connection, proposal_id: int, planned_id: int) -> PlannedService | None:
    mine = (_s.c.id == planned_id, _s.c.proposal_id == proposal_id, _s.c.removed_at.is_(None))
    return one(connection, select(_s).where(*mine).with_for_update(), PlannedService)


def save_option_line(connection: Connection, before: PlannedService, after: PlannedService) -> None:
    save(connection, _s, before, after)


def add_option_line(
    connection: Connection,
    *,
    patient_id: int,
    service_id: int,
    tooth: str,
    surfaces: str,
    area: str,
    made_at: datetime,
    proposal_id: int,
    option_letter: str,
    phase: int,
) -> int:
    return add(
        connection,
        _s,
        patient_id=patient_id,
        service_id=service_id,
        tooth=tooth,
        surfaces=surfaces,
        area=area,
        made_at=made_at,
        proposal_id=proposal_id,
        option_letter=option_letter,
        phase=phase,
    )


def last_phase(connection: Connection, proposal_id: int) -> int:
    """The highest phase that has a line."""
    query = select(func.coalesce(func.max(_s.c.phase), 0))
    query = query.where(_s.c.proposal_id == proposal_id, _s.c.removed_at.is_(None))
    return int(connection.execute(query).scalar_one())


def is_booked(connection: Connection, proposal_id: int) -> bool:
    """Whether a visit is to do part of it."""
    query = select(_s.c.id).where(
        _s.c.proposal_id == proposal_id,
        _s.c.visit_id.is_not(None),
        _s.c.done_at.is_(None),
        _s.c.removed_at.is_(None),
    )
    return connection.execute(query).first() is not None


def signed_for(connection: Connection, proposal_id: int) -> SignedForm | None:
    """The paper of the signed option."""
    query = (
        select(signed_form).where(signed_form.c.proposal_id == proposal_id).order_by(signed_form.c.id.desc())
    )
    return one(connection, query.limit(1), SignedForm)
