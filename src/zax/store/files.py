"""The file store: content under its SHA-256, outside anything the web serves. The same content is kept once
and never changed.
"""

from __future__ import annotations

import hashlib
from pathlib import Path

from zax.store.room import kept_whole


class FileStore:
    """`FileStore(var)` keeps under var/files, two letters of the hash a folder."""

    def __init__(self, var: Path) -> None:
        self.var = var
        self.folder = var / "files"

    def path(self, digest: str) -> Path:
        """Where a digest lies; ValueError for anything that is not 64 hexadecimal digits, so that no name can
        lead elsewhere.
        """
        if len(digest) != 64 or not set(digest) <= set("0123456789abcdef"):
            raise ValueError("not a digest")
        return self.folder / digest[:2] / digest

    def put(self, content: bytes) -> str:
        """Keep the content, whole or not at all; its digest. Raises NoRoom on a full disk."""
        digest = hashlib.sha256(content).hexdigest()
        path = self.path(digest)
        if not path.exists():
            with kept_whole(path) as part:
                part.write_bytes(content)
        return digest

    def get(self, digest: str) -> bytes:
        """Raises FileNotFoundError when it was never kept here."""
        return self.path(digest).read_bytes()

    def digests(self) -> list[str]:
        """Of everything that is kept, in order."""
        if not self.folder.exists():
            return []
        return sorted(each.name for each in self.folder.glob("??/*") if len(each.name) == 64)

    @staticmethod
    def is_whole(digest: str, content: bytes) -> bool:
        """Whether the content is still what was put."""
        return hashlib.sha256(content).hexdigest() == digest
