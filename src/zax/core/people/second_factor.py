"""The second proof at sign-in: a code of six digits that an app on the person's own phone shows for half a
minute (RFC 6238 over RFC 4226, by pyotp), or one of ten recovery codes, each good once.

A code counts once: who looks over a shoulder cannot use it again. The clock of a phone may be half a minute
off either way.
"""

from __future__ import annotations

import secrets
from datetime import UTC, datetime

import pyotp

STEP_SECONDS = 30
OFF_BY = 1
RECOVERY_CODES = 10
ISSUER = "Zax"
# Without those that are read as another.
_LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"


def new_secret() -> str:
    return pyotp.random_base32()


def address_of(secret: str, sign_in: str, clinic: str) -> str:
    """What the app reads from the square code (the otpauth key URI)."""
    return pyotp.TOTP(secret).provisioning_uri(name=sign_in, issuer_name=f"{ISSUER} {clinic}".strip())


def step_of(secret: str, code: str, now: datetime) -> int | None:
    """Which half minute since 1970 the code is of; None for a wrong one. `now` is UTC."""
    digits = "".join(code.split())
    if len(digits) != 6 or not digits.isdecimal() or not digits.isascii():
        return None
    here = int(now.replace(tzinfo=UTC).timestamp()) // STEP_SECONDS
    maker = pyotp.TOTP(secret)
    found = None
    for step in range(here - OFF_BY, here + OFF_BY + 1):
        # Each is made and compared, so that the answer takes as long whichever it is.
        if secrets.compare_digest(maker.generate_otp(step), digits):
            found = step
    return found


def new_recovery_codes() -> list[str]:
    """Ten of twelve letters in threes, such as 'k3f-9ab-x2m-7qr'."""
    return ["-".join(_some(3) for _ in range(4)) for _ in range(RECOVERY_CODES)]


def _some(count: int) -> str:
    return "".join(secrets.choice(_LETTERS) for _ in range(count))


def plain_recovery_code(typed: str) -> str:
    """As it is kept, however it was typed."""
    return "".join(ch for ch in typed.lower() if ch in _LETTERS)
