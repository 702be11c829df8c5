"""What people type, read one way everywhere. A value that cannot be read is Refused beside its field."""

from __future__ import annotations

from zax.core.errors import Refused


def whole_number(text: str, field: str, least: int, most: int) -> int:
    """A whole number between two limits; an empty field is the least."""
    typed = text.strip()
    if not typed:
        return least
    if not typed.isdecimal() or len(typed) > 6 or not least <= int(typed) <= most:
        raise Refused(f"A whole number from {least} to {most}.", field)
    return int(typed)
