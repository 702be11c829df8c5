"""What makes a record of acts one that nobody can change unseen: each stretch of rows is summed up over the
sum of the stretch before it, so that a row that was changed, put in or taken out later breaks every sum after
it.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

START = "0" * 64


@dataclass(frozen=True, slots=True)
class Seal:
    """`rows` rows with ids after that of the seal before, up to `last_id`; `digest` is the sum over them."""

    last_id: int
    rows: int
    digest: str


def digest_of(before: str, rows: Iterable[Sequence[object]]) -> tuple[str, int]:
    """The sum over the rows, and how many. Values are what JSON can hold, moments as text."""
    sums, count = hashlib.sha256(before.encode()), 0
    for row in rows:
        sums.update(json.dumps(list(row), sort_keys=True, separators=(",", ":"), ensure_ascii=False).encode())
        sums.update(b"\n")
        count += 1
    return sums.hexdigest(), count
