"""The token that every form carries, so that no other site can send one in somebody's name.

It is bound to this browser (a cookie that no script reads) and to the session that the page was made in. A
form that outlives its session is still good for its own person: once they have signed in again in this
browser, it goes through; for anybody else it does not.
"""

from __future__ import annotations

import hashlib
import hmac
import secrets
from dataclasses import dataclass

# The mark of a page that was made before anybody signed in.
NO_SESSION = "0"


@dataclass(frozen=True, slots=True)
class FormKey:
    """The first of `secrets` signs the tokens, the others still hold; `browser` is this browser's own
    cookie.
    """

    secrets: tuple[bytes, ...]
    browser: str

    def token(self, session_mark: str) -> str:
        return self._signed(self.secrets[0], session_mark)

    def _signed(self, secret: bytes, session_mark: str) -> str:
        mac = hmac.new(secret, f"form|{self.browser}|{session_mark}".encode(), hashlib.sha256)
        return f"{session_mark}.{mac.hexdigest()[:40]}"

    def mark_in(self, token: str) -> str | None:
        """The session that a form of this browser was made in; None for a token that is not ours."""
        mark = token.partition(".")[0]
        ours = bool(self.browser) and any(
            hmac.compare_digest(token.encode(), self._signed(each, mark).encode()) for each in self.secrets
        )
        return mark if ours else None


def new_browser() -> str:
    return secrets.token_urlsafe(24)
