"""Everything a clinic has, in one zip of open formats: every row of every table as CSV, the lists as they can
be imported, patients as FHIR and vCards, appointments as a calendar, X12 files, documents and papers, and a
manifest with the SHA-256 of each.

All of it is of one moment: it is read in one transaction that sees nothing of what is written meanwhile. The
zip appears under its name when it is whole, never before.
"""

from __future__ import annotations

import hashlib
import os
import zipfile
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from datetime import date, datetime
from pathlib import Path, PurePosixPath

from zax.clock import local
from zax.core.moving.calendar import write_calendar
from zax.core.moving.manifest import NAME, Entry, Manifest
from zax.core.patients.uploads import KINDS
from zax.core.record.card import write_vcard
from zax.core.record.fhir import bundle_lines
from zax.core.table import Cell, table_lines
from zax.desk.acts.transaction import Desk
from zax.desk.clinic.clinic import Clinic
from zax.desk.moving.lists import LISTS
from zax.desk.moving.lists_out import list_lines, moving_visits
from zax.desk.record.exporting import cards_of
from zax.store.claims.files import every_file
from zax.store.engine import Connection, snapshots
from zax.store.files import FileStore
from zax.store.migrate import newest
from zax.store.moving import everything
from zax.store.moving import out as stored

README = """This is everything {clinic} had in Zax on {day}, in open formats.

tables/       every row of every table: CSV in UTF-8; \\N is nothing at all
lists/        the same lists as Zax imports them: services and fees, payers, plans, patients, appointments ...
patients.json patients, coverages and visits as a FHIR R4 bundle; patients.vcf as vCards
visits.ics    appointments from that day on (RFC 5545)
x12/          every claim file and insurer file, byte for byte
documents/    what is in patients' records, with an index that can be imported
papers/       statements and signed forms
files/        everything else that was kept, named by its SHA-256
manifest.json what is in here, with sizes and SHA-256, and what was skipped

Bring it into an empty Zax with: zax import archive FILE.zip
"""
_MEDIA = {"application/pdf": ".pdf", "image/jpeg": ".jpg", "image/png": ".png", "image/tiff": ".tif"}
# Told after each file: how many are written, of how many there are about.
Progress = Callable[[int, int], None]


@dataclass
class _Writing:
    """The zip on its way, and what is in it so far."""

    packed: zipfile.ZipFile
    progress: Progress
    about: int
    entries: dict[str, Entry] = field(default_factory=dict)

    def write(self, name: str, parts: Iterable[bytes], rows: int | None = None) -> Entry:
        digest, size = hashlib.sha256(), 0
        with self.packed.open(name, "w", force_zip64=True) as stream:
            for part in parts:
                stream.write(part)
                digest.update(part)
                size += len(part)
        self.entries[name] = Entry(size, digest.hexdigest(), rows)
        self.progress(len(self.entries), max(self.about, len(self.entries)))
        return self.entries[name]

    def write_text(self, name: str, lines: Iterable[str]) -> None:
        self.write(name, (line.encode() for line in lines))

    def write_table(self, name: str, heading: list[str], rows: Iterator[list[Cell]]) -> None:
        count = Counter[str]()

        def counted() -> Iterator[list[Cell]]:
            for row in rows:
                count["rows"] += 1
                yield row

        entry = self.write(name, (line.encode() for line in table_lines(heading, counted())))
        self.entries[name] = Entry(entry.size, entry.sha256, count["rows"])


def write_archive(
    desk: Desk, store: FileStore, target: Path, progress: Progress = lambda _done, _about: None
) -> Manifest:
    """The archive at `target`, readable by its owner alone. OSError when the disk does not take it; nothing
    is left then.
    """
    part = target.with_name(f"{target.name}.{os.getpid()}.part")
    target.parent.mkdir(parents=True, exist_ok=True)
    try:
        part.touch(mode=0o600)
        with (
            snapshots(desk.engine).connect() as connection,
            zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED, compresslevel=4) as packed,
        ):
            about = len(everything.tables()) + len(LISTS) + len(store.digests()) + 5
            manifest = _write_all(connection, desk, store, _Writing(packed, progress, about))
            packed.writestr(NAME, manifest.text())
        os.replace(part, target)
    finally:
        part.unlink(missing_ok=True)
    return manifest


