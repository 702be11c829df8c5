"""The time that somebody asks for in a text: "can we do 4 instead?", "thursday morning", "mañana a las 3".
Read to propose, never to book: a person looks at what was found.
"""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from datetime import date, timedelta

from zax.core.reading import FIRST_MORNING_HOUR

_DAYS: tuple[tuple[str, ...], ...] = (
    ("monday", "mon", "lunes"),
    ("tuesday", "tue", "tues", "martes"),
    ("wednesday", "wed", "miercoles"),
    ("thursday", "thu", "thur", "thurs", "jueves"),
    ("friday", "fri", "viernes"),
    ("saturday", "sat", "sabado"),
    ("sunday", "sun", "domingo"),
)
_CLOCK = re.compile(
    r"\b(?P<hour>\d{1,2})(?::(?P<minute>[0-5]\d))?\s?(?P<half>am|pm|a\.m\.|p\.m\.)?(?!\d|:|\s?min)"
)
_PARTS = {
    "morning": 9 * 60,
    "la manana": 9 * 60,
    "noon": 12 * 60,
    "afternoon": 14 * 60,
    "la tarde": 14 * 60,
    "evening": 17 * 60,
}


@dataclass(frozen=True, slots=True)
class AskedTime:
    """`day` and `minute` of the wall clock, as far as they were said."""

    day: date | None = None
    minute: int | None = None

    @property
    def is_said(self) -> bool:
        return self.day is not None or self.minute is not None


def asked_time(words: str, today: date, visit_day: date) -> AskedTime:
    """What is asked for; a time without a day is of the visit's own day, "tomorrow" is seen from today."""
    plain = "".join(
        each for each in unicodedata.normalize("NFD", words.lower()) if not unicodedata.combining(each)
    )
    minute = _minute(plain)
    day = _day(plain, today, visit_day)
    return AskedTime(day or (visit_day if minute is not None else None), minute)


def _minute(plain: str) -> int | None:
    for found in _CLOCK.finditer(plain):
        hour, half = int(found["hour"]), (found["half"] or "")[:1]
        if not 1 <= hour <= (12 if half else 23):
            continue
        if half:
            hour = hour % 12 + (12 if half == "p" else 0)
        elif hour < FIRST_MORNING_HOUR:
            hour += 12
        return hour * 60 + int(found["minute"] or 0)
    return next((at for words, at in _PARTS.items() if re.search(rf"\b{words}\b", plain)), None)


def _day(plain: str, today: date, visit_day: date) -> date | None:
    words = re.findall(r"[a-z]+", plain)
    if "tomorrow" in words:
        return today + timedelta(days=1)
    if "today" in words or "hoy" in words:
        return today
    for weekday, names in enumerate(_DAYS):
        if any(name in words for name in names):
            return visit_day + timedelta(days=_nearest(weekday - visit_day.weekday(), visit_day, today))
    return None


def _nearest(apart: int, visit_day: date, today: date) -> int:
    """The weekday of the visit's own week if it is still ahead, else of the next."""
    return apart if visit_day + timedelta(days=apart) > today else apart + 7
