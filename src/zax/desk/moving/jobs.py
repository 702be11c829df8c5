"""An import of a list: a job with its file, its columns and, row by row, what came of it. Done in short
transactions, by the worker or the command line.

A dry run does what the import would do and keeps none of it. A job that breaks off goes on where it stood:
each step keeps its rows and the count together.
"""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import replace

from zax.core.errors import Conflict, NotFound, Refused
from zax.core.moving.columns import cells_by_name
from zax.core.moving.job import AT_WORK, JobState, Outcome
from zax.core.moving.sheet import Sheet, SheetRow
from zax.core.people.roles import require
from zax.core.table import Cell, table_lines
from zax.core.wording import list_words
from zax.desk.acts.act import SETUP_RIGHTS, act, in_transaction, refusal_of
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.moving.lists import list_of
from zax.desk.moving.taking import ListIn, Step
from zax.store.engine import NOT_TAKEN, Connection
from zax.store.files import FileStore
from zax.store.moving import imports as stored
from zax.store.moving.imports import ImportJob, ImportRow


class _Rehearsed(Exception):
    """Carries what came of a dry step out of the transaction that is rolled back by it."""

    def __init__(self, results: list[ImportRow]) -> None:
        super().__init__()
        self.results = results


@act("merge")
def open_import(
    tx: Transaction, store: FileStore, kind: str, name: str, content: bytes, ready: bool = False
) -> int:
    """Keep the file and guess its columns; the job's id. `ready`: it needs no preparing. Refused beside
    `file`.
    """
    wanted = _allowed(tx, kind)
    content = content if ready else wanted.prepared(store, content)
    sheet = wanted.sheet(content, tx.clinic)
    return stored.add_job(
        tx.connection,
        kind=kind,
        name=name.replace("\\", "/").split("/")[-1][-120:] or "list",
        digest=store.put(content),
        columns=wanted.columns(tx.clinic).guess(sheet.heading),
        total=len(sheet.rows),
        at=tx.now,
        by_id=tx.actor.id,
    )


def _allowed(tx: Transaction, kind: str) -> ListIn:
    wanted = list_of(kind)
    require(tx.actor.role, wanted.right, tx.clinic.roles.values())
    return wanted


def job_of(connection: Connection, job_id: int) -> ImportJob:
    """NotFound for an unknown one."""
    row = stored.job_of(connection, job_id)
    if row is None:
        raise NotFound("There is no such import.")
    return row


def sheet_of(store: FileStore, job: ImportJob, clinic: Clinic) -> Sheet:
    return list_of(job.kind).sheet(store.get(job.digest), clinic)


@act("merge")
def start_import(
    tx: Transaction, job_id: int, columns: Mapping[str, int], dry: bool, queue: bool = True
) -> None:
    """Begin a run with these columns; the worker carries it out when `queue` says so. Conflict while one runs
    or once it is done.
    """
    job = stored.job_for_update(tx.connection, job_id)
    if job is None:
        raise NotFound("There is no such import.")
    if job.state in AT_WORK:
        raise Conflict("This import is running.")
    if job.state == JobState.DONE:
        raise Conflict("This import is done. To import more, choose a file again.")
    missing = _allowed(tx, job.kind).columns(tx.clinic).missing(columns)
    if missing:
        raise Refused(f"Say which column is: {list_words(missing)}.", "columns")
    if len(set(columns.values())) != len(columns):
        raise Refused("One column is chosen twice.", "columns")
    stored.forget_rows(tx.connection, job_id)
    fresh = replace(
        job,
        columns=dict(columns),
        state=JobState.DRY if dry else JobState.RUNNING,
        dry=dry,
        done=0,
        made=0,
        changed=0,
        known=0,
        refused=0,
        finished_at=None,
    )
    stored.save_job(tx.connection, job, fresh)
    tx.audit("import.started", job_id=job_id, list=job.kind, dry=dry)
    if queue:
        tx.send("import", f"import-{job_id}-{tx.now.timestamp()}", {"job_id": job_id})


@act("merge")
def drop_import(tx: Transaction, job_id: int) -> None:
    """Stop a job; what it has taken in stays."""
    stored.stop_job(tx.connection, job_id, tx.now)
    tx.audit("import.stopped", job_id=job_id)


def run_import(
    desk: Desk,
    actor: Actor,
    store: FileStore,
    job_id: int,
    seconds: float | None = None,
    step: Callable[[ImportJob], None] | None = None,
) -> bool:
    """Carry the job out, for at most so many seconds; whether it is finished. `step` hears of the job after
    each transaction.
    """
    with desk.engine.connect() as connection:
        job = job_of(connection, job_id)
    run = _Run(desk, actor, store, list_of(job.kind), sheet_of(store, job, desk.clinic))
    began = time.monotonic()
    while job.state in AT_WORK:
        job = run.next_step(job)
        if step:
            step(job)
        if seconds is not None and time.monotonic() - began > seconds and job.state in AT_WORK:
            return False
    return True


