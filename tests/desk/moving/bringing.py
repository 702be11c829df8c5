"""How tests bring a list in: opened, its columns guessed, run to its end."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Mapping
from pathlib import Path

from tests.conftest import SAM
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk
from zax.desk.moving.jobs import job_of, open_import, run_import, start_import
from zax.store.files import FileStore
from zax.store.moving.imports import ImportJob, ImportRow, rows_of


def bring(
    desk: Desk, folder: Path, kind: str, content: str | bytes, dry: bool = False, actor: Actor = SAM
) -> ImportJob:
    """The job once it is over."""
    store = FileStore(folder)
    data = content.encode() if isinstance(content, str) else content
    job_id = open_import(desk, actor, store, kind, "list.csv", data)
    with desk.engine.connect() as connection:
        columns = job_of(connection, job_id).columns
    start_import(desk, actor, job_id, columns, dry, queue=False)
    assert run_import(desk, actor, store, job_id)
    with desk.engine.connect() as connection:
        return job_of(connection, job_id)


def counts(job: ImportJob) -> tuple[int, int, int, int]:
    """Made, changed, known, refused."""
    return job.made, job.changed, job.known, job.refused


def came(desk: Desk, job: ImportJob, outcome: str) -> dict[int, str]:
    """{line: why} of the rows of one outcome."""
    with desk.engine.connect() as connection:
        rows: list[ImportRow] = rows_of(connection, job.id, outcome)
    return {row.line: row.why for row in rows}


def zipped(files: Mapping[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, content in files.items():
            packed.writestr(name, content)
    return out.getvalue()
