"""A PIN brings somebody back at a desk where they signed in that day. It is short, so it opens nothing else,
and a few wrong tries shut it.
"""

from __future__ import annotations

from zax.core.errors import Refused

LEAST, MOST = 4, 8
_IN_A_ROW = "0123456789 9876543210"


def check_pin(text: str, field: str = "pin") -> str:
    """The digits; Refused for what is tried first."""
    pin = text.strip()
    if not LEAST <= len(pin) <= MOST or not pin.isdecimal() or not pin.isascii():
        raise Refused(f"A PIN has {LEAST} to {MOST} digits.", field)
    if len(set(pin)) == 1 or pin in _IN_A_ROW:
        raise Refused("That’s the first one anyone would try. Choose another.", field)
    return pin
