"""How a gateway signs what it tells us: HMAC-SHA256 (RFC 2104) over the moment and the body, with a secret
that both sides have. An old one is not taken, so that nobody can send it again later.
"""

from __future__ import annotations

import hashlib
import hmac
from datetime import UTC, datetime

MOST_SECONDS = 300


def sign(secret: str, at: int, body: bytes) -> str:
    """`at` is Unix seconds."""
    return hmac.new(secret.encode(), f"{at}\n".encode() + body, hashlib.sha256).hexdigest()


def is_signed(secret: str, at_text: str, signature: str, body: bytes, now: datetime) -> bool:
    """Whether the body was signed with the secret within the last minutes; `now` is UTC. Without a secret
    nothing is.
    """
    if not secret or not (at_text.isascii() and at_text.isdecimal() and len(at_text) <= 12):
        return False
    at = int(at_text)
    fresh = abs(now.replace(tzinfo=UTC).timestamp() - at) <= MOST_SECONDS
    return fresh and hmac.compare_digest(sign(secret, at, body).encode(), signature.encode())
