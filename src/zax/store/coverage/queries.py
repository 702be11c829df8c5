"""Reading coverage: what is on file, what its plan has used up, who else shares a plan or a
member id.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date, datetime

from sqlalchemy import Connection, bindparam, func, or_, select, text

from zax.core.book.track import CHARGED, NOT_CHARGED
from zax.core.claims.states import ANSWERED
from zax.store.coverage.records import Coverage, CoverageTerms, DayCover, DoneLine
from zax.store.rows import add, change, many, one, save, sql_list
from zax.store.schema import coverage, patient, payer, plan

_WITH_PLAN = (
    select(
        coverage,
        plan.c.payer_id,
        plan.c.dental,
        plan.c.name.label("plan_name"),
        payer.c.name.label("payer_name"),
        patient.c.first.label("holder_first"),
        patient.c.last.label("holder_last"),
        patient.c.birth.label("holder_birth"),
    )
    .join(plan, plan.c.id == coverage.c.plan_id)
    .join(payer, payer.c.id == plan.c.payer_id)
    .join(patient, patient.c.id == coverage.c.subscriber_id, isouter=True)
)
_BY_RANK = (coverage.c.rank, coverage.c.id.desc())
_OF_PATIENTS = _WITH_PLAN.where(coverage.c.patient_id.in_(bindparam("patient_ids", expanding=True))).order_by(
    coverage.c.to_day.is_not(None), coverage.c.patient_id, plan.c.dental.desc(), *_BY_RANK
)
_ONE = _WITH_PLAN.where(coverage.c.id == bindparam("coverage_id"))
_SOME = _WITH_PLAN.where(coverage.c.id.in_(bindparam("coverage_ids", expanding=True)))
# In this order always: a patient has a dozen visits, the services have millions of lines. Lines that count
# toward limits: done, on other visits of that kind. `answered` is how many claims with the line the payer has
# closed.
_DONE = text(
    f"""
    SELECT v.patient_id, v.day, s.code, s.category, l.tooth, l.area, l.units,
        COALESCE(l.provider_id, v.provider_id) AS provider_id, a.plan_id AS first_plan_id,
        b.plan_id AS second_plan_id, l.deductible_cents, l.own_cents, l.first_cents, l.second_cents,
        l.second_deductible_cents, l.second_own_cents, (SELECT COUNT(*) FROM claim_line k JOIN claim c ON c.id
        = k.claim_id WHERE k.line_id = l.id AND c.state IN {sql_list(ANSWERED)}) AS answered, (SELECT
        COALESCE(-SUM(j.insurer_cents), 0) FROM journal j WHERE j.line_id = l.id AND j.kind = 'insurer') AS
        paid
    FROM visit v
    STRAIGHT_JOIN charge_line l ON l.visit_id = v.id
    STRAIGHT_JOIN service s ON s.id = l.service_id
    LEFT JOIN coverage a ON a.id = l.first_coverage_id
    LEFT JOIN coverage b ON b.id = l.second_coverage_id
    WHERE v.patient_id IN :patient_ids AND v.id <> :visit_id AND s.dental = :dental AND l.removed_at IS NULL
        AND v.day <= :day AND v.state IN {sql_list(CHARGED)}
    ORDER BY v.day, l.id
    """
).bindparams(bindparam("patient_ids", expanding=True))
_SAME_PLAN_AT_HOME = text(
    """
    SELECT DISTINCT o.patient_id
    FROM patient p
    JOIN patient m ON m.household_id = p.household_id
    JOIN coverage o ON o.patient_id = m.id
    WHERE p.id = :patient_id AND o.plan_id = :plan_id AND (o.to_day IS NULL OR o.to_day >= :day)
    """
)
_DAY_STATES = text(
    f"""
    SELECT v.id AS visit_id, c.member_id, c.checked_at, c.check_state, y.eligibility
    FROM visit v
    JOIN visit_type t ON t.id = v.type_id
    LEFT JOIN (coverage c JOIN plan p ON p.id = c.plan_id JOIN payer y ON y.id = p.payer_id) ON c.patient_id
        = v.patient_id AND p.dental = t.dental AND c.rank = 1 AND (c.from_day IS NULL OR c.from_day <=
        v.day) AND (c.to_day IS NULL OR c.to_day >= v.day)
    WHERE v.day = :day AND v.site_id = :site_id AND v.state IN {sql_list(NOT_CHARGED)}
    """
)


def coverages_of(connection: Connection, patient_ids: Sequence[int]) -> list[Coverage]:
    """All coverages of these patients with plan and payer, those that have ended last."""
    return many(connection, _OF_PATIENTS, Coverage, patient_ids=list(patient_ids) or [0])


def one_coverage(connection: Connection, coverage_id: int) -> Coverage | None:
    return one(connection, _ONE, Coverage, coverage_id=coverage_id)


def coverages_by_id(connection: Connection, coverage_ids: Iterable[int]) -> dict[int, Coverage]:
    found = many(connection, _SOME, Coverage, coverage_ids=list(coverage_ids) or [0])
    return {each.id: each for each in found}


def done_lines(
    connection: Connection, patient_ids: list[int], dental: bool, day: date, without_visit: int
) -> list[DoneLine]:
    """What was done for these people up to the day, oldest first, with what the plans were expected to pay
    and paid.
    """
    values = {"patient_ids": patient_ids, "visit_id": without_visit, "dental": dental, "day": day}
    return many(connection, _DONE, DoneLine, **values)


def sharing_plan(connection: Connection, patient_id: int, plan_id: int, day: date) -> list[int]:
    """The people of the household who are covered by the same plan, the patient among them."""
    found = connection.execute(_SAME_PLAN_AT_HOME, {"patient_id": patient_id, "plan_id": plan_id, "day": day})
    return [*found.scalars()]


def day_states(connection: Connection, day: date, site_id: int) -> dict[int, DayCover]:
    """By visit of a site's day: the first coverage of the visit's kind, when it was checked and how; all None
    without one.
    """
    return {each.visit_id: each for each in many(connection, _DAY_STATES, DayCover, day=day, site_id=site_id)}


def coverage_for_update(connection: Connection, patient_id: int, coverage_id: int) -> Coverage | None:
    """A coverage of this patient, held until the transaction ends."""
    mine = (coverage.c.id == coverage_id, coverage.c.patient_id == patient_id)
    held = connection.execute(select(coverage.c.id).where(*mine).with_for_update()).first()
    return one_coverage(connection, coverage_id) if held is not None else None


def rivals_for_update(
    connection: Connection, patient_id: int, coverage_id: int, rank: int, dental: bool
) -> list[Coverage]:
    """The patient's other coverages of this rank and kind, held until the transaction ends."""
    other = (coverage.c.patient_id == patient_id, coverage.c.id != coverage_id, coverage.c.rank == rank)
    connection.execute(select(coverage.c.id).where(*other).with_for_update()).all()
    query = _WITH_PLAN.where(*other, plan.c.dental == dental).order_by(coverage.c.id)
    return many(connection, query, Coverage)


