"""`zax import patients` and `zax export patients`: the same jobs as on the page, carried out here with a
progress bar.
"""

from __future__ import annotations

from pathlib import Path

from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeElapsedColumn

from zax.core.errors import ZaxError
from zax.core.record.card import write_csv, write_vcard
from zax.core.record.fhir import write_bundle
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk
from zax.desk.record.exporting import cards_of
from zax.desk.record.importing import job_of, open_import, refused_lines, run_import, start_import
from zax.processes import desk_of
from zax.settings import Settings
from zax.store.claims.files import every_file
from zax.store.files import FileStore

console = Console(stderr=True)


def import_file(file: Path, dry: bool, refused: Path) -> int:
    """0 when every row was taken or known, 1 when some were refused, 2 when nothing could be done."""
    settings = Settings()
    try:
        content = file.read_bytes()
    except OSError as error:
        console.print(f"{file} cannot be read: {error.strerror}.")
        return 2
    desk, store = desk_of(settings), FileStore(settings.var)
    try:
        return import_content(desk, store, file.name, content, dry, refused)
    except ZaxError as error:
        console.print(error.message)
        return 2


def import_content(desk: Desk, store: FileStore, name: str, content: bytes, dry: bool, refused: Path) -> int:
    job_id = open_import(desk, WORKER, store, name, content)
    with desk.engine.connect() as connection:
        columns = job_of(connection, job_id).columns
    start_import(desk, WORKER, job_id, columns, dry, queue=False)
    columns_shown = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeElapsedColumn())
    with Progress(*columns_shown, console=console) as bar:
        task = bar.add_task("Dry run" if dry else "Patients", total=None)
        run_import(
            desk,
            WORKER,
            store,
            job_id,
            step=lambda job: bar.update(task, total=job.total, completed=job.done),
        )
    with desk.engine.connect() as connection:
        job = job_of(connection, job_id)
        console.print(
            f"{job.made} {'would be new' if dry else 'new'}, {job.known} known already, {job.refused}"
            " refused."
        )
        if not job.refused:
            return 0
        refused.write_text("".join(refused_lines(connection, store, job_id)), encoding="utf-8")
    console.print(f"The refused rows, with reasons, are in {refused}.")
    return 1


def export_file(file: Path) -> int:
    """0 when written; 2 for an ending that names no format."""
    kind = file.suffix.lower()
    if kind not in {".csv", ".vcf", ".json"}:
        console.print("Name the file .csv, .vcf or .json (FHIR R4).")
        return 2
    desk = desk_of(Settings())
    with desk.engine.connect() as connection, file.open("w", encoding="utf-8", newline="") as out:
        cards = cards_of(connection, desk.clinic, visits=kind == ".json")
        if kind == ".csv":
            out.writelines(write_csv(cards))
        elif kind == ".vcf":
            out.writelines(write_vcard(card) for card in cards)
        else:
            out.write(write_bundle(cards))
    console.print(f"Written to {file}.")
    return 0


def export_x12(folder: Path) -> int:
    """Every kept X12 file under its name; two of one name are told apart by their number. 0 when written."""
    desk = desk_of(Settings())
    folder.mkdir(parents=True, exist_ok=True)
    count = 0
    with desk.engine.connect() as connection:
        for file in every_file(connection):
            name = Path(file.name).name or f"file-{file.id}.x12"
            target = folder / name
            if target.exists():
                target = folder / f"{target.stem}-{file.id}{target.suffix}"
            target.write_text(file.text, encoding="utf-8")
            count += 1
    console.print(f"{count} files written to {folder}.")
    return 0
