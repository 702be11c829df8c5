"""Reading and writing claims and what happened to each."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import Connection, Select, bindparam, case, func, insert, or_, select, text, update

from zax.core.book.track import Stop
from zax.core.claims.states import CAN_BE_CHECKED, NOT_STANDING, REPLACEABLE, ClaimState
from zax.core.remits.placing import Outcome
from zax.store.claims.tables import claim, claim_event, claim_line, claim_planned, x12_file
from zax.store.listing import Listed, Order, Wanted, listed
from zax.store.people.tables import user
from zax.store.rows import add, change, many, one
from zax.store.schema import coverage, patient, payer, plan, remit_claim, visit

_c, _f, _e = claim, x12_file, claim_event


@dataclass(frozen=True, slots=True, kw_only=True)
class ClaimRow:
    """`findings` are what the checks say (`core.claims.finding`), `kept` those that only look odd and may go,
    with the reason; `carried` is what was added to its charges. `follows_id` is the claim it comes after in
    its case: a corrected, void or second one. One without a visit asks about the planned work of
    `proposal_id`.
    """

    id: int
    number: str
    visit_id: int | None
    proposal_id: int | None
    patient_id: int
    coverage_id: int
    form: str
    rank: str
    frequency: str
    follows_id: int | None
    state: str
    cents: int
    paid_cents: int
    findings: Sequence[Mapping[str, str]]
    carried: Mapping[str, Any]
    kept: Sequence[Mapping[str, str]]
    payer_claim: str
    closed_why: str
    again_on: date | None
    owner_id: int | None
    made_at: datetime
    sent_at: datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class ListedClaim(ClaimRow):
    """With its patient, payer and the day of its visit, or the one on which planned work was asked about."""

    first: str
    last: str
    payer_name: str
    day: date


@dataclass(frozen=True, slots=True)
class ClaimEvent:
    at: datetime
    words: str
    file_id: int | None
    by_name: str | None
    file_name: str | None


def add_claim(
    connection: Connection,
    *,
    visit_id: int | None,
    patient_id: int,
    coverage_id: int,
    form: str,
    cents: int,
    made_at: datetime,
    lines: Sequence[tuple[int, int]] = (),
    proposal_id: int | None = None,
    planned: Sequence[tuple[int, int]] = (),
) -> int:
    """A claim over these lines (line, cents), or one that asks about these planned services; held back until
    it is checked, numbered by its id.
    """
    claim_id = add(
        connection,
        _c,
        number=uuid.uuid4().hex[:20],
        visit_id=visit_id,
        proposal_id=proposal_id,
        patient_id=patient_id,
        coverage_id=coverage_id,
        form=form,
        state=ClaimState.HELD_BACK,
        cents=cents,
        findings=[],
        made_at=made_at,
    )
    change(connection, _c, claim_id, number=f"C{claim_id:06d}")
    for table, ids, about in ((claim_line, lines, "line_id"), (claim_planned, planned, "planned_id")):
        rows = [
            {"claim_id": claim_id, about: each, "position": at, "cents": part}
            for at, (each, part) in enumerate(ids, 1)
        ]
        if rows:
            connection.execute(insert(table), rows)
    return claim_id


def claim_of(connection: Connection, claim_id: int) -> ClaimRow | None:
    return one(connection, select(_c).where(_c.c.id == claim_id), ClaimRow)


def claim_for_update(connection: Connection, claim_id: int) -> ClaimRow | None:
    return one(connection, select(_c).where(_c.c.id == claim_id).with_for_update(), ClaimRow)


def claims_for_update(connection: Connection, claim_ids: Sequence[int]) -> list[ClaimRow]:
    """Held until the transaction ends, in the order everybody holds them."""
    query = select(_c).where(_c.c.id.in_(claim_ids)).order_by(_c.c.id)
    return many(connection, query.with_for_update(), ClaimRow) if claim_ids else []


def claim_by_number(connection: Connection, number: str) -> ClaimRow | None:
    return next(iter(claims_by_number(connection, [number])), None)


def claims_by_number(connection: Connection, numbers: Sequence[str]) -> list[ClaimRow]:
    query = select(_c).where(_c.c.number.in_(numbers)).order_by(_c.c.id)
    return many(connection, query, ClaimRow) if numbers else []


def claims_of_visit_for_update(connection: Connection, visit_id: int) -> list[ClaimRow]:
    """Every claim of a visit in the order they were made, held until the transaction ends."""
    query = select(_c).where(_c.c.visit_id == visit_id).order_by(_c.c.id)
    return many(connection, query.with_for_update(), ClaimRow)


_WITHOUT_CLAIM = text(
    f"""
    SELECT v.id FROM visit v
    JOIN journal j ON j.visit_id = v.id
    WHERE v.state = '{Stop.LEFT}' AND v.day > :since AND NOT EXISTS
        (SELECT 1 FROM claim c WHERE c.visit_id = v.id AND c.closed_why NOT IN {NOT_STANDING})
    GROUP BY v.id
    HAVING SUM(j.insurer_cents) > 0
    UNION
    SELECT v.id FROM claim r
    JOIN visit v ON v.id = r.visit_id
    WHERE r.closed_why IN {REPLACEABLE} AND v.state IN ('{Stop.LEFT}', '{Stop.SETTLED}')
        AND v.day > :since AND NOT EXISTS
        (SELECT 1 FROM claim c WHERE c.visit_id = v.id AND c.closed_why NOT IN {NOT_STANDING})
    ORDER BY id
    """
)


def visits_without_claim(connection: Connection, since: date) -> list[int]:
    """Finished visits after that day with a part of an insurer's, or a claim to replace, and no claim
    that stands.
    """
    return [*connection.execute(_WITHOUT_CLAIM, {"since": since}).scalars()]


def claims_of_file_for_update(connection: Connection, file_id: int) -> list[ClaimRow]:
    """The claims of a file, held until the transaction ends, in the order everybody holds them."""
    within = select(_e.c.claim_id).where(_e.c.file_id == file_id)
    return many(
        connection, select(_c).where(_c.c.id.in_(within)).order_by(_c.c.id).with_for_update(), ClaimRow
    )


def ready_for_update(
    connection: Connection, payer_id: int | None, claim_ids: Sequence[int] | None
) -> list[ClaimRow]:
    """What is ready to send, of one payer or these alone; what another batch holds is left to it."""
    query = select(_c).where(_c.c.state == ClaimState.READY)
    if claim_ids is not None:
        query = query.where(_c.c.id.in_(claim_ids))
    if payer_id is not None:
        mine = select(coverage.c.id).join(plan, plan.c.id == coverage.c.plan_id)
        query = query.where(_c.c.coverage_id.in_(mine.where(plan.c.payer_id == payer_id)))
    return many(connection, query.order_by(_c.c.id).with_for_update(skip_locked=True), ClaimRow)


def any_answered(connection: Connection, claim_ids: Iterable[int]) -> bool:
    """Whether an insurer's answer was posted for one of these claims."""
    query = select(remit_claim.c.id)
    query = query.where(
        remit_claim.c.claim_id.in_(list(claim_ids)), remit_claim.c.outcome == Outcome.POSTED
    ).limit(1)
    return connection.execute(query).first() is not None