class _Run:
    """One job at work."""

    def __init__(self, desk: Desk, actor: Actor, store: FileStore, wanted: ListIn, sheet: Sheet) -> None:
        self.desk, self.actor, self.store, self.wanted, self.sheet = desk, actor, store, wanted, sheet
        self._first: dict[tuple[str, ...], int] | None = None

    def next_step(self, job: ImportJob) -> ImportJob:
        """Some rows at once; where the database does not take one of them, each for itself, so that only the
        bad one is refused.
        """
        if job.dry and not self.wanted.rehearses:
            results = self._rehearse(job)
            return in_transaction(self.desk, self.actor, lambda tx: self._keep(tx, job.id, results))
        try:
            return self._in_transaction(lambda tx: self._step(tx, job.id))
        except Refused:
            return self._in_transaction(lambda tx: self._step(tx, job.id, one_by_one=True))

    def _in_transaction(self, work: Callable[[Transaction], ImportJob]) -> ImportJob:
        return in_transaction(self.desk, self.actor, work, records=self.wanted.right in SETUP_RIGHTS)

    def _rehearse(self, job: ImportJob) -> list[ImportRow]:
        def tried(tx: Transaction) -> ImportJob:
            raise _Rehearsed(self._taken(tx, job, self._part(job)))

        try:
            self._in_transaction(tried)
        except _Rehearsed as rehearsed:
            return rehearsed.results
        raise AssertionError("a dry step ends by being rolled back")

    def _part(self, job: ImportJob) -> Sequence[SheetRow]:
        return self.sheet.rows[job.done : job.done + self.wanted.rows_at_once]

    def _step(self, tx: Transaction, job_id: int, one_by_one: bool = False) -> ImportJob:
        job = self._locked(tx, job_id)
        if job.state not in AT_WORK:
            return job
        part = self._part(job)
        if one_by_one:
            results = [result for row in part for result in self._take_one(tx, job, row)]
        else:
            results = self._taken(tx, job, part)
        return self._count(tx, job, results)

    def _keep(self, tx: Transaction, job_id: int, results: list[ImportRow]) -> ImportJob:
        """What a dry step came to; nothing when the job was stopped meanwhile."""
        job = self._locked(tx, job_id)
        return self._count(tx, job, results) if job.state in AT_WORK else job

    @staticmethod
    def _locked(tx: Transaction, job_id: int) -> ImportJob:
        job = stored.job_for_update(tx.connection, job_id)
        if job is None:
            raise NotFound("There is no such import.")
        return job

    def _taken(self, tx: Transaction, job: ImportJob, part: Sequence[SheetRow]) -> list[ImportRow]:
        step = Step(tx, job, self.store, self.wanted.columns(tx.clinic))
        twice = {line: first for line, cells in part if (first := self._same_before(job, line, cells))}
        results = self.wanted.take(step, [row for row in part if row[0] not in twice])
        return results + [
            ImportRow(line, Outcome.REFUSED, f"The same as line {first} of this file.")
            for line, first in twice.items()
        ]

    def _take_one(self, tx: Transaction, job: ImportJob, row: SheetRow) -> list[ImportRow]:
        try:
            with tx.connection.begin_nested():
                return self._taken(tx, job, [row])
        except NOT_TAKEN as error:
            return [ImportRow(row[0], Outcome.REFUSED, refusal_of(error).message)]

    def _same_before(self, job: ImportJob, line: int, cells: Sequence[str]) -> int:
        """The first line of the file that says the same thing, where it is not this one; 0 for none."""
        if self._first is None:
            self._first = {}
            for number, each in self.sheet.rows:
                for key in self._keys(job, each):
                    self._first.setdefault(key, number)
        firsts = [self._first[key] for key in self._keys(job, cells)]
        return next((first for first in firsts if first < line), 0)

    def _keys(self, job: ImportJob, cells: Sequence[str]) -> Iterator[tuple[str, ...]]:
        named = cells_by_name(cells, {name: int(place) for name, place in job.columns.items()})
        # By a number where there is one: two of one name may be two people.
        for fields in self.wanted.same:
            values = tuple(" ".join(named.get(name, "").lower().split()) for name in fields)
            if any(values):
                yield (*fields, *values)
                return

    def _count(self, tx: Transaction, job: ImportJob, results: list[ImportRow]) -> ImportJob:
        stored.add_rows(tx.connection, job.id, results)
        came = Counter(row.outcome for row in results)
        after = replace(
            job,
            made=job.made + came[Outcome.MADE],
            changed=job.changed + came[Outcome.CHANGED],
            known=job.known + came[Outcome.KNOWN],
            refused=job.refused + came[Outcome.REFUSED],
            done=job.done + len(self._part(job)),
        )
        over = after.done >= len(self.sheet.rows)
        if over:
            after = replace(after, state=JobState.CHECKED if job.dry else JobState.DONE, finished_at=tx.now)
        stored.save_job(tx.connection, job, after)
        if over:
            tx.tell("import")
        return after


def refused_lines(connection: Connection, store: FileStore, clinic: Clinic, job_id: int) -> Iterator[str]:
    """The refused rows as they came, with line and reason before them, to be corrected and imported again."""
    job = job_of(connection, job_id)
    sheet = sheet_of(store, job, clinic)
    why = {row.line: row.why for row in stored.rows_of(connection, job_id, Outcome.REFUSED)}
    rows: Iterable[Sequence[Cell]] = ([line, why[line], *cells] for line, cells in sheet.rows if line in why)
    return table_lines(["line", "reason", *sheet.heading], rows)
