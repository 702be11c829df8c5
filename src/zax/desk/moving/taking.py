"""How a list is taken in: what there is to say about a kind of list, and one step of its rows.

Every row stands for itself. One that is refused leaves nothing behind, and the rows around it are taken; so a
row is tried behind a savepoint, and what it had told the screens is forgotten with it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import TypeAlias

from zax.core.errors import ZaxError
from zax.core.moving.columns import ColumnSet, cells_by_name
from zax.core.moving.job import Outcome
from zax.core.moving.sheet import Sheet, SheetRow, read_sheet
from zax.desk.acts.act import refusal_of
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.store.engine import NOT_TAKEN
from zax.store.files import FileStore
from zax.store.moving.imports import ImportJob, ImportRow


@dataclass(frozen=True, slots=True)
class Taken:
    """What came of a row: `why` says it in words, `patient_id` whose it is."""

    outcome: Outcome
    why: str = ""
    patient_id: int | None = None


@dataclass(frozen=True, slots=True)
class Step:
    """Some rows of a job on their way in, within one transaction."""

    tx: Transaction
    job: ImportJob
    store: FileStore
    columns: ColumnSet


Take: TypeAlias = Callable[[Step, Sequence[SheetRow]], list[ImportRow]]
TakeRow: TypeAlias = Callable[[Step, int, Mapping[str, str]], Taken]


@dataclass(frozen=True, slots=True, kw_only=True)
class ListIn:
    """One kind of list. `words` stand for it on pages, `things` are counted ("3 services"); whoever brings it
    needs `right` besides "merge". `same` are the fields by which a row is the same as one before it in the
    file, the first with anything in them; `rows_at_once` go into one transaction, one where a row has to see
    what the row before it made. `rehearses`: its taking writes nothing in a dry run; for the
    others everything is written and rolled back. `prepared` makes of the file that is brought the one that is
    kept and read at every step.
    """

    key: str
    words: str
    things: str
    hint: str
    right: str
    columns: Callable[[Clinic], ColumnSet]
    take: Take
    sheet: Callable[[bytes, Clinic], Sheet] = lambda content, _: read_sheet(content)
    prepared: Callable[[FileStore, bytes], bytes] = lambda _, content: content
    same: tuple[tuple[str, ...], ...] = ()
    rows_at_once: int = 100
    rehearses: bool = False


def each_row(take_row: TakeRow, settle: Callable[[Step, int], None] | None = None) -> Take:
    """Rows taken one by one; `settle` ends a step in which some were made or changed, and hears how many."""

    def take(step: Step, rows: Sequence[SheetRow]) -> list[ImportRow]:
        results = [_tried(step, take_row, line, cells) for line, cells in rows]
        count = sum(each.outcome in {Outcome.MADE, Outcome.CHANGED} for each in results)
        if settle is not None and count:
            settle(step, count)
        return results

    return take


def _tried(step: Step, take_row: TakeRow, line: int, cells: Sequence[str]) -> ImportRow:
    tx, columns = step.tx, {name: int(place) for name, place in step.job.columns.items()}
    queued = {write: list(rows) for write, rows in tx.queued.items()}
    try:
        with tx.connection.begin_nested():
            taken = take_row(step, line, cells_by_name(cells, columns))
    except ZaxError as error:
        tx.queued = queued
        return ImportRow(line, Outcome.REFUSED, step.columns.why(error))
    except NOT_TAKEN as error:
        tx.queued = queued
        return ImportRow(line, Outcome.REFUSED, refusal_of(error).message)
    return ImportRow(line, taken.outcome, taken.why[:255], taken.patient_id)


def setup_changed(key: str) -> Callable[[Step, int], None]:
    """Ends a step of a list that belongs to the setup: one change of it, that can be turned back as one."""

    def settle(step: Step, count: int) -> None:
        step.tx.change_setup("setup.imported", list=key, job_id=step.job.id, count=count)

    return settle


def key_named(text: str, words: Mapping[str, str]) -> str:
    """The key of a choice that is written by its key or its words; the text itself for what is neither."""
    typed = " ".join(text.lower().replace("_", " ").split())
    for key, name in words.items():
        if typed in {key.lower().replace("_", " "), name.lower()}:
            return key
    return text.strip()
