"""Keys that lie beside the database, in files that only their owner can read: one key a line, the newest
first, each with the moment it was made. The newest makes what is made now; the others still open what they
made, until they are thrown away. Every process looks at the file before it uses a key, so a new key holds at
once.
"""

from __future__ import annotations

import os
import secrets
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

from zax.clock import system_now


@dataclass(frozen=True, slots=True)
class Key:
    """`made_at` is UTC; None for one from before they were dated."""

    text: str
    made_at: datetime | None


@dataclass(slots=True)
class KeyRing:
    """The keys in the file `path`; the first is made by `fresh` where there is no file yet."""

    path: Path
    fresh: Callable[[], str]
    _seen: tuple[int, int] = (0, 0)
    _keys: tuple[Key, ...] = field(default=())

    @property
    def keys(self) -> tuple[Key, ...]:
        """The newest first; never none."""
        try:
            found = self.path.stat()
        except FileNotFoundError:
            self._make()
            found = self.path.stat()
        mark = (found.st_mtime_ns, found.st_ino)
        if mark != self._seen or not self._keys:
            self._keys = tuple(_read(line) for line in self.path.read_text().splitlines() if line.strip())
            self._seen = mark
        return self._keys

    @property
    def newest(self) -> str:
        return self.keys[0].text

    @property
    def texts(self) -> tuple[str, ...]:
        return tuple(each.text for each in self.keys)

    def add(self, now: datetime) -> None:
        """A new key before the others; `now` is UTC."""
        self._write((Key(self.fresh(), now), *self.keys))

    def keep(self, count: int) -> None:
        """Only so many of the newest; at least one."""
        self._write(self.keys[: max(1, count)])

    def _make(self) -> None:
        """The first of two processes wins."""
        self.path.parent.mkdir(parents=True, exist_ok=True)
        part = self._part((Key(self.fresh(), system_now()),))
        with suppress(FileExistsError):
            os.link(part, self.path)
        part.unlink()

    def _write(self, keys: tuple[Key, ...]) -> None:
        os.replace(self._part(keys), self.path)

    def _part(self, keys: tuple[Key, ...]) -> Path:
        part = self.path.with_suffix(f".{secrets.token_hex(8)}")
        part.touch(mode=0o600)
        part.write_text("".join(_line(each) for each in keys))
        return part


def _read(line: str) -> Key:
    text, _, made_at = line.strip().partition(" ")
    return Key(text, datetime.fromisoformat(made_at) if made_at else None)


def _line(key: Key) -> str:
    return f"{key.text} {key.made_at.isoformat(timespec='seconds')}\n" if key.made_at else f"{key.text}\n"
