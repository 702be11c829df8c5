"""How a name sounds, so that 'Vazquez' and 'Vasqeuz' are found when 'Vasquez' is meant, and two spellings of
one person meet.
"""

from __future__ import annotations

from functools import lru_cache

import jellyfish

LONGEST = 12


@lru_cache(maxsize=50_000)
def sound_of(key: str) -> str:
    """The metaphone of a search key without spaces and hyphens; names that sound alike share it. At most 12
    letters.
    """
    letters = "".join(ch for ch in key if ch.isalpha())
    return jellyfish.metaphone(letters).replace(" ", "")[:LONGEST]
