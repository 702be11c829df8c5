"""The name somebody signs in with: short, in plain letters, so that it can be said across a counter."""

from __future__ import annotations

import re

from zax.core.errors import Refused

LONGEST = 40
_SIGN_IN = re.compile(r"[a-z][a-z0-9._-]*", re.ASCII)


def check_sign_in(text: str, field: str = "sign_in") -> str:
    """In lower case; Refused for what can't be one."""
    name = text.strip().lower()
    if not 2 <= len(name) <= LONGEST or not _SIGN_IN.fullmatch(name):
        raise Refused(
            f"Use 2 to {LONGEST} letters and digits, beginning with a letter, such as sam or sam.quill.",
            field,
        )
    return name
