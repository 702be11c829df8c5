"""What of an earlier claim holds for the same work on other days, and what does not: said in words, so that
nobody takes for granted what was left behind.

People, the accident, the first day of an illness and numbers of approvals go along; whether an approval still
holds on the day is for the checks. What belongs to one day or one file stays: papers, hospital days, what
other plans decided, why it was late, what was paid.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from zax.core.claims.carried import Carried, CarriedLine
from zax.core.claims.parts import Dates

# What stays behind, by its field, in the words it is missed by; the empty ones nobody misses.
_CLAIM = {
    "attachments": "the attachments",
    "files": "",
    "stay": "the hospital stay",
    "others": "what other plans decided",
    "delay_reason": "the reason for the delay",
    "paid_cents": "what the patient paid",
    "payer_claim": "",
    "secondary_reason": "",
    "teeth_to_extract": "the teeth to be extracted",
    "present": "what was present on admission",
}
_LINE = {
    "placed_before": "when the earlier crown or denture was placed",
    "first_placement": "whether it is the first placement",
    "emergency": "that it was an emergency",
    "decided": "",
}
# Days of the illness or accident, not of one visit.
_LASTING_DAYS = frozenset({"onset", "first_treated", "last_period", "appliance"})


@dataclass(frozen=True, slots=True)
class Holds:
    """What goes along, and the words of what did not."""

    carried: Carried
    left_behind: tuple[str, ...]


def what_holds(carried: Carried, numbers: Mapping[str, str]) -> Holds:
    """What was added to a claim, for a copy on another day; `numbers` are the copy's line numbers by those of
    the lines they copy.
    """
    blank, blank_line = Carried(), CarriedLine()
    left = [words for name, words in _CLAIM.items() if getattr(carried, name) != getattr(blank, name)]
    lines: dict[str, CarriedLine] = {}
    for number, line in carried.lines.items():
        left += [words for name, words in _LINE.items() if getattr(line, name) != getattr(blank_line, name)]
        if number in numbers:
            kept = replace(line, **{name: getattr(blank_line, name) for name in _LINE})
            lines[numbers[number]] = kept
    days = {name for name in Dates.__dataclass_fields__ if getattr(carried.dates, name) is not None}
    if days - _LASTING_DAYS:
        left.append("dates of that visit alone")
    lasting = {name: getattr(carried.dates, name) for name in days & _LASTING_DAYS}
    stays = {name: getattr(blank, name) for name in _CLAIM}
    copied = replace(carried, **stays, dates=Dates(**lasting), lines=lines)
    return Holds(copied, tuple(dict.fromkeys(words for words in left if words)))
