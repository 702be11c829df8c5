"""The stand-in's memory: JSON files in one folder, so that a restart forgets neither a sale nor a file it was
given.
"""

from __future__ import annotations

import json
import os
import re
import threading
from contextlib import suppress
from pathlib import Path
from typing import Any, TypeAlias

_SAFE = re.compile(r"[^A-Za-z0-9._-]")

# What the json library gives and takes.
Json: TypeAlias = dict[str, Any]


class Keep:
    """A folder a kind, a file a thing. Writing goes through a rename, so a file is whole or not there."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.lock = threading.RLock()

    def _path(self, kind: str, key: str) -> Path:
        return self.folder / kind / f"{_SAFE.sub('_', key)[:120]}.json"

    def get(self, kind: str, key: str) -> Json | None:
        path = self._path(kind, key)
        found: Json | None = json.loads(path.read_text()) if path.exists() else None
        return found

    def put(self, kind: str, key: str, value: object) -> None:
        path = self._path(kind, key)
        path.parent.mkdir(parents=True, exist_ok=True)
        part = path.with_suffix(".part")
        part.write_text(json.dumps(value))
        os.replace(part, path)

    def remove(self, kind: str, key: str) -> None:
        self._path(kind, key).unlink(missing_ok=True)

    def all(self, kind: str) -> list[Json]:
        """The oldest first. One that is removed meanwhile isn't there."""
        found: list[tuple[int, str]] = []
        for path in (self.folder / kind).glob("*.json"):
            with suppress(FileNotFoundError):
                found.append((path.stat().st_mtime_ns, path.read_text()))
        return [json.loads(text) for _, text in sorted(found)]