def add_coverage(connection: Connection, patient_id: int, terms: CoverageTerms) -> int:
    return add(
        connection,
        coverage,
        patient_id=patient_id,
        plan_id=terms.plan_id,
        rank=terms.rank,
        subscriber_id=terms.subscriber_id,
        relationship=terms.relationship,
        member_id=terms.member_id,
        member_key=terms.member_key,
        group_number=terms.group_number,
        from_day=terms.from_day,
        to_day=terms.to_day,
        holder=terms.holder,
    )


def save_coverage(connection: Connection, before: Coverage, after: Coverage) -> None:
    save(connection, coverage, before, after)


def note_check(connection: Connection, coverage_id: int, state: str, at: datetime | None) -> None:
    """How the coverage stands; without a moment an earlier answer goes on counting from its own."""
    values = {"check_state": state} if at is None else {"check_state": state, "checked_at": at}
    change(connection, coverage, coverage_id, **values)


def is_covered_through(connection: Connection, patient_id: int, holder_id: int, today: date) -> bool:
    """Whether a coverage of the patient that has not ended is held by this other one."""
    query = select(coverage.c.id).where(
        coverage.c.patient_id == patient_id,
        coverage.c.subscriber_id == holder_id,
        or_(coverage.c.to_day.is_(None), coverage.c.to_day >= today),
    )
    return connection.execute(query.limit(1)).first() is not None


def other_with_member_key(
    connection: Connection, *, key: str, payer_id: int, patient_id: int, household_id: int, holder_id: int
) -> str | None:
    """The name of somebody outside the household, not the holder, who has this member id with the payer."""
    query = (
        select(patient.c.first, patient.c.last)
        .join(coverage, coverage.c.patient_id == patient.c.id)
        .join(plan, plan.c.id == coverage.c.plan_id)
        .where(
            coverage.c.member_key == key,
            plan.c.payer_id == payer_id,
            patient.c.id.not_in((patient_id, holder_id)),
            patient.c.household_id != household_id,
            patient.c.merged_into_id.is_(None),
        )
        .limit(1)
    )
    found = connection.execute(query).first()
    return f"{found.first} {found.last}" if found else None


def patients_by_plan(connection: Connection, today: date) -> dict[int, int]:
    """How many patients have each plan now."""
    query = (
        select(coverage.c.plan_id, func.count(coverage.c.patient_id.distinct()))
        .where(or_(coverage.c.to_day.is_(None), coverage.c.to_day >= today))
        .group_by(coverage.c.plan_id)
    )
    return {row[0]: row[1] for row in connection.execute(query)}


def patients_with(connection: Connection, plan_id: int, today: date) -> int:
    """How many patients a correction of the plan touches: those whose coverage by it has not ended."""
    return patients_by_plan(connection, today).get(plan_id, 0)
