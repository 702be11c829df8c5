"""The list of contents of an archive: every file in it with its size and SHA-256, how many rows a table has,
and what was left out. An archive is brought in only when it is exactly what its manifest says.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass

from zax.core.errors import Refused

FORMAT = "zax-archive-1"
NAME = "manifest.json"


@dataclass(frozen=True, slots=True)
class Entry:
    """One file: bytes, SHA-256 in hexadecimal, and rows where it is a table (the heading is none)."""

    size: int
    sha256: str
    rows: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Manifest:
    """`schema` is the revision of the database, `made_at` UTC; `left_out` says what is not in it, and why."""

    clinic: str
    made_at: str
    schema: str
    files: Mapping[str, Entry]
    left_out: Mapping[str, str]

    def text(self) -> str:
        return json.dumps({"format": FORMAT} | asdict(self), ensure_ascii=False, indent=1)


def read_manifest(text: str) -> Manifest:
    """Refused for what is none."""
    try:
        found = json.loads(text)
        if found["format"] != FORMAT:
            raise Refused(f"This archive is of another format ({str(found['format'])[:30]}).", "file")
        return Manifest(
            clinic=str(found["clinic"]),
            made_at=str(found["made_at"]),
            schema=str(found["schema"]),
            files={str(name): Entry(**each) for name, each in found["files"].items()},
            left_out=dict(found["left_out"]),
        )
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise Refused("The archive’s manifest can’t be read.", "file") from error
