"""Reading and writing what payers approved beforehand, and what claims have used of it."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime

from sqlalchemy import Connection, select, text

from zax.core.claims.claim import Frequency
from zax.core.claims.states import NOT_STANDING
from zax.core.coverage.approvals import ApprovalOnFile, Use
from zax.store.coverage.tables import approval
from zax.store.rows import add, change, many, one

_a = approval


def approvals_of(connection: Connection, coverage_ids: Sequence[int]) -> list[ApprovalOnFile]:
    """Those of these coverages, the newest first; ended ones too."""
    query = select(_a).where(_a.c.coverage_id.in_(list(coverage_ids) or [0])).order_by(_a.c.id.desc())
    return many(connection, query, ApprovalOnFile)


def approval_for_update(connection: Connection, approval_id: int) -> ApprovalOnFile | None:
    return one(connection, select(_a).where(_a.c.id == approval_id).with_for_update(), ApprovalOnFile)


def add_approval(
    connection: Connection,
    *,
    coverage_id: int,
    kind: str,
    number: str,
    codes: Sequence[str],
    units: int | None,
    from_day: date | None,
    to_day: date | None,
    note: str,
    made_at: datetime,
    made_by: int | None,
) -> int:
    return add(
        connection,
        _a,
        coverage_id=coverage_id,
        kind=kind,
        number=number,
        codes=list(codes),
        units=units,
        from_day=from_day,
        to_day=to_day,
        note=note,
        made_at=made_at,
        made_by=made_by,
    )


def end_approval(connection: Connection, approval_id: int, at: datetime | None) -> None:
    """It counts no longer; None brings it back."""
    change(connection, _a, approval_id, ended_at=at)


_USES = text(
    f"""
    SELECT c.id AS claim_id, c.coverage_id, l.id AS line_id,
        JSON_VALUE(c.carried, '$.authorization') AS authorization,
        JSON_VALUE(c.carried, '$.referral') AS referral, s.code, l.units
    FROM claim c
    JOIN claim_line k ON k.claim_id = c.id
    JOIN charge_line l ON l.id = k.line_id
    JOIN service s ON s.id = l.service_id
    WHERE c.patient_id = :patient_id AND c.frequency <> '{Frequency.VOID}'
        AND c.closed_why NOT IN {NOT_STANDING}
        AND NOT EXISTS (SELECT 1 FROM claim v WHERE v.follows_id = c.id AND v.frequency = '{Frequency.VOID}')
    ORDER BY c.id
    """
)


def uses_of(connection: Connection, patient_id: int) -> list[Use]:
    """What stands on the patient's claims, each service with the numbers its claim names. A corrected claim
    has the same services as the one it replaces.
    """
    found = many(connection, _USES, Use, patient_id=patient_id)
    return [each for each in found if each.authorization or each.referral]
