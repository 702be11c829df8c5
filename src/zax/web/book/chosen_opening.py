"""An opening as a page's choice carries it: day, minute, provider, room and visit type in one text."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from zax.core.book.search_request import Opening
from zax.core.errors import Refused
from zax.core.reading import needed_day, needed_number

_NO_TIME = "Choose one of the times again."


@dataclass(frozen=True, slots=True)
class ChosenOpening:
    day: date
    start: int
    provider_id: int
    room_id: int
    type_id: int


def opening_value(opening: Opening, type_id: int) -> str:
    """What the choice sends."""
    return f"{opening.day}|{opening.start}|{opening.lead}|{opening.room}|{type_id}"


def read_opening(text: str) -> ChosenOpening:
    """Refused, beside `opening`, for what no page wrote."""
    day, *numbers = text.split("|")
    found = [needed_number(number, "opening", 0, 999_999, _NO_TIME) for number in numbers]
    if len(found) != 4:
        raise Refused(_NO_TIME, "opening")
    return ChosenOpening(needed_day(day, "opening", _NO_TIME), *found)
