"""What people type and what forms send, read one way everywhere: whole numbers, references, days, times of
day.

A value that cannot be read is Refused beside its field. Where a wrong value means "none" (a part of an
address, a choice of a list), `reference` and `day_or_none` say so instead.
"""

from __future__ import annotations

import re
from datetime import date

from zax.core.errors import Refused

_LONGEST_REFERENCE = 9
FIRST_YEAR, LAST_YEAR = 1900, 2200


def whole_number(text: str, field: str, least: int, most: int, words: str = "") -> int:
    """A whole number between two limits; an empty field is the least. `words` is the message for a wrong
    one."""
    typed = text.strip()
    if not typed:
        return least
    return needed_number(typed, field, least, most, words)


def needed_number(text: str, field: str, least: int, most: int, words: str = "") -> int:
    """A whole number between two limits, in the digits 0 to 9; Refused when the field is empty."""
    typed = text.strip()
    if not _is_number(typed) or len(typed) > 6 or not least <= int(typed) <= most:
        raise Refused(words or f"Enter a whole number from {least} to {most}.", field)
    return int(typed)


def reference(text: str) -> int:
    """The number of a row, as a choice or an address carries it; 0 for none and for what is no number."""
    typed = text.strip()
    return int(typed) if _is_number(typed) and len(typed) <= _LONGEST_REFERENCE else 0


def day_or_none(text: str) -> date | None:
    """A day as date fields and addresses write it, 2026-11-24; None for nothing and for what is no day of a
    clinic's life. Years far off would overflow wherever a day is added or taken away.
    """
    try:
        found = date.fromisoformat(text.strip())
    except ValueError:
        return None
    return found if FIRST_YEAR <= found.year <= LAST_YEAR else None


def needed_day(text: str, field: str, words: str) -> date:
    """A day; Refused with `words` beside the field for nothing and for what is no day."""
    found = day_or_none(text)
    if found is None:
        raise Refused(words, field)
    return found


def optional_day(text: str, field: str, words: str) -> date | None:
    """A day, None for an empty field; Refused with `words` for what is no day."""
    return needed_day(text, field, words) if text.strip() else None


def parse_clock(text: str, field: str = "at") -> int:
    """'10:30', '1030', '2 pm' -> minutes from midnight."""
    found = re.fullmatch(r"(\d{1,2})(?::?(\d{2}))?\s*([ap])?\.?m?\.?", text.strip().lower())
    if not found:
        raise Refused(f"“{text.strip()[:12]}” isn’t a time. Write it like 10:30 am.", field)
    hour, minute = int(found[1]), int(found[2] or 0)
    if found[3]:
        hour = hour % 12 + (12 if found[3] == "p" else 0)
    if hour > 23 or minute > 59:
        raise Refused(f"“{text.strip()[:12]}” isn’t a time of day.", field)
    return hour * 60 + minute


def _is_number(text: str) -> bool:
    return text.isascii() and text.isdecimal()
