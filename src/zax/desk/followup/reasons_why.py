"""A reason is said where something due is left, changed or ended: never empty, never an essay."""

from __future__ import annotations

from zax.core.errors import Refused

LONGEST = 200


def said(why: str, field: str = "why") -> str:
    """Tidied. Refused beside the field."""
    words = " ".join(why.split())
    if not words:
        raise Refused("Say why.", field)
    if len(words) > LONGEST:
        raise Refused(f"Keep it to {LONGEST} characters.", field)
    return words
