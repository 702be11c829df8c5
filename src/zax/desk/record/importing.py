"""Importing patients: a job with its file, its columns and, row by row, what came of it. Done in short
transactions, by the worker or the command line.

A dry run does everything but keep the patients. A row whose name and birth date are on file is known and left
alone; one that only looks like somebody is imported and appears among the likely pairs. A job that breaks off
goes on where it stood: each step keeps rows and count together.
"""

from __future__ import annotations

import hashlib
import time
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from datetime import date

from zax.core.coverage.member import member_key
from zax.core.errors import Conflict, NotFound, Refused, ZaxError
from zax.core.money.journal import Kind
from zax.core.record.card import read_vcards
from zax.core.record.fhir import read_bundle
from zax.core.record.importing import (
    AT_WORK,
    COLUMNS,
    NEEDED,
    JobState,
    Row,
    Sheet,
    guess_columns,
    read_row,
    read_sheet,
    why_refused,
)
from zax.core.table import Cell, table_lines
from zax.desk.acts.act import act, in_transaction, refusal_of
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.money.ledger import books_day
from zax.desk.patients.details import name_keys
from zax.store.engine import NOT_TAKEN, Connection
from zax.store.files import FileStore
from zax.store.record import imports as stored
from zax.store.record.imports import ImportJob, ImportRow

STEP = 500


def sheet_of(content: bytes) -> Sheet:
    """The table in a CSV, vCard or FHIR file; Refused when it is none of them."""
    start = content.lstrip(b"\xef\xbb\xbf \r\n\t")[:20]
    if start[:1] == b"{" or start.upper().startswith(b"BEGIN:VCARD"):
        try:
            cards = (
                read_bundle(content.decode("utf-8-sig"))
                if start[:1] == b"{"
                else read_vcards(content.decode("utf-8-sig"))
            )
        except (ValueError, LookupError, AttributeError) as error:
            raise Refused(f"The file can’t be read: {str(error).splitlines()[0][:120]}.", "file") from error
        heading = tuple(COLUMNS)
        rows = tuple(
            (n, tuple(_sound_text(card.values.get(name, "")) for name in heading))
            for n, card in enumerate(cards, 1)
        )
        if not rows:
            raise Refused("The file holds no patient.", "file")
        return Sheet(heading, rows)
    return read_sheet(content)


def _sound_text(text: str) -> str:
    """JSON may hold half of a character (a lone surrogate), which no database keeps."""
    return text.encode(errors="replace").decode()


@act("merge")
def open_import(tx: Transaction, store: FileStore, name: str, content: bytes) -> int:
    """Keep the file and guess its columns; the job's id. Refused beside `file`."""
    sheet = sheet_of(content)
    return stored.add_job(
        tx.connection,
        name=name.replace("\\", "/").split("/")[-1][-120:] or "list",
        digest=store.put(content),
        columns=guess_columns(sheet.heading),
        total=len(sheet.rows),
        at=tx.now,
        by_id=tx.actor.id,
    )


def job_of(connection: Connection, job_id: int) -> ImportJob:
    """NotFound for an unknown one."""
    row = stored.job_of(connection, job_id)
    if row is None:
        raise NotFound("There is no such import.")
    return row


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
    missing = [COLUMNS[name] for name in NEEDED if name not in columns]
    if missing:
        raise Refused(f"Say which column is: {' and '.join(missing)}.", "columns")
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
        known=0,
        refused=0,
        finished_at=None,
    )
    stored.save_job(tx.connection, job, fresh)
    tx.audit("import.started", job_id=job_id, dry=dry)
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
    sheet = sheet_of(store.get(job.digest))
    began = time.monotonic()
    while job.state in AT_WORK:
        job = _next_step(desk, actor, job_id, sheet)
        if step:
            step(job)
        if seconds is not None and time.monotonic() - began > seconds and job.state in AT_WORK:
            return False
    return True


def _next_step(desk: Desk, actor: Actor, job_id: int, sheet: Sheet) -> ImportJob:
    """Some rows at once; where the database does not take one of them, each for itself, so that only the bad
    one is refused.
    """
    try:
        return in_transaction(desk, actor, lambda tx: _step(tx, job_id, sheet))
    except Refused:
        return in_transaction(desk, actor, lambda tx: _step(tx, job_id, sheet, one_by_one=True))


