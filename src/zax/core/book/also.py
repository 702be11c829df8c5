"""A service or a set that a visit is to bring besides its type's own, as the booking form carries it:
`set:2`, `service:12|3|MO|` (service, universal tooth, surfaces, area).
"""

from __future__ import annotations

from dataclasses import dataclass

from zax.core.errors import Refused
from zax.core.reading import reference


@dataclass(frozen=True, slots=True, kw_only=True)
class Also:
    """Either a set or a service."""

    set_id: int = 0
    service_id: int = 0
    tooth: str = ""
    surfaces: str = ""
    area: str = ""


def read_also(text: str) -> Also:
    """Refused, beside its field, for what no form of ours sends."""
    kind, _, rest = text.partition(":")
    number, *more = rest.split("|")
    if kind == "set" and reference(number) and not more:
        return Also(set_id=reference(number))
    if kind == "service" and reference(number) and len(more) == 3:
        tooth, surfaces, area = more
        return Also(service_id=reference(number), tooth=tooth, surfaces=surfaces, area=area)
    raise Refused("Choose from the list what the visit is to do.", "also")


def write_also(also: Also) -> str:
    if also.set_id:
        return f"set:{also.set_id}"
    return f"service:{also.service_id}|{also.tooth}|{also.surfaces}|{also.area}"
