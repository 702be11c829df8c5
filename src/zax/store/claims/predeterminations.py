"""Reading and writing what plans are asked about planned work, and what they answered."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy import Connection, Select, not_, or_, select

from zax.core.claims.states import ClaimState
from zax.core.coverage.estimate import Answered
from zax.store.book.records import PlannedService
from zax.store.charges.tables import planned_service, proposal
from zax.store.claims.claims import ClaimRow
from zax.store.claims.tables import claim, claim_planned
from zax.store.rows import change, many

_p, _asked = planned_service, claim_planned


@dataclass(frozen=True, slots=True, kw_only=True)
class AskedService(PlannedService):
    """A planned service with what a claim asks for it; cents."""

    cents: int

    @property
    def beyond_contract(self) -> int:
        """What the plan's contract takes from the fee, as it answered."""
        return self.cents - self.answered_allowed_cents

    @property
    def patient_cents(self) -> int:
        """What the plan said it would leave to the patient."""
        return self.answered_allowed_cents - self.answered_pays_cents


@dataclass(frozen=True, slots=True, kw_only=True)
class AskingClaim(ClaimRow):
    """A claim that asks about the planned service."""

    planned_id: int


def asked_services(connection: Connection, claim_id: int, still_planned: bool) -> list[AskedService]:
    """What a claim asks about, in its order; `still_planned` leaves out what was done or removed since, and
    work that isn't planned anymore.
    """
    query = select(_p, _asked.c.cents).join(_asked, _asked.c.planned_id == _p.c.id)
    query = query.join(proposal, proposal.c.id == _p.c.proposal_id).where(_asked.c.claim_id == claim_id)
    if still_planned:
        gone = or_(_p.c.removed_at.is_not(None), _p.c.done_at.is_not(None), proposal.c.ended_at.is_not(None))
        query = query.where(not_(gone))
    return many(connection, query.order_by(_asked.c.position), AskedService)


def asking_for_update(connection: Connection, proposal_id: int) -> list[AskingClaim]:
    """The claims that ask about this planned work and are not closed, a row for each of its services."""
    query = _asking(proposal_id).where(claim.c.state != ClaimState.CLOSED)
    return many(connection, query.with_for_update(), AskingClaim)


def last_asking(connection: Connection, proposal_id: int) -> dict[int, AskingClaim]:
    """By planned service, the last claim that asked about it."""
    return {row.planned_id: row for row in many(connection, _asking(proposal_id), AskingClaim)}


def _asking(proposal_id: int) -> Select[tuple[object, ...]]:
    query = select(claim, _asked.c.planned_id).join(_asked, _asked.c.claim_id == claim.c.id)
    return query.where(claim.c.proposal_id == proposal_id).order_by(claim.c.id)


def keep_answer(connection: Connection, planned_id: int, coverage_id: int, answered: Answered) -> None:
    """What the plan of that coverage said of a planned service."""
    change(
        connection,
        _p,
        planned_id,
        answered_on=answered.day,
        answered_coverage_id=coverage_id,
        answered_allowed_cents=answered.allowed,
        answered_pays_cents=answered.pays,
        answered_deductible_cents=answered.deductible,
    )


def answered_services(connection: Connection, planned_ids: Iterable[int]) -> list[PlannedService]:
    """Those of these planned services that a plan has answered about."""
    ids = [*planned_ids]
    query = select(_p).where(_p.c.id.in_(ids), _p.c.answered_on.is_not(None))
    return many(connection, query, PlannedService) if ids else []
