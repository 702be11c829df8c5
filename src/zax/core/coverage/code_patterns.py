"""Services named by their codes, exact (D2740) or by their beginning (D27*), as rules and approvals name
them.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

from zax.core.errors import Refused


def read_codes(text: str, field: str) -> tuple[str, ...]:
    """'D2740, d27*' -> ('D2740', 'D27*'). Refused for what is no code."""
    found = tuple(dict.fromkeys(text.upper().replace(",", " ").split()))
    check_codes(found, field)
    return found


def check_codes(codes: Iterable[str], field: str) -> None:
    for code in codes:
        if not re.fullmatch(r"[A-Z0-9]{1,5}\*?", code, re.ASCII):
            raise Refused(f"“{code}” isn’t a code. Write D2740, or D27* for all that begin with it.", field)


def names(codes: Iterable[str], code: str) -> bool:
    """Whether these name the service."""
    return any(code.startswith(each[:-1]) if each.endswith("*") else code == each for each in codes)
