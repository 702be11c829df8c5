"""Reading and writing imports: the job, what came of each row, and whole steps of new patients at once."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, Table, delete, func, insert, select, tuple_, update

from zax.core.money.journal import Kind
from zax.core.moving.job import JobState
from zax.store.listing import Listed, Order, Wanted, listed
from zax.store.moving.tables import import_job, import_row
from zax.store.rows import add, many, one, save
from zax.store.schema import audit, charge_line, coverage, household, journal, patient

_j, _r = import_job, import_row
_STANDING = func.coalesce(patient.c.merged_into_id, patient.c.id).label("id")


@dataclass(frozen=True, slots=True, kw_only=True)
class ImportJob:
    """`kind` is the list's key (desk/moving/lists); `columns` say which column of the file is which field;
    the counts are rows.
    """

    id: int
    kind: str
    name: str
    digest: str
    columns: Mapping[str, int]
    state: str
    dry: bool
    total: int
    done: int
    made: int
    changed: int
    known: int
    refused: int
    words: str
    at: datetime
    by_id: int | None
    finished_at: datetime | None


@dataclass(frozen=True, slots=True)
class ImportRow:
    """What came of one row, and why."""

    line: int
    outcome: str
    why: str = ""
    patient_id: int | None = None


@dataclass(frozen=True, slots=True)
class OnFile:
    """A patient on file; of a record that was merged, `id` is the one that stands."""

    id: int
    first_key: str
    last_key: str
    birth: date | None


def add_job(
    connection: Connection,
    *,
    kind: str,
    name: str,
    digest: str,
    columns: Mapping[str, int],
    total: int,
    at: datetime,
    by_id: int | None,
) -> int:
    return add(
        connection, _j, kind=kind, name=name, digest=digest, columns=columns, total=total, at=at, by_id=by_id
    )


def job_of(connection: Connection, job_id: int) -> ImportJob | None:
    return one(connection, select(_j).where(_j.c.id == job_id), ImportJob)


def job_for_update(connection: Connection, job_id: int) -> ImportJob | None:
    return one(connection, select(_j).where(_j.c.id == job_id).with_for_update(), ImportJob)


def listed_jobs(connection: Connection, wanted: Wanted) -> Listed[ImportJob]:
    """Every file that was opened; found by its name."""
    orders = {Order.OLDEST: (_j.c.id,), Order.NEWEST: (_j.c.id.desc(),)}
    return listed(connection, select(_j), ImportJob, wanted, (_j.c.name,), orders)


def save_job(connection: Connection, before: ImportJob, after: ImportJob) -> None:
    save(connection, _j, before, after)


def stop_job(connection: Connection, job_id: int, at: datetime) -> None:
    """Nothing happens to one that is done."""
    going = (_j.c.id == job_id, _j.c.state != JobState.DONE)
    connection.execute(update(_j).where(*going).values(state=JobState.STOPPED, finished_at=at))


def forget_rows(connection: Connection, job_id: int) -> None:
    connection.execute(delete(_r).where(_r.c.job_id == job_id))


def add_rows(connection: Connection, job_id: int, rows: Sequence[ImportRow]) -> None:
    values = [
        {
            "job_id": job_id,
            "line": row.line,
            "outcome": row.outcome,
            "why": row.why,
            "patient_id": row.patient_id,
        }
        for row in rows
    ]
    if values:
        connection.execute(insert(_r), values)


def rows_of(connection: Connection, job_id: int, outcome: str, most: int | None = None) -> list[ImportRow]:
    """The rows of one outcome, in the order of the file."""
    query = select(_r).where(_r.c.job_id == job_id, _r.c.outcome == outcome).order_by(_r.c.line)
    return many(connection, query.limit(most) if most else query, ImportRow)


def patients_named(connection: Connection, names: Iterable[tuple[str, str]]) -> list[OnFile]:
    """Who is on file under these names: (last, first) as they are found by."""
    both = tuple_(patient.c.last_key, patient.c.first_key)
    query = select(_STANDING, patient.c.first_key, patient.c.last_key, patient.c.birth)
    return many(connection, query.where(both.in_(list(names) or [("", "")])), OnFile)


def patients_numbered(connection: Connection, charts: Iterable[str]) -> dict[str, int]:
    """{number of a chart: the patient who has it}."""
    query = select(patient.c.chart, _STANDING).where(patient.c.chart.in_(list(charts) or [""]))
    return {row.chart: row.id for row in connection.execute(query)}


def households_named(connection: Connection, names: Iterable[str]) -> dict[str, int]:
    query = select(household.c.name, household.c.id).where(household.c.name.in_(list(names) or [""]))
    return {row.name: row.id for row in connection.execute(query)}


def households_with_payer(connection: Connection, households: Iterable[int]) -> set[int]:
    """Those that have somebody who pays."""
    query = select(patient.c.household_id).where(
        patient.c.household_id.in_(list(households)), patient.c.guarantor
    )
    return set(connection.execute(query).scalars())


def add_households(connection: Connection, names: Sequence[str]) -> list[int]:
    return _insert(connection, household, [{"name": name} for name in names])


def add_patients(connection: Connection, patients: Sequence[Mapping[str, object]]) -> list[int]:
    """New patients with the fields of the record by name; their ids, in order."""
    return _insert(connection, patient, patients)


def add_coverages(connection: Connection, coverages: Sequence[Mapping[str, object]]) -> None:
    if coverages:
        connection.execute(insert(coverage), list(coverages))


def add_opening_lines(
    connection: Connection, balances: Sequence[tuple[int, int, str]], at: datetime, by_id: int | None
) -> list[int]:
    """A line of the own ledger for each (patient, cents owed elsewhere, words)."""
    more = {"kind": "opening", "billed": False, "entered_at": at, "entered_by": by_id}
    rows = [
        {"patient_id": number, "fee_cents": cents, "words": words} | more for number, cents, words in balances
    ]
    return _insert(connection, charge_line, rows)


def starting_balance(connection: Connection, patient_id: int) -> int | None:
    """What the patient brought along, in cents; None without a starting balance."""
    query = select(func.sum(journal.c.patient_cents)).where(
        journal.c.patient_id == patient_id, journal.c.kind == Kind.OPENING
    )
    found = connection.execute(query).scalar()
    return None if found is None else int(found)


def add_entries(connection: Connection, entries: Sequence[Mapping[str, object]]) -> None:
    if entries:
        connection.execute(insert(journal), list(entries))


def audit_imported(
    connection: Connection, patient_ids: Sequence[int], job_id: int, at: datetime, by_id: int | None
) -> None:
    row = {"at": at, "by_id": by_id, "act": "patient.imported", "detail": {"job_id": job_id}}
    if patient_ids:
        connection.execute(insert(audit), [row | {"patient_id": number} for number in patient_ids])


def _insert(connection: Connection, table: Table, rows: Sequence[Mapping[str, object]]) -> list[int]:
    if not rows:
        return []
    made = connection.execute(insert(table).returning(table.c.id, sort_by_parameter_order=True), list(rows))
    return list(made.scalars())
