"""Reading and writing statements, runs of them, and whom a rule may pick."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, func, insert, select, text, update

from zax.core.money.statement import PAPER, StatementState
from zax.store.clinic.settings import hold
from zax.store.listing import Listed, Order, Wanted, listed
from zax.store.money.records import StatementRow, StatementRun
from zax.store.money.tables import interest_charged, statement, statement_run
from zax.store.patients.tables import household, patient, patient_flag
from zax.store.people.tables import user
from zax.store.rows import add, change, many, one

_s, _r = statement, statement_run
# Households with something open on the patient's side, with what insurers owe on top.
_OPEN = text(
    """
    SELECT p.household_id, h.name, MIN(CASE WHEN p.guarantor THEN p.first END) AS first,
        SUM(j.patient_cents) AS patient_cents, SUM(j.insurer_cents) AS insurer_cents
    FROM journal j
    JOIN patient p ON p.id = j.patient_id
    JOIN household h ON h.id = p.household_id
    GROUP BY p.household_id
    HAVING patient_cents > 0
    ORDER BY h.name, h.id
    """
)


@dataclass(frozen=True, slots=True, kw_only=True)
class OwingHousehold:
    household_id: int
    name: str
    first: str | None
    patient_cents: int
    insurer_cents: int


@dataclass(frozen=True, slots=True, kw_only=True)
class NamedRun(StatementRun):
    by_name: str


@dataclass(frozen=True, slots=True, kw_only=True)
class NamedStatement(StatementRow):
    """With the household's name."""

    name: str


def owing_households(connection: Connection) -> list[OwingHousehold]:
    return many(connection, _OPEN, OwingHousehold)


def last_statements(connection: Connection) -> dict[int, date]:
    """{household: the day of its last statement}."""
    query = (
        select(_s.c.household_id, func.max(_s.c.day))
        .where(_s.c.state == StatementState.MADE)
        .group_by(_s.c.household_id)
    )
    return {row[0]: row[1] for row in connection.execute(query)}


def flags_by_household(connection: Connection) -> dict[int, set[int]]:
    """The flags that are on anybody of a household."""
    query = select(patient.c.household_id, patient_flag.c.flag_id)
    query = query.join(patient, patient.c.id == patient_flag.c.patient_id).where(
        patient_flag.c.ended_at.is_(None)
    )
    found: dict[int, set[int]] = defaultdict(set)
    for row in connection.execute(query):
        found[row.household_id].add(row.flag_id)
    return found


def anybody_of(connection: Connection, household_id: int) -> int | None:
    """Somebody of a household, who pays before the others."""
    query = select(patient.c.id).where(patient.c.household_id == household_id)
    return connection.execute(query.order_by(patient.c.guarantor.desc(), patient.c.id).limit(1)).scalar()


def add_statement(
    connection: Connection,
    *,
    household_id: int,
    patient_id: int | None,
    day: date,
    made_at: datetime,
    by_id: int | None,
) -> int:
    return add(
        connection,
        _s,
        household_id=household_id,
        patient_id=patient_id,
        day=day,
        made_at=made_at,
        by_id=by_id,
    )


def keep_statement(
    connection: Connection, number: int, *, cents: int, digest: str, size: int, made_at: datetime
) -> None:
    """It is made: its content lies in the file store."""
    change(
        connection,
        _s,
        number,
        cents=cents,
        digest=digest,
        bytes=size,
        state=StatementState.MADE,
        made_at=made_at,
    )


def set_way(connection: Connection, number: int, **values: object) -> None:
    """How it goes: `way`, `link`, and when it was told of, opened or printed."""
    change(connection, _s, number, **values)


def to_tell(connection: Connection, most: int) -> list[StatementRow]:
    """Those that go by a notice which was not written yet."""
    query = select(_s).where(
        _s.c.state == StatementState.MADE, _s.c.way != PAPER, _s.c.told_at.is_(None), _s.c.link.is_not(None)
    )
    return many(connection, query.order_by(_s.c.id).limit(most), StatementRow)


def unopened(connection: Connection, told_before: datetime) -> list[int]:
    """Those that nobody opened since their notice went."""
    query = select(_s.c.id).where(_s.c.way != PAPER, _s.c.opened_at.is_(None), _s.c.told_at < told_before)
    return list(connection.execute(query).scalars())


def to_print(connection: Connection) -> list[NamedStatement]:
    """Statements of runs that go on paper and were not printed yet."""
    query = select(_s, household.c.name).join(household, household.c.id == _s.c.household_id)
    query = query.where(
        _s.c.state == StatementState.MADE,
        _s.c.way == PAPER,
        _s.c.run_id.is_not(None),
        _s.c.printed_at.is_(None),
    )
    return many(connection, query.order_by(household.c.name, _s.c.id), NamedStatement)


