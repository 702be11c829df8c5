"""Record gaps: what is missing before this patient can be billed or reached, in words, with the field that mends it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date


@dataclass(frozen=True, slots=True)
class Gap:
    field: str
    words: str


def record_gaps(birth: date | None, sex: str, phone: str, street: str) -> list[Gap]:
    """The most pressing first; empty when nothing is missing."""
    found = []
    if birth is None:
        found.append(Gap("birth", "no birth date"))
    if not street:
        found.append(Gap("street", "no address"))
    if not sex:
        found.append(Gap("sex", "sex not given"))
    if not phone:
        found.append(Gap("phone", "no phone"))
    return found
