"""The languages that the clinic writes in. Days are spelled so that a text stays in plain letters: one
accented letter that the phone network's alphabet lacks would more than double what it costs.
"""

from __future__ import annotations

from datetime import date
from enum import StrEnum

from zax.core.spelling import plain_spelling
from zax.core.wording import weekday_day

_DAYS_ES = ("lun", "mar", "mié", "jue", "vie", "sab", "dom")
_MONTHS_ES = ("ene", "feb", "mar", "abr", "may", "jun", "jul", "ago", "sep", "oct", "nov", "dic")


class Language(StrEnum):
    ENGLISH = "en"
    SPANISH = "es"


LANGUAGE_WORDS = {Language.ENGLISH: "English", Language.SPANISH: "Español"}


def language_of(on_file: str) -> Language:
    """What is on file is free text, the first they speak first; English for whatever we have no words in."""
    first = plain_spelling(on_file).lower().replace(";", ",").split(",")[0].strip()
    return Language.SPANISH if first in {"spanish", "espanol", "es", "castellano"} else Language.ENGLISH


def day_in(day: date, language: Language) -> str:
    """'Wed, Nov 25', 'mié 25 nov'."""
    if language is Language.ENGLISH:
        return weekday_day(day)
    return f"{_DAYS_ES[day.weekday()]} {day.day} {_MONTHS_ES[day.month - 1]}"
