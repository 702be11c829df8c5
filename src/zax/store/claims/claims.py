"""Reading and writing claims, what happened to each, and the X12 files that went out and came in."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, Select, func, insert, select, update

from zax.core.claims.claim import ClaimState
from zax.core.remits.placing import Outcome
from zax.store.claims.tables import claim, claim_event, claim_line, x12_file
from zax.store.listing import Listed, Order, Wanted, listed
from zax.store.people.tables import user
from zax.store.rows import add, change, many, one
from zax.store.schema import coverage, patient, payer, plan, remit_claim, visit

_c, _f, _e = claim, x12_file, claim_event


@dataclass(frozen=True, slots=True, kw_only=True)
class ClaimRow:
    """`findings` hold it back: each with field, where and message."""

    id: int
    number: str
    visit_id: int
    patient_id: int
    coverage_id: int
    dental: bool
    state: str
    cents: int
    paid_cents: int
    findings: Sequence[Mapping[str, str]]
    made_at: datetime
    sent_at: datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class ListedClaim(ClaimRow):
    """With its patient, payer and the day of its visit."""

    first: str
    last: str
    payer_name: str
    day: date


@dataclass(frozen=True, slots=True, kw_only=True)
class X12File:
    id: int
    direction: str
    kind: str
    name: str
    control: str
    text: str
    at: datetime
    outcome: str


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
    draft_number: str,
    visit_id: int,
    patient_id: int,
    coverage_id: int,
    dental: bool,
    cents: int,
    made_at: datetime,
    lines: Sequence[tuple[int, int]],
) -> int:
    """A claim over these lines (line, cents), held back until it is checked; numbered by its id."""
    claim_id = add(
        connection,
        _c,
        number=draft_number,
        visit_id=visit_id,
        patient_id=patient_id,
        coverage_id=coverage_id,
        dental=dental,
        state=ClaimState.HELD_BACK,
        cents=cents,
        findings=[],
        made_at=made_at,
    )
    change(connection, _c, claim_id, number=f"C{claim_id:06d}")
    rows = [
        {"claim_id": claim_id, "line_id": line_id, "position": at, "cents": part}
        for at, (line_id, part) in enumerate(lines, 1)
    ]
    connection.execute(insert(claim_line), rows)
    return claim_id


def claim_of(connection: Connection, claim_id: int) -> ClaimRow | None:
    return one(connection, select(_c).where(_c.c.id == claim_id), ClaimRow)


def claim_for_update(connection: Connection, claim_id: int) -> ClaimRow | None:
    return one(connection, select(_c).where(_c.c.id == claim_id).with_for_update(), ClaimRow)


def claim_by_number(connection: Connection, number: str) -> ClaimRow | None:
    return one(connection, select(_c).where(_c.c.number == number), ClaimRow)


def claims_of_visit_for_update(connection: Connection, visit_id: int) -> list[ClaimRow]:
    return many(connection, select(_c).where(_c.c.visit_id == visit_id).with_for_update(), ClaimRow)


def claims_of_file(connection: Connection, file_id: int) -> list[ClaimRow]:
    """The claims whose life names the file."""
    query = select(_c).join(_e, _e.c.claim_id == _c.c.id).where(_e.c.file_id == file_id).distinct()
    return many(connection, query, ClaimRow)


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


def mark_sent(connection: Connection, claim_id: int, at: datetime) -> None:
    change(connection, _c, claim_id, state=ClaimState.SENT, sent_at=at)


def mark_paid(connection: Connection, claim_id: int, paid_cents: int) -> None:
    """The insurer has answered, and it is closed."""
    change(connection, _c, claim_id, state=ClaimState.CLOSED, paid_cents=paid_cents)


def patients_in_file(connection: Connection, file_id: int) -> list[int]:
    """Those whose claims a file that went or came is about."""
    query = select(_c.c.patient_id).distinct().join(_e, _e.c.claim_id == _c.c.id)
    return [*connection.execute(query.where(_e.c.file_id == file_id)).scalars()]


def add_event(
    connection: Connection, claim_id: int, *, at: datetime, words: str, file_id: int | None, by_id: int | None
) -> None:
    connection.execute(
        insert(_e).values(claim_id=claim_id, at=at, words=words[:500], file_id=file_id, by_id=by_id)
    )


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


def _listed() -> Select[tuple[object, ...]]:
    return (
        select(_c, patient.c.first, patient.c.last, payer.c.name.label("payer_name"), visit.c.day)
        .join(patient, patient.c.id == _c.c.patient_id)
        .join(visit, visit.c.id == _c.c.visit_id)
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
    unpaid = (_c.c.cents - _c.c.paid_cents).label("unpaid")
    orders = {
        Order.OLDEST: (visit.c.day, _c.c.id),
        Order.LARGEST: (unpaid.desc(), visit.c.day, _c.c.id),
        Order.NEWEST: (visit.c.day.desc(), _c.c.id.desc()),
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


def add_file_out(connection: Connection, *, kind: str, draft_digest: str, at: datetime) -> int:
    """A file that is about to be written: its control number is its id."""
    return add(connection, _f, direction="out", kind=kind, digest=draft_digest, text="", at=at)


def keep_file_out(connection: Connection, file_id: int, *, text: str, name: str, digest: str) -> None:
    values = {"text": text, "control": str(file_id), "name": name, "digest": digest}
    connection.execute(update(_f).where(_f.c.id == file_id).values(**values))


def add_file_in(
    connection: Connection, *, kind: str, name: str, digest: str, text: str, at: datetime, outcome: str = ""
) -> int:
    return add(
        connection,
        _f,
        direction="in",
        kind=kind,
        name=name[:80],
        digest=digest,
        text=text,
        at=at,
        outcome=outcome[:255],
    )


def set_outcome(connection: Connection, file_id: int, words: str) -> None:
    change(connection, _f, file_id, outcome=words[:255])


def file_of(connection: Connection, file_id: int) -> X12File | None:
    return one(connection, select(_f).where(_f.c.id == file_id), X12File)


def file_by_digest_for_update(connection: Connection, digest: str) -> X12File | None:
    """The file of this content; the digest is held either way."""
    return one(connection, select(_f).where(_f.c.digest == digest).with_for_update(), X12File)


def file_sent_as(connection: Connection, control: str) -> X12File | None:
    """The file we sent under this control number."""
    return one(connection, select(_f).where(_f.c.direction == "out", _f.c.control == control), X12File)


def files_in(connection: Connection, most: int) -> list[X12File]:
    """The last files from insurers, the newest first."""
    query = select(_f).where(_f.c.direction == "in").order_by(_f.c.id.desc()).limit(most)
    return many(connection, query, X12File)


def listed_files(connection: Connection, wanted: Wanted) -> Listed[X12File]:
    """Every file that came or went."""
    orders = {Order.OLDEST: (_f.c.id,), Order.NEWEST: (_f.c.id.desc(),)}
    return listed(connection, select(_f), X12File, wanted, (_f.c.name, _f.c.kind, _f.c.outcome), orders)