def set_state(connection: Connection, claim_id: int, state: ClaimState) -> None:
    change(connection, _c, claim_id, state=state)


def set_findings(
    connection: Connection, claim_id: int, state: ClaimState, findings: Sequence[Mapping[str, str]]
) -> None:
    change(connection, _c, claim_id, state=state, findings=findings)


def set_kept(connection: Connection, claim_id: int, kept: Sequence[Mapping[str, str]]) -> None:
    """What looks odd and may go, with the reasons."""
    change(connection, _c, claim_id, kept=kept)


def set_status(connection: Connection, claim_id: int, words: str) -> None:
    """What the payer last said of it."""
    change(connection, _c, claim_id, status=words[:200])


def mark_asked(connection: Connection, claim_id: int, at: datetime) -> None:
    """The payer is asked how it stands."""
    change(connection, _c, claim_id, asked_at=at)


def overdue_unasked(connection: Connection, ids: Sequence[int], before: datetime) -> list[int]:
    """Those of these claims that were not asked about since then."""
    late = or_(_c.c.asked_at.is_(None), _c.c.asked_at < before)
    return [*connection.execute(select(_c.c.id).where(_c.c.id.in_(ids), late)).scalars()]


def set_payer_claim(connection: Connection, claim_id: int, number: str) -> None:
    """The payer's own number of the claim."""
    change(connection, _c, claim_id, payer_claim=number[:50])


def set_carried(connection: Connection, claim_id: int, carried: Mapping[str, Any]) -> None:
    """What was added to the claim's charges."""
    change(connection, _c, claim_id, carried=carried)


def mark_sent(connection: Connection, claim_id: int, at: datetime) -> None:
    change(connection, _c, claim_id, state=ClaimState.SENT, sent_at=at)