def _step(tx: Transaction, job_id: int, sheet: Sheet, one_by_one: bool = False) -> ImportJob:
    job = stored.job_for_update(tx.connection, job_id)
    if job is None:
        raise NotFound("There is no such import.")
    if job.state not in AT_WORK:
        return job
    part = sheet.rows[job.done : job.done + STEP]
    if one_by_one:
        results = [result for row in part for result in _take_one(tx, job, row)]
    else:
        results = _Part(tx, job, part).take_in()
    stored.add_rows(tx.connection, job_id, results)
    count = {kind: sum(row.outcome == kind for row in results) for kind in ("made", "known", "refused")}
    after = replace(
        job,
        made=job.made + count["made"],
        known=job.known + count["known"],
        refused=job.refused + count["refused"],
        done=job.done + len(part),
    )
    over = after.done >= len(sheet.rows)
    if over:
        after = replace(after, state=JobState.CHECKED if job.dry else JobState.DONE, finished_at=tx.now)
    stored.save_job(tx.connection, job, after)
    if over:
        tx.tell("import")
    return after


def _take_one(tx: Transaction, job: ImportJob, row: tuple[int, tuple[str, ...]]) -> list[ImportRow]:
    try:
        with tx.connection.begin_nested():
            return _Part(tx, job, [row]).take_in()
    except NOT_TAKEN as error:
        return [ImportRow(row[0], "refused", refusal_of(error).message, None)]


