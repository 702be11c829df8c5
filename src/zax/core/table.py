"""Tables that go out as CSV, line by line, and cells that come back.

Every cell of text is guarded: one that a spreadsheet would run as a formula gets an apostrophe before it,
which is taken off again when it comes back. Numbers are numbers and stay as they are.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Sequence
from datetime import date
from decimal import Decimal
from typing import TypeAlias

Cell: TypeAlias = str | int | Decimal | date | None
_RUNS = frozenset("=+-@\t\r'")


def table_lines(heading: Sequence[str], rows: Iterable[Sequence[Cell]]) -> Iterator[str]:
    """The heading, then every row as it comes."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow([safe_cell(each) for each in heading])
    yield _drain(out)
    for row in rows:
        writer.writerow([safe_cell(each) if isinstance(each, str) else each for each in row])
        yield _drain(out)


def safe_cell(text: str) -> str:
    """The text as a spreadsheet shows it without running it."""
    return f"'{text}" if text[:1] in _RUNS and text else text


def plain_cell(text: str) -> str:
    """What `safe_cell` guarded, as it was."""
    return text[1:] if text[:1] == "'" and text[1:2] in _RUNS and len(text) > 1 else text


def _drain(out: io.StringIO) -> str:
    text = out.getvalue()
    out.seek(0)
    out.truncate()
    return text