_ANSWERED = (
    update(_c)
    .where(_c.c.id == bindparam("claim_id"))
    .values(
        state=bindparam("now_state"),
        paid_cents=bindparam("paid"),
        answered_at=bindparam("at"),
        payer_claim=bindparam("payer_number"),
        closed_why=bindparam("why"),
    )
)


def mark_answered(connection: Connection, rows: list[Mapping[str, object]]) -> None:
    """The insurer has answered: `now_state` (closed, or denied for `why`), cents `paid` by now, its own
    number of the claim.
    """
    connection.execute(_ANSWERED, rows)


def patients_in_file(connection: Connection, file_id: int) -> list[int]:
    """Those whose claims a file that went or came is about."""
    query = select(_c.c.patient_id).distinct().join(_e, _e.c.claim_id == _c.c.id)
    return [*connection.execute(query.where(_e.c.file_id == file_id)).scalars()]


def close(connection: Connection, claim_id: int, why: str) -> None:
    """It ends without an answer that settles it, for a reason."""
    change(connection, _c, claim_id, state=ClaimState.CLOSED, closed_why=why)


def ask_again_on(connection: Connection, claim_id: int, day: date | None) -> None:
    """Until that day it is not overdue."""
    change(connection, _c, claim_id, again_on=day)


def hand_to(connection: Connection, claim_id: int, user_id: int | None) -> None:
    """Who works on it."""
    change(connection, _c, claim_id, owner_id=user_id)


def follow(
    connection: Connection,
    claim_id: int,
    *,
    follows_id: int,
    rank: str,
    frequency: str,
    carried: Mapping[str, Any],
) -> None:
    """A claim that comes after another one of its case."""
    values = {"follows_id": follows_id, "rank": rank, "frequency": frequency, "carried": carried}
    change(connection, _c, claim_id, **values)


def case_of(connection: Connection, row: ClaimRow) -> list[ListedClaim]:
    """The claim with every other one of its visit, or about the same planned work, in the order they were
    made.
    """
    mine = _c.c.visit_id == row.visit_id if row.visit_id else _c.c.proposal_id == row.proposal_id
    return many(connection, _listed().where(mine).order_by(_c.c.id), ListedClaim)


def line_ids(connection: Connection, claim_id: int) -> list[tuple[int, int]]:
    """(line, cents) of a claim in its order."""
    query = select(claim_line.c.line_id, claim_line.c.cents).where(claim_line.c.claim_id == claim_id)
    return [(row[0], row[1]) for row in connection.execute(query.order_by(claim_line.c.position))]


def wait_for_rest(connection: Connection, claim_id: int) -> None:
    """The payer owes more of it: it waits for that, what was paid stays."""
    change(connection, _c, claim_id, state=ClaimState.ACCEPTED, closed_why="")


def close_decided(connection: Connection, claim_id: int) -> None:
    """Nothing of a denied claim waits for a decision anymore."""
    mine = (_c.c.id == claim_id, _c.c.state == ClaimState.DENIED)
    connection.execute(update(_c).where(*mine).values(state=ClaimState.CLOSED, closed_why=""))


def set_paid(connection: Connection, claim_id: int, paid_cents: int) -> None:
    """What its payer has paid of it by now."""
    change(connection, _c, claim_id, paid_cents=paid_cents)


def waits(connection: Connection, claim_id: int) -> bool:
    """Whether it has not left yet."""
    query = select(_c.c.state).where(_c.c.id == claim_id)
    return connection.execute(query).scalar() in CAN_BE_CHECKED


def mark_passed_on(connection: Connection, claim_id: int, at: datetime) -> None:
    """It is with its payer without having been sent from here."""
    change(connection, _c, claim_id, state=ClaimState.ACCEPTED, sent_at=at)


def wait_again(connection: Connection, claim_id: int) -> None:
    """What the payer decided is undone: the claim is with it again."""
    change(connection, _c, claim_id, state=ClaimState.ACCEPTED, paid_cents=0, answered_at=None, closed_why="")


def claims_with_payer_number(connection: Connection, number: str) -> list[ClaimRow]:
    """Those that the payer has given this number."""
    query = select(_c).where(_c.c.payer_claim == number[:50]).order_by(_c.c.id.desc())
    return many(connection, query, ClaimRow) if number else []


