"""Documents from elsewhere: a folder, or a zip of it, with an index that says which file is whose. The files
go into the file store as they are read, under their content; what is kept of the job is the index with the
content's name beside each row. Nothing is ever written under a name that came with the files.
"""

from __future__ import annotations

import io
import zipfile
import zlib
from collections.abc import Callable, Mapping
from datetime import UTC, datetime, time
from pathlib import Path, PurePosixPath

from zax.core.errors import Refused
from zax.core.moving.columns import ColumnSet, listed_day
from zax.core.moving.job import Outcome
from zax.core.moving.sheet import read_sheet
from zax.core.patients.uploads import KINDS, LARGEST
from zax.core.table import table_lines
from zax.desk.moving.taking import ListIn, Step, Taken, each_row, key_named
from zax.desk.moving.whose import WHOSE_OTHERS, WHOSE_WORDS, patient_of
from zax.desk.patients.files import put_file
from zax.store.files import FileStore
from zax.store.patients.files import has_file

INDEX = "index.csv"
STORED = "stored as"
MOST_FILES = 20_000
# Of a zip that is brought by the browser, unpacked.
MOST_UNPACKED = 1024 * 1024 * 1024
_COLUMNS = ColumnSet(
    {"file": "File"} | WHOSE_WORDS | {"kind": "Type", "name": "Title", "day": "Day", "stored": "Stored as"},
    WHOSE_OTHERS
    | {
        "file": "file name|filename|path|document|document file",
        "kind": "type|category|document type",
        "name": "title|description|document name",
        "day": "date|document date|created|scanned",
        "stored": STORED,
    },
    ("file", "stored"),
)
# Reads one file of the bundle by the name the index gives it; None where it is not there.
Reader = Callable[[str], bytes | None]


def unpacked(store: FileStore, content: bytes) -> bytes:
    """The index of a zip with its files put into the store. Refused for what is no zip of an index and files,
    or unpacks to more than a gigabyte.
    """
    try:
        packed = zipfile.ZipFile(io.BytesIO(content))
    except zipfile.BadZipFile:
        raise Refused("Choose a .zip with an index.csv and the files it lists.", "file") from None
    with packed:
        names = {_plain(each.filename): each for each in packed.infolist() if not each.is_dir()}
        if len(names) > MOST_FILES or sum(each.file_size for each in names.values()) > MOST_UNPACKED:
            raise Refused("The zip holds too much. Bring it in parts.", "file")
        index = next((name for name in names if PurePosixPath(name).name.lower() == INDEX), "")
        if not index:
            raise Refused(f"There is no {INDEX} in the zip.", "file")
        folder = PurePosixPath(index).parent

        def read(name: str) -> bytes | None:
            entry = names.get(_plain(str(folder / name))) or names.get(_plain(name))
            return None if entry is None else _read_entry(packed, entry)

        return _indexed(store, _read_entry(packed, names[index]) or b"", read)


def from_folder(store: FileStore, folder: Path) -> bytes:
    """The same for a folder on this machine; a name that leads out of it is not there."""
    root = folder.resolve()

    def read(name: str) -> bytes | None:
        path = (root / _plain(name)).resolve()
        if not path.is_relative_to(root) or not path.is_file() or path.stat().st_size > LARGEST:
            return None
        return path.read_bytes()

    try:
        return _indexed(store, (root / INDEX).read_bytes(), read)
    except OSError as error:
        raise Refused(f"{INDEX} can’t be read: {error.strerror}.", "file") from error


def _plain(name: str) -> str:
    return str(PurePosixPath(name.replace("\\", "/").lstrip("/")))


def _read_entry(packed: zipfile.ZipFile, entry: zipfile.ZipInfo) -> bytes | None:
    """Never more than a file may have, whatever the zip says of its size; None for more, or a damaged one."""
    try:
        with packed.open(entry) as stream:
            content = stream.read(LARGEST + 1)
    except (zipfile.BadZipFile, zlib.error, RuntimeError, EOFError, OSError):
        return None
    return content if len(content) <= LARGEST else None


def _indexed(store: FileStore, index: bytes, read: Reader) -> bytes:
    sheet = read_sheet(index)
    place = _COLUMNS.guess(sheet.heading).get("file")
    if place is None:
        raise Refused(f"{INDEX} has no column for the file names. Call it “file”.", "file")
    # Whatever the index itself says of where content lies is not believed.
    kept = [n for n, title in enumerate(sheet.heading) if title.strip().lower() not in {STORED, "stored"}]
    rows = []
    for _, cells in sheet.rows:
        name = cells[place].strip() if place < len(cells) else ""
        content = read(name) if name else None
        rows.append(
            [*(cells[n] if n < len(cells) else "" for n in kept), store.put(content) if content else ""]
        )
    return "".join(table_lines([*(sheet.heading[n] for n in kept), STORED], rows)).encode()


def take_document(step: Step, _line: int, cells: Mapping[str, str]) -> Taken:
    tx, name = step.tx, cells["file"].strip()
    if not name:
        raise Refused("Write the name of the file.", "file")
    digest = cells["stored"]
    if not digest:
        raise Refused(f"“{name[:60]}” isn’t among the files, or it’s larger than 25 MB.", "file")
    patient_id = patient_of(tx, cells)
    if has_file(tx.connection, patient_id, digest):
        return Taken(Outcome.KNOWN, "is in the record already", patient_id)
    day = listed_day(cells["day"], "day", tx.clinic_day) if cells.get("day", "").strip() else None
    kind = key_named(cells.get("kind") or "other", KINDS)
    put_file(
        tx,
        step.store,
        patient_id,
        kind,
        cells.get("name") or PurePosixPath(_plain(name)).name,
        step.store.get(digest),
        at=None if day is None else datetime.combine(day, time(12), UTC).replace(tzinfo=None),
    )
    return Taken(Outcome.MADE, "", patient_id)


DOCUMENTS = ListIn(
    key="documents",
    words="Documents",
    things="documents",
    hint="a zip with the files and an index.csv: file, patient, type, title, day",
    right="merge",
    columns=lambda _: _COLUMNS,
    take=each_row(take_document),
    prepared=unpacked,
    rows_at_once=20,
)
