"""A whole clinic out of an archive, into a Zax in which none lives: first the zip is held against its
manifest, then every row comes in, in one transaction that is kept only when all is as the manifest says,
nothing points to what is not there, and the journal adds up.
"""

from __future__ import annotations

import csv
import hashlib
import io
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path

from zax.core.errors import Conflict, Refused
from zax.core.moving.manifest import NAME, Manifest, read_manifest
from zax.core.table import plain_cell
from zax.desk.money.ledger_audit import recount_within
from zax.store.engine import Connection, Engine
from zax.store.files import FileStore
from zax.store.migrate import newest
from zax.store.moving import everything

_CHUNK = 1 << 20
# A claim file is one cell.
_LONGEST_CELL = 64 * _CHUNK
_STORED = ("documents/", "papers/", "files/")
Progress = Callable[[int, int], None]


def bring_archive(
    engine: Engine, store: FileStore, source: Path, progress: Progress = lambda _done, _all: None
) -> Manifest:
    """What came in. Refused for what is no archive, was changed, or is of another version; Conflict where a
    clinic lives already. Either way nothing was kept.
    """
    try:
        packed = zipfile.ZipFile(source)
    except (zipfile.BadZipFile, OSError) as error:
        raise Refused(f"{source.name} can’t be read as a zip.", "file") from error
    with packed:
        manifest = _checked(packed)
        limit = csv.field_size_limit(_LONGEST_CELL)
        try:
            with engine.begin() as connection:
                if not everything.is_empty(connection):
                    raise Conflict("A clinic lives here already. An archive comes into an empty Zax alone.")
                _rows_in(connection, packed, manifest, progress)
                # Before the rows are kept: a disk that has no room for the files leaves no rows without them.
                for name in manifest.files:
                    if name.startswith(_STORED) and name != "documents/index.csv":
                        store.put(packed.read(name))
        finally:
            csv.field_size_limit(limit)
    return manifest


def _checked(packed: zipfile.ZipFile) -> Manifest:
    """The manifest, once every file of it is there and is what it says."""
    names = {each.filename: each for each in packed.infolist() if not each.is_dir()}
    if NAME not in names or names[NAME].file_size > 64 * _CHUNK:
        raise Refused(f"There is no {NAME} in the archive.", "file")
    try:
        manifest = read_manifest(packed.read(NAME).decode())
    except (zipfile.BadZipFile, UnicodeDecodeError) as error:
        raise Refused("The archive is damaged.", "file") from error
    if manifest.schema != newest():
        raise Refused(
            f"The archive is of version {manifest.schema[:12]}, this Zax of {newest()}. Make it with the same"
            " Zax, then bring it in.",
            "file",
        )
    for name, entry in manifest.files.items():
        if name not in names or _digest(packed, name, entry.size) != entry.sha256:
            raise Refused(f"{name[:80]} isn’t what the manifest says. The archive is damaged.", "file")
    missing = [name for name in everything.tables() if f"tables/{name}.csv" not in manifest.files]
    if missing:
        raise Refused(f"The archive lacks the table {missing[0]}.", "file")
    return manifest


def _digest(packed: zipfile.ZipFile, name: str, size: int) -> str:
    """The SHA-256 of a file of the zip; empty for a damaged one and one that is larger than it should be."""
    digest, left = hashlib.sha256(), size
    try:
        with packed.open(name) as stream:
            while part := stream.read(_CHUNK):
                left -= len(part)
                if left < 0:
                    return ""
                digest.update(part)
    except (zipfile.BadZipFile, EOFError, RuntimeError):
        return ""
    return digest.hexdigest()


def _rows_in(connection: Connection, packed: zipfile.ZipFile, manifest: Manifest, progress: Progress) -> None:
    names = everything.tables()
    everything.without_checks(connection, True)
    everything.clear(connection)
    for done, name in enumerate(names, 1):
        entry = manifest.files[f"tables/{name}.csv"]
        if _table_in(connection, packed, name) != entry.rows:
            raise Refused(f"The table {name} has other rows than the manifest says.", "file")
        progress(done, len(names))
    everything.without_checks(connection, False)
    if dangling := everything.dangling(connection):
        raise Refused(f"The archive doesn’t hold together: {', '.join(dangling)[:200]}.", "file")
    if faults := recount_within(connection).faults:
        raise Refused(f"The journal of the archive doesn’t add up: {faults[0]}", "file")


def _table_in(connection: Connection, packed: zipfile.ZipFile, name: str) -> int:
    with packed.open(f"tables/{name}.csv") as stream:
        rows = _rows(io.TextIOWrapper(stream, encoding="utf-8", newline=""))
        try:
            return everything.add_rows(connection, name, next(rows), rows)
        except (ValueError, KeyError, StopIteration, csv.Error) as error:
            raise Refused(f"The table {name} can’t be read.", "file") from error


def _rows(stream: io.TextIOWrapper) -> Iterator[list[str]]:
    for row in csv.reader(stream):
        yield [plain_cell(cell) for cell in row]
