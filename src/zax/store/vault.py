"""What must not lie about in clear: encrypted with a key that stands beside the database, not in it (Fernet:
AES-128-CBC with HMAC).
"""

from __future__ import annotations

from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken, MultiFernet

from zax.store.keyring import KeyRing

VAULT_KEYS = "identity-key"


def vault_ring(var: Path) -> KeyRing:
    return KeyRing(var / VAULT_KEYS, lambda: Fernet.generate_key().decode())


class Vault:
    """`Vault(var)` makes its key at first use; only the owner of the folder can read it."""

    def __init__(self, var: Path) -> None:
        self.ring = vault_ring(var)
        self._fernet(self.ring.texts)

    def seal(self, text: str) -> str:
        return Fernet(self.ring.newest).encrypt(text.encode()).decode() if text else ""

    def open(self, sealed: str) -> str:
        """Raises cryptography's InvalidToken when the key is another or the text was changed."""
        return self._fernet(self.ring.texts).decrypt(sealed.encode()).decode() if sealed else ""

    def is_newest(self, sealed: str) -> bool:
        """Whether the newest key opens it; so does any for nothing."""
        try:
            return not sealed or bool(Fernet(self.ring.newest).decrypt(sealed.encode()))
        except InvalidToken:
            return False

    @staticmethod
    def _fernet(keys: tuple[str, ...]) -> MultiFernet:
        return MultiFernet([Fernet(each) for each in keys])