def note_printed(connection: Connection, numbers: Iterable[int], at: datetime) -> None:
    connection.execute(update(_s).where(_s.c.id.in_(list(numbers))).values(printed_at=at))


def statement_by_link(connection: Connection, link: str) -> StatementRow | None:
    return one(connection, select(_s).where(_s.c.link == link), StatementRow)


def statement_of(connection: Connection, number: int) -> StatementRow | None:
    return one(connection, select(_s).where(_s.c.id == number), StatementRow)


def members_of(connection: Connection, households: Iterable[int]) -> list[int]:
    """The patients of these households."""
    query = select(patient.c.id).where(patient.c.household_id.in_(list(households)))
    return [*connection.execute(query).scalars()]


def statements_of(connection: Connection, household_id: int) -> list[StatementRow]:
    """The household's statements, the newest first."""
    query = (
        select(_s)
        .where(_s.c.household_id == household_id, _s.c.state == StatementState.MADE)
        .order_by(_s.c.id.desc())
    )
    return many(connection, query, StatementRow)


def claim_interest(connection: Connection, line_ids: Iterable[int], today: date, since: date) -> set[int]:
    """Those lines that may bear interest in this month: no other run has charged them in it, nor after
    `since`. They are claimed by a unique key, so that no two runs ever charge one.
    """
    wanted = sorted(line_ids)
    late = select(interest_charged.c.line_id).where(
        interest_charged.c.line_id.in_(wanted), interest_charged.c.day > since
    )
    had = set(connection.execute(late).scalars())
    month = today.replace(day=1)
    claim = insert(interest_charged).prefix_with("IGNORE")
    return {
        line
        for line in wanted
        if line not in had and connection.execute(claim.values(line_id=line, month=month, day=today)).rowcount
    }


def run_being_made(connection: Connection) -> bool:
    """Whether a run is being made now; of two that ask, one waits until the other is through."""
    hold(connection, "statement_run")
    query = select(_r.c.id).where(_r.c.state == StatementState.WAITING).with_for_update()
    return connection.execute(query).first() is not None


def add_run(
    connection: Connection,
    *,
    rule: Mapping[str, object],
    day: date,
    made_at: datetime,
    by_id: int | None,
    households: Iterable[int],
) -> int:
    """A run with a statement for each of these households, to be made."""
    chosen = list(households)
    run_id = add(connection, _r, rule=rule, day=day, total=len(chosen), made_at=made_at, by_id=by_id)
    more = {"run_id": run_id, "day": day, "made_at": made_at, "by_id": by_id}
    connection.execute(insert(_s), [{"household_id": each} | more for each in chosen])
    return run_id


def run_row(connection: Connection, run_id: int) -> StatementRun | None:
    return one(connection, select(_r).where(_r.c.id == run_id), StatementRun)


def waiting_run_for_update(connection: Connection, run_id: int) -> StatementRun | None:
    query = select(_r).where(_r.c.id == run_id, _r.c.state == StatementState.WAITING).with_for_update()
    return one(connection, query, StatementRun)


def end_run(connection: Connection, run_id: int, state: str, at: datetime) -> None:
    """Nothing happens to one that has ended."""
    waiting = (_r.c.id == run_id, _r.c.state == StatementState.WAITING)
    connection.execute(update(_r).where(*waiting).values(state=state, ended_at=at))


def count_made(connection: Connection, run_id: int) -> None:
    connection.execute(update(_r).where(_r.c.id == run_id).values(done=_r.c.done + 1))


def waiting_statements(connection: Connection, run_id: int, most: int) -> list[StatementRow]:
    query = (
        select(_s)
        .where(_s.c.run_id == run_id, _s.c.state == StatementState.WAITING)
        .order_by(_s.c.id)
        .limit(most)
    )
    return many(connection, query, StatementRow)


def listed_runs(connection: Connection, wanted: Wanted) -> Listed[NamedRun]:
    """Every run; found by who made it."""
    query = select(_r, user.c.name.label("by_name")).join(user, user.c.id == _r.c.by_id)
    orders = {Order.OLDEST: (_r.c.id,), Order.NEWEST: (_r.c.id.desc(),)}
    return listed(connection, query, NamedRun, wanted, (user.c.name,), orders)


def statements_of_run(connection: Connection, run_id: int) -> list[NamedStatement]:
    """By the household's name."""
    query = select(_s, household.c.name).join(household, household.c.id == _s.c.household_id)
    query = query.where(_s.c.run_id == run_id).order_by(household.c.name, _s.c.id)
    return many(connection, query, NamedStatement)
