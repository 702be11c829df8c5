"""A letter to a payer is the clinic's own text with places in braces that are filled from what is on file.

A text is checked when it is kept, not when it is printed: a place that nothing fills would go out as it
stands. Places are filled once, so that a brace in a name or a payer's own words is never taken for a place.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

from zax.core.errors import Refused

LONGEST = 4_000
_PLACE = re.compile(r"\{([^{}]*)\}")


@dataclass(frozen=True, slots=True)
class Letter:
    """A kind of letter: its name as a setting, its title, its places with what fills them, and the text that
    ships.
    """

    name: str
    title: str
    places: Mapping[str, str]
    shipped: str


def checked(text: str, letter: Letter) -> str:
    """A text that may be kept for that letter. Refused beside `text`, naming the place that isn't one."""
    kept = written(text)
    unknown = [name for name in places_of(kept) if name not in letter.places]
    if unknown:
        raise Refused(f"{{{unknown[0][:30]}}} isn’t a place we can fill. Use one of the list.", "text")
    return kept


def places_of(text: str) -> list[str]:
    """The names in braces, as often as they come."""
    return _PLACE.findall(text)


def written(text: str) -> str:
    """A text as typed for one case. Refused beside `text` when it is empty or too long."""
    kept = text.replace("\r\n", "\n").strip()
    if not kept:
        raise Refused("The letter is empty.", "text")
    if len(kept) > LONGEST:
        raise Refused(f"Keep the letter to {LONGEST:,} characters.", "text")
    return kept


def in_places(text: str, values: Mapping[str, str]) -> str:
    """The text with its places filled."""
    return _PLACE.sub(lambda found: values.get(found[1], found[0]), text)
