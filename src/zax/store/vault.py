"""What must not lie about in clear: encrypted with a key that stands beside the database, not in it (Fernet:
AES-128-CBC with HMAC).
"""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path

from cryptography.fernet import Fernet


class Vault:
    """`Vault(var)` makes its key at first use; only the owner of the folder can read it."""

    def __init__(self, var: Path) -> None:
        path = var / "identity-key"
        if not path.exists():
            var.mkdir(parents=True, exist_ok=True)
            part = path.with_suffix(f".{os.getpid()}")
            part.touch(mode=0o600)
            part.write_bytes(Fernet.generate_key())
            with suppress(FileExistsError):  # the first of two processes wins
                os.link(part, path)
            part.unlink()
        self._fernet = Fernet(path.read_bytes())

    def seal(self, text: str) -> str:
        return self._fernet.encrypt(text.encode()).decode() if text else ""

    def open(self, sealed: str) -> str:
        """Raises cryptography's InvalidToken when the key is another or the text was changed."""
        return self._fernet.decrypt(sealed.encode()).decode() if sealed else ""
