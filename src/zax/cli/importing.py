"""`zax import` and `zax export`: the same jobs as on the pages, carried out here with a progress bar."""

from __future__ import annotations

from pathlib import Path

from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeElapsedColumn

from zax.core.errors import ZaxError
from zax.core.record.card import write_csv, write_vcard
from zax.core.record.fhir import write_bundle
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk
from zax.desk.moving.archive import write_archive
from zax.desk.moving.archive_in import bring_archive
from zax.desk.moving.documents import from_folder
from zax.desk.moving.jobs import job_of, open_import, refused_lines, run_import, start_import
from zax.desk.moving.lists import list_of
from zax.desk.people.inviting import Letters, links_for_managers
from zax.desk.record.exporting import cards_of, note_export, own_names
from zax.processes import desk_of, engine_of
from zax.settings import Settings
from zax.store.claims.files import every_file
from zax.store.files import FileStore
from zax.store.vault import Vault

console = Console(stderr=True)
_SHOWN = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeElapsedColumn())


def import_file(what: str, file: Path, dry: bool, refused: Path) -> int:
    """0 when every row was taken or known, 1 when some were refused, 2 when nothing could be done."""
    settings = Settings()
    desk, store = desk_of(settings), FileStore(settings.var)
    try:
        list_of(what)
        content = from_folder(store, file) if file.is_dir() else file.read_bytes()
        return import_content(desk, store, what, file.name, content, dry, refused, ready=file.is_dir())
    except OSError as error:
        console.print(f"{file} cannot be read: {error.strerror}.")
        return 2
    except ZaxError as error:
        console.print(error.message)
        return 2


def import_content(
    desk: Desk,
    store: FileStore,
    what: str,
    name: str,
    content: bytes,
    dry: bool,
    refused: Path,
    ready: bool = False,
) -> int:
    """`ready`: the content is the index of documents that are in the store already."""
    job_id = open_import(desk, WORKER, store, what, name, content, ready)
    with desk.engine.connect() as connection:
        columns = job_of(connection, job_id).columns
    start_import(desk, WORKER, job_id, columns, dry, queue=False)
    with Progress(*_SHOWN, console=console) as bar:
        task = bar.add_task("Dry run" if dry else list_of(what).words, total=None)
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
            f"{job.made} {'would be new' if dry else 'new'}, {job.changed}"
            f" {'would change' if dry else 'changed'}, {job.known} there already, {job.refused} refused."
        )
        if not job.refused:
            return 0
        refused.write_text("".join(refused_lines(connection, store, desk.clinic, job_id)), encoding="utf-8")
    console.print(f"The refused rows, with reasons, are in {refused}.")
    return 1


def import_archive(file: Path) -> int:
    """A whole clinic into an empty Zax: 0 when it is there, 2 when nothing was kept."""
    settings = Settings()
    engine, store = engine_of(settings), FileStore(settings.var)
    try:
        with Progress(*_SHOWN, console=console) as bar:
            task = bar.add_task("Tables", total=None)
            manifest = bring_archive(
                engine, store, file, lambda done, all_of: bar.update(task, completed=done, total=all_of)
            )
    except ZaxError as error:
        console.print(error.message)
        return 2
    except OSError as error:
        console.print(f"Nothing was kept: {error.strerror}. Make room and run it again.")
        return 2
    desk = desk_of(settings)
    address = str(desk.clinic.about.get("address") or f"http://127.0.0.1:{settings.port}/")
    console.print(f"{manifest.clinic} is here, as of {manifest.made_at[:16].replace('T', ' ')} UTC.")
    console.print("No password came along. With these links, good for 48 hours, managers choose new ones:")
    for sent in links_for_managers(desk, WORKER, Letters(Vault(settings.var), address)):
        console.print(f"  {sent.user.name}  {sent.href}", soft_wrap=True)
    return 0


def export_everything(file: Path) -> int:
    """0 when the archive is written, 2 when it could not be."""
    settings = Settings()
    desk = desk_of(settings)
    try:
        with Progress(*_SHOWN, console=console) as bar:
            task = bar.add_task("Everything", total=None)
            manifest = write_archive(
                desk,
                FileStore(settings.var),
                file,
                lambda done, about: bar.update(task, completed=done, total=about),
            )
    except OSError as error:
        console.print(f"{file} cannot be written: {error.strerror}.")
        return 2
    note_export(desk, WORKER, "everything", "zip")
    rows = sum(each.rows or 0 for each in manifest.files.values())
    console.print(f"{len(manifest.files):,} files with {rows:,} rows of tables are in {file}.")
    return 0


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
            out.writelines(write_csv(cards, own_names(desk.clinic)))
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