def claims_of_lines(connection: Connection, line_ids: Iterable[int]) -> list[ClaimRow]:
    """Every claim that bills one of these charge lines, the newest first."""
    within = select(claim_line.c.claim_id).where(claim_line.c.line_id.in_(list(line_ids) or [0]))
    return many(connection, select(_c).where(_c.c.id.in_(within)).order_by(_c.c.id.desc()), ClaimRow)


def passed_on(connection: Connection, claim_id: int) -> bool:
    """Whether the payer has said that it passed the claim on to the next plan itself."""
    query = select(remit_claim.c.id).where(remit_claim.c.claim_id == claim_id)
    return bool(connection.execute(query.where(remit_claim.c.outcome == Outcome.PASSED).limit(1)).first())


def second_asked(connection: Connection, claim_id: int) -> None:
    """What the first plan left has been asked of the second: nobody has to decide about it anymore."""
    asked = remit_claim.c.outcome.in_([Outcome.SECOND, Outcome.PASSED])
    waiting = (remit_claim.c.claim_id == claim_id, asked)
    connection.execute(update(remit_claim).where(*waiting).values(outcome=Outcome.POSTED))


def add_events(connection: Connection, rows: list[Mapping[str, object]]) -> None:
    """What happened to claims: claim_id, at (UTC), words, file_id, by_id."""
    connection.execute(insert(_e), rows)


def events_of(connection: Connection, claim_id: int) -> list[ClaimEvent]:
    """A claim's life, oldest first."""
    query = (
        select(_e, user.c.name.label("by_name"), _f.c.name.label("file_name"))
        .join(user, user.c.id == _e.c.by_id, isouter=True)
        .join(_f, _f.c.id == _e.c.file_id, isouter=True)
        .where(_e.c.claim_id == claim_id)
        .order_by(_e.c.id)
    )
    return many(connection, query, ClaimEvent)


_DAY = func.coalesce(visit.c.day, func.date(_c.c.made_at))


def _listed() -> Select[tuple[object, ...]]:
    return (
        select(_c, patient.c.first, patient.c.last, payer.c.name.label("payer_name"), _DAY.label("day"))
        .join(patient, patient.c.id == _c.c.patient_id)
        .join(visit, visit.c.id == _c.c.visit_id, isouter=True)
        .join(coverage, coverage.c.id == _c.c.coverage_id)
        .join(plan, plan.c.id == coverage.c.plan_id)
        .join(payer, payer.c.id == plan.c.payer_id)
    )


def listed_claim(connection: Connection, claim_id: int) -> ListedClaim | None:
    return one(connection, _listed().where(_c.c.id == claim_id), ListedClaim)


def listed_claims(
    connection: Connection, states: Sequence[str], payer_id: int | None, wanted: Wanted
) -> Listed[ListedClaim]:
    """Those of one payer, or of all; `cents` is what is not paid yet. The oldest are those of the oldest
    visits.
    """
    query = _listed().where(_c.c.state.in_(states))
    if payer_id is not None:
        query = query.where(payer.c.id == payer_id)
    owed = case((_c.c.visit_id.is_(None), 0), else_=_c.c.cents - _c.c.paid_cents)
    unpaid = owed.label("unpaid")
    orders = {
        Order.OLDEST: (_DAY, _c.c.id),
        Order.LARGEST: (unpaid.desc(), _DAY, _c.c.id),
        Order.NEWEST: (_DAY.desc(), _c.c.id.desc()),
    }
    named_by = (_c.c.number, patient.c.first, patient.c.last, payer.c.name)
    return listed(connection, query.add_columns(unpaid), ListedClaim, wanted, named_by, orders, "unpaid")


def payers_with_claims(connection: Connection, states: Sequence[str]) -> list[tuple[int, str]]:
    """(id, name) of every payer that has such a claim, by name."""
    query = _listed().where(_c.c.state.in_(states)).with_only_columns(payer.c.id, payer.c.name)
    return [(row[0], row[1]) for row in connection.execute(query.distinct().order_by(payer.c.name))]


def counts_by_state(connection: Connection) -> dict[str, int]:
    query = select(_c.c.state, func.count()).group_by(_c.c.state)
    return {row[0]: row[1] for row in connection.execute(query)}


def claims_in_batch(connection: Connection, file_id: int) -> list[ListedClaim]:
    """The claims of a file, by payer and patient."""
    within = select(_e.c.claim_id).where(_e.c.file_id == file_id)
    order = (payer.c.name, patient.c.last, patient.c.first, _c.c.id)
    return many(connection, _listed().where(_c.c.id.in_(within)).order_by(*order), ListedClaim)