@dataclass(slots=True)
class _Part:
    """One step's rows on their way in."""

    tx: Transaction
    job: ImportJob
    part: Sequence[tuple[int, tuple[str, ...]]]

    def take_in(self) -> list[ImportRow]:
        """What came of each row."""
        today = self.tx.clinic_day
        good: list[tuple[int, Row]] = []
        results: list[ImportRow] = []
        columns = {name: int(place) for name, place in self.job.columns.items()}
        for line, cells in self.part:
            try:
                row = read_row(cells, columns, today)
                _plan_of(self.tx.clinic, row)
            except ZaxError as error:
                results.append(ImportRow(line, "refused", why_refused(error), None))
            else:
                good.append((line, row))
        fresh = self._sort_out(good, results)
        if fresh:
            results += (
                self._keep(fresh, today)
                if not self.job.dry
                else [ImportRow(line, "made", "", None) for line, _ in fresh]
            )
        return results

    def _sort_out(self, good: list[tuple[int, Row]], results: list[ImportRow]) -> list[tuple[int, Row]]:
        """Those not on file yet: neither by number nor by name and birth date, nor twice among these rows."""
        keys = {line: self._key(row) for line, row in good}
        found = stored.patients_named(self.tx.connection, [key[:2] for key in keys.values()])
        on_file = {(each.last_key, each.first_key, each.birth): each.id for each in found}
        charts = stored.patients_numbered(self.tx.connection, [row.chart for _, row in good if row.chart])
        fresh: list[tuple[int, Row]] = []
        seen: set[tuple[object, ...]] = set()
        for line, row in good:
            key = keys[line]
            other = on_file.get(key)
            if other is not None:
                results.append(ImportRow(line, "known", "the same name and birth date are on file", other))
            elif row.chart and row.chart in charts:
                results.append(
                    ImportRow(
                        line,
                        "refused",
                        f"Number {row.chart} belongs to someone else on file.",
                        charts[row.chart],
                    )
                )
            elif key in seen or (row.chart and ("chart", row.chart) in seen):
                results.append(
                    ImportRow(line, "known", "the same person is listed earlier in this file", None)
                )
            else:
                seen |= {key, ("chart", row.chart)}
                fresh.append((line, row))
        return fresh

    @staticmethod
    def _key(row: Row) -> tuple[str, str, date | None]:
        keys = asdict(name_keys(row.values["first"], row.values["last"]))
        return keys["last_key"], keys["first_key"], row.values["birth"]

    def _keep(self, fresh: list[tuple[int, Row]], today: date) -> list[ImportRow]:
        homes = self._households(fresh)
        first_of_home = {home: n for n, home in reversed(list(enumerate(homes)))}
        joined = stored.households_with_payer(self.tx.connection, set(homes))
        rows = [
            {
                **row.values,
                **asdict(name_keys(row.values["first"], row.values["last"])),
                "chart": row.chart or None,
                "household_id": homes[n],
                "guarantor": first_of_home[homes[n]] == n and homes[n] not in joined,
                "made_at": self.tx.now,
            }
            for n, (_, row) in enumerate(fresh)
        ]
        ids = stored.add_patients(self.tx.connection, rows)
        covers = [
            {
                "patient_id": number,
                "subscriber_id": number,
                "plan_id": plan,
                "member_id": row.member_id,
                "member_key": member_key(row.member_id),
                "group_number": row.group_number,
                "from_day": date(today.year, 1, 1),
            }
            for number, (_, row) in zip(ids, fresh, strict=True)
            if (plan := _plan_of(self.tx.clinic, row))
        ]
        stored.add_coverages(self.tx.connection, covers)
        self._bring_balances(
            [(number, row.balance) for number, (_, row) in zip(ids, fresh, strict=True) if row.balance]
        )
        stored.audit_imported(self.tx.connection, ids, self.job.id, self.tx.now, self.tx.actor.id)
        return [ImportRow(line, "made", "", number) for number, (line, _) in zip(ids, fresh, strict=True)]

    def _bring_balances(self, balances: list[tuple[int, int]]) -> None:
        """What was owed elsewhere is a line of the patient's own ledger; a credit waits there."""
        site_id = self.tx.clinic.first_site.id
        owing = [(number, cents) for number, cents in balances if cents > 0]
        words = "Starting balance"
        lines = stored.add_opening_lines(self.tx.connection, owing, words, self.tx.now, self.tx.actor.id)
        line_of = {number: line for (number, _), line in zip(owing, lines, strict=True)}
        entries = [
            {
                "kind": Kind.OPENING,
                "day": books_day(self.tx, site_id),
                "at": self.tx.now,
                "by_id": self.tx.actor.id,
                "site_id": site_id,
                "patient_id": number,
                "line_id": line_of.get(number),
                "patient_cents": cents,
                "insurer_cents": 0,
                "words": words,
            }
            for number, cents in balances
        ]
        stored.add_entries(self.tx.connection, entries)

    def _households(self, fresh: list[tuple[int, Row]]) -> list[int]:
        """A household for each row: shared by rows of one text in this file (also of earlier steps), else
        their own.
        """
        mark = hashlib.sha256(f"import-{self.job.id}".encode()).hexdigest()[:10]
        wanted = {row.household: f"{mark} {row.household}"[:80] for _, row in fresh if row.household}
        known = stored.households_named(self.tx.connection, wanted.values()) if wanted else {}
        new = [name for name in dict.fromkeys(wanted.values()) if name not in known]
        lonely = [row.values["last"] for _, row in fresh if not row.household]
        ids = stored.add_households(self.tx.connection, [*new, *lonely])
        known |= dict(zip(new, ids, strict=False))
        alone = iter(ids[len(new) :])
        return [known[wanted[row.household]] if row.household else next(alone) for _, row in fresh]


def _plan_of(clinic: Clinic, row: Row) -> int:
    """The plan a row names, by its name or that of its payer and itself; 0 for none, Refused for one the
    clinic does not have.
    """
    if not row.plan:
        return 0
    wanted = " ".join(row.plan.lower().split())
    found = [
        p.id
        for p in clinic.plans.values()
        if p.active and wanted in {p.name.lower(), f"{p.payer_name} {p.name}".lower()}
    ]
    if len(found) != 1:
        raise Refused(f"The clinic has no plan “{row.plan[:40]}”. Enter it first, or fix its name.", "plan")
    return found[0]


def refused_lines(connection: Connection, store: FileStore, job_id: int) -> Iterator[str]:
    """The refused rows as they came, with line and reason before them, to be corrected and imported again."""
    job = job_of(connection, job_id)
    sheet = sheet_of(store.get(job.digest))
    why = {row.line: row.why for row in stored.rows_of(connection, job_id, "refused")}
    rows: Iterable[Sequence[Cell]] = ([line, why[line], *cells] for line, cells in sheet.rows if line in why)
    return table_lines(["line", "reason", *sheet.heading], rows)