def _write_all(connection: Connection, desk: Desk, store: FileStore, writing: _Writing) -> Manifest:
    now, clinic = desk.clock.now(), desk.clinic
    for name in everything.tables():
        rows = everything.rows_of(connection, name)
        writing.write_table(f"tables/{name}.csv", everything.columns_of(name), rows)
    _write_lists(connection, clinic, writing, now)
    for file in every_file(connection):
        writing.write_text(f"x12/{file.id}-{_safe(PurePosixPath(file.name).name)}", [file.text])
    written = _write_documents(connection, store, clinic, writing)
    for name, digest in stored.papers(connection):
        if _write_stored(store, writing, f"papers/{name}", digest):
            written.add(digest)
    for digest in store.digests():
        if digest not in written:
            _write_stored(store, writing, f"files/{digest}", digest)
    name = str(clinic.about.get("clinic_name", "the clinic"))
    writing.write_text("README.txt", [README.format(clinic=name, day=_day_at(clinic, now).isoformat())])
    return Manifest(
        clinic=name,
        made_at=now.isoformat(),
        schema=newest(),
        files=writing.entries,
        left_out=dict(everything.LEFT_OUT)
        | {f"{table}.{each}": "a secret" for table, names in everything.BLANKED.items() for each in names},
    )


def _write_lists(connection: Connection, clinic: Clinic, writing: _Writing, now: datetime) -> None:
    today = _day_at(clinic, now)
    for key in LISTS:
        if key != "documents":
            writing.write_text(f"lists/{key}.csv", list_lines(connection, clinic, key, today))
    writing.write_text("patients.json", bundle_lines(cards_of(connection, clinic, visits=True)))
    writing.write_text("patients.vcf", (write_vcard(card) for card in cards_of(connection, clinic)))
    writing.write_text("visits.ics", write_calendar(moving_visits(connection, clinic, today), now))


def _write_documents(connection: Connection, store: FileStore, clinic: Clinic, writing: _Writing) -> set[str]:
    """The files of every record under names that people read, and their index; the digests that are in."""
    rows, written = [], set()
    for each in stored.documents(connection):
        ending = _MEDIA.get(each.media, "")
        plain = _safe(PurePosixPath(each.name).stem) or each.kind
        name = f"{_safe(each.chart)}/{each.id}-{plain[:60]}{ending}"
        if not _write_stored(store, writing, f"documents/{name}", each.digest):
            continue
        written.add(each.digest)
        kind = KINDS.get(each.kind, each.kind)
        rows.append(
            [name, each.chart, each.first, each.last, each.birth, kind, each.name, _day_at(clinic, each.at)]
        )
    heading = ["File", "Patient number", "First name", "Last name", "Birth date", "Type", "Title", "Day"]
    writing.write_text("documents/index.csv", table_lines(heading, rows))
    return written


def _write_stored(store: FileStore, writing: _Writing, name: str, digest: str) -> bool:
    """Whether the content was there to be written; what is missing is missing in the archive too."""
    try:
        content = store.get(digest)
    except (FileNotFoundError, ValueError):
        return False
    writing.write(name, [content])
    return True


def _day_at(clinic: Clinic, moment: datetime) -> date:
    """The clinic's day of a moment in UTC."""
    return local(moment, clinic.first_site.timezone).date()


def _safe(name: str) -> str:
    """A name that every file system takes: letters, digits, dots, dashes, spaces."""
    kept = "".join(ch if ch.isalnum() or ch in "-._ " else "-" for ch in name)
    return kept.strip(" .") or "unnamed"
