"""Questions asked of payers and their answers, kept as they went; and the runs over everybody booked."""

from __future__ import annotations

from datetime import date, datetime

from sqlalchemy import Connection, case, func, select, text, update
from sqlalchemy.dialects.mysql import insert

from zax.core.book.track import NOT_CHARGED, Stop
from zax.core.coverage.answer import ASKING, FAILED, FINE, PROBLEM
from zax.store.coverage.records import Check, CheckBatch, CheckToMend, NamedCheck, ToAsk
from zax.store.coverage.tables import eligibility_batch, eligibility_check
from zax.store.listing import Listed, Order, Wanted, listed
from zax.store.people.tables import user
from zax.store.rows import add, change, many, one, sql_list

# Who is in a room already is asked about no more.
_BEFORE_THE_ROOM = sql_list(NOT_CHARGED - {Stop.ROOM})
_BOOKED = text(
    f"""
    SELECT c.id, c.patient_id, MIN(v.id) AS visit_id, MIN(v.day) AS day
    FROM visit v
    JOIN visit_type t ON t.id = v.type_id
    JOIN coverage c ON c.patient_id = v.patient_id AND (c.from_day IS NULL OR c.from_day <= v.day) AND
        (c.to_day IS NULL OR c.to_day >= v.day)
    JOIN plan p ON p.id = c.plan_id AND p.dental = t.dental
    JOIN payer y ON y.id = p.payer_id AND y.eligibility = 'auto'
    WHERE v.day BETWEEN :first AND :last AND v.state IN {_BEFORE_THE_ROOM} AND
        c.member_id <> '' AND (c.checked_at IS NULL OR c.checked_at < :fresh OR c.check_state = '{FAILED}')
    GROUP BY c.id, c.patient_id
    ORDER BY day, visit_id
    """
)
_NEEDS_A_PERSON = text(
    f"""
    SELECT e.id, e.state, e.words, e.answered_at, e.coverage_id, e.patient_id, e.day, p.first, p.last,
        p.phone, c.member_id, n.name AS plan_name, v.start_min, v.id AS visit_id
    FROM eligibility_check e
    JOIN patient p ON p.id = e.patient_id
    JOIN coverage c ON c.id = e.coverage_id
    JOIN plan n ON n.id = c.plan_id
    LEFT JOIN visit v ON v.id = e.visit_id
    WHERE e.state IN {sql_list({PROBLEM, FAILED})} AND e.handled_at IS NULL AND e.day >= :today
        AND e.id = (SELECT MAX(x.id) FROM eligibility_check x
            WHERE x.coverage_id = e.coverage_id AND x.state <> '{ASKING}')
        AND (v.id IS NULL OR v.state IN {sql_list(NOT_CHARGED)})
    ORDER BY e.day, v.start_min, e.id
    """
)


def check_of(connection: Connection, check_id: int) -> Check | None:
    return one(connection, select(eligibility_check).where(eligibility_check.c.id == check_id), Check)


def check_for_update(connection: Connection, check_id: int) -> Check | None:
    query = select(eligibility_check).where(eligibility_check.c.id == check_id)
    return one(connection, query.with_for_update(), Check)


def checks_of(connection: Connection, coverage_id: int, most: int) -> list[NamedCheck]:
    """The last questions about a coverage, the newest first, with who asked."""
    e = eligibility_check
    query = select(e, user.c.name.label("by_name")).join(user, user.c.id == e.c.by_id, isouter=True)
    query = query.where(e.c.coverage_id == coverage_id).order_by(e.c.id.desc()).limit(most)
    return many(connection, query, NamedCheck)


def add_check(
    connection: Connection,
    *,
    patient_id: int,
    coverage_id: int,
    visit_id: int | None,
    batch_id: int | None,
    day: date,
    at: datetime,
    by_id: int | None,
) -> int:
    """A question that is about to be written; its trace is made from its id."""
    return add(
        connection,
        eligibility_check,
        patient_id=patient_id,
        coverage_id=coverage_id,
        visit_id=visit_id,
        batch_id=batch_id,
        trace=f"tmp-{coverage_id}-{at.timestamp()}"[:30],
        day=day,
        at=at,
        by_id=by_id,
        question="",
        state=ASKING,
    )


def keep_question(connection: Connection, check_id: int, trace: str, question: str) -> None:
    change(connection, eligibility_check, check_id, trace=trace, question=question)


def keep_answer(
    connection: Connection, check_id: int, *, state: str, words: str, answer: str | None, at: datetime
) -> None:
    change(
        connection, eligibility_check, check_id, state=state, words=words[:255], answer=answer, answered_at=at
    )


def mark_handled(connection: Connection, check_id: int, at: datetime, by_id: int | None) -> bool:
    """Whether nobody had dealt with it yet."""
    e = eligibility_check
    query = (
        update(e).where(e.c.id == check_id, e.c.handled_at.is_(None)).values(handled_at=at, handled_by=by_id)
    )
    return bool(connection.execute(query).rowcount)


def checks_to_mend(connection: Connection, today: date) -> list[CheckToMend]:
    """Last answers about coming visits that somebody must look at, the soonest visit first."""
    return many(connection, _NEEDS_A_PERSON, CheckToMend, today=today)


def batch_known(connection: Connection, run_key: str) -> bool:
    query = select(eligibility_batch.c.id).where(eligibility_batch.c.run_key == run_key)
    return connection.execute(query).first() is not None


def add_batch(
    connection: Connection, *, at: datetime, by_id: int | None, first_day: date, last_day: date, run_key: str
) -> int | None:
    """A run of this key; None when there is one already."""
    row = insert(eligibility_batch).prefix_with("IGNORE")
    made = connection.execute(
        row.values(at=at, by_id=by_id, first_day=first_day, last_day=last_day, run_key=run_key[:40])
    )
    key = made.inserted_primary_key
    return int(key[0]) if made.rowcount and key is not None else None


def set_batch_total(connection: Connection, batch_id: int, total: int) -> None:
    change(connection, eligibility_batch, batch_id, total=total)


def coverages_to_ask(connection: Connection, first: date, last: date, fresh_since: datetime) -> list[ToAsk]:
    """Coverages of visits booked in these days that nobody has asked about since."""
    return many(connection, _BOOKED, ToAsk, first=first, last=last, fresh=fresh_since)


def listed_batches(connection: Connection, wanted: Wanted) -> Listed[CheckBatch]:
    """The runs with how many questions are answered, and how."""
    b, e = eligibility_batch, eligibility_check
    counted = [
        func.count(case((e.c.state == state, 1))).label(state) for state in (ASKING, FINE, PROBLEM, FAILED)
    ]
    query = select(b, *counted).join(e, e.c.batch_id == b.c.id, isouter=True).group_by(b.c.id)
    orders = {Order.OLDEST: (b.c.id,), Order.NEWEST: (b.c.id.desc(),)}
    return listed(connection, query, CheckBatch, wanted, (), orders)
