"""What people type and what forms send, read one way everywhere: whole numbers, references, days, times of
day. What wording writes is understood again, in either style.

A value that cannot be read is Refused beside its field. Where a wrong value means "none" (a part of an
address, a choice of a list), `reference` and `day_or_none` say so instead.
"""

from __future__ import annotations

import re
from datetime import date

from zax.core.errors import Refused
from zax.core.wording import END_OF_DAY, clock_words, style

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


_MONTHS = (
    *("january", "february", "march", "april", "may", "june"),
    *("july", "august", "september", "october", "november", "december"),
)


def month_number(word: str) -> int:
    """'nov', 'sept', 'november' in lower case -> 11; 0 for what begins no month's name or two."""
    found = [number for number, name in enumerate(_MONTHS, 1) if name.startswith(word)]
    return found[0] if len(word) >= 3 and len(found) == 1 else 0


_CLOCK = re.compile(r"(\d{1,2})(?:[:.]?(\d{2}))?\s*([ap])?\.?m?\.?", re.ASCII)
_NAMED = {"noon": 12 * 60, "midnight": 0}
FIRST_MORNING_HOUR = 7


def parse_clock(text: str, field: str = "at") -> int:
    """'10:30', '1030', '2 pm', '14:30', 'noon' -> minutes from midnight.

    Where the clinic writes 'am' and 'pm', a bare hour is one of the clinic's: 7 to 11 are in the morning, 12
    to 6 after noon ('2:30' is 2:30 pm). Two digits before the colon mean the 24-hour clock: '02:30'.
    """
    typed = text.strip().lower()
    if typed in _NAMED:
        return _NAMED[typed]
    found = _CLOCK.fullmatch(typed)
    if not found:
        raise Refused(f"“{text.strip()[:12]}” isn’t a time. Write it like {clock_words(630)}.", field)
    hour, minute = int(found[1]), int(found[2] or 0)
    if hour > (12 if found[3] else 23) or minute > 59:
        raise Refused(f"“{text.strip()[:12]}” isn’t a time of day.", field)
    if found[3]:
        hour = hour % 12 + (12 if found[3] == "p" else 0)
    elif 0 < hour < FIRST_MORNING_HOUR and not found[1].startswith("0") and not style().hours_24:
        hour += 12
    return hour * 60 + minute


def parse_end(text: str, field: str = "at") -> int:
    """A time at which something ends: midnight is then the end of the day, 1440, however it is written."""
    return END_OF_DAY if text.strip() in {"24:00", "24"} else parse_clock(text, field) or END_OF_DAY


def plain_clock(minute: int) -> str:
    """870 -> '14:30', 150 -> '02:30': as addresses and hidden fields carry a time, whatever the style."""
    return f"{minute // 60:02d}:{minute % 60:02d}"


def tidy_clock(text: str) -> str:
    """A time as it came, shown the clinic's way; what is no time stays as it was typed."""
    try:
        return clock_words(parse_clock(text))
    except Refused:
        return text


def _is_number(text: str) -> bool:
    return text.isascii() and text.isdecimal()
