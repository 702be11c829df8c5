"""A table as it comes from elsewhere: how the bytes of a file become rows.

A file says nothing reliable about its encoding: a byte-order mark counts only if the rest agrees, then UTF-8,
then the Windows form of Latin-1, in which every byte means something. The separator is the one that cuts the
first lines into equal rows.
"""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from typing import TypeAlias

from zax.core.errors import Refused

MOST_ROWS = 200_000
# The line of the file on which a row begins, and its cells.
SheetRow: TypeAlias = tuple[int, tuple[str, ...]]


def decode(content: bytes) -> str:
    """The text of a file in whatever of the usual encodings it is."""
    if content.startswith((b"\xff\xfe", b"\xfe\xff")):
        try:
            return content.decode("utf-16")
        except UnicodeDecodeError:
            content = content[2:]
    body = content.removeprefix(b"\xef\xbb\xbf")
    try:
        return body.decode("utf-8")
    except UnicodeDecodeError:
        return body.decode("cp1252", errors="replace")


@dataclass(frozen=True, slots=True)
class Sheet:
    """A table as read: its heading and its rows."""

    heading: tuple[str, ...]
    rows: tuple[SheetRow, ...]


def read_sheet(content: bytes) -> Sheet:
    """Refused for an empty file, one without rows, or one with more than 200,000."""
    text = decode(content)
    if not text.strip():
        raise Refused("The file is empty.", "file")
    if "\x00" in text:
        raise Refused("This isn’t a CSV file. Export it as CSV and try again.", "file")
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=_separator(text), strict=False)
    rows: list[SheetRow] = []
    try:
        heading = tuple(cell.strip() for cell in next(reader))
        line = reader.line_num + 1
        for row in reader:
            if any(cell.strip() for cell in row):
                rows.append((line, tuple(row)))
            line = reader.line_num + 1
            if len(rows) > MOST_ROWS:
                raise Refused(f"The file has more than {MOST_ROWS:,} rows. Split it into several.", "file")
    except csv.Error as error:
        raise Refused(f"The file can’t be read as a table: {error}.", "file") from error
    if not rows:
        raise Refused("The file has a header but no rows.", "file")
    return Sheet(heading, tuple(rows))


def _separator(text: str) -> str:
    lines = [line for line in text.splitlines()[:20] if line.strip()]
    counts = {each: [line.count(each) for line in lines] for each in (",", ";", "\t", "|")}
    return max(counts, key=lambda each: (min(counts[each]), sum(counts[each])))
