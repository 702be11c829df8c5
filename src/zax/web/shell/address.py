"""What stands in an address: numbers of rows, days, and where to go back to. Nobody types there, so what is
no day is NotFound.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date

from zax.core.errors import NotFound
from zax.core.reading import day_or_none, reference


def number_in(query: Mapping[str, str], name: str) -> int:
    """The number after the question mark; 0 for none."""
    return reference(query.get(name, ""))


def page_in(back: str) -> str:
    """A page of ours alone; empty for any other address."""
    return back if back.startswith("/") and not back.startswith("//") and "\\" not in back else ""


def day_in(text: str, usual: date, words: str) -> date:
    """The day of an address, `usual` when it has none; NotFound with `words` for what is no day."""
    if not text:
        return usual
    found = day_or_none(text)
    if found is None:
        raise NotFound(words)
    return found
