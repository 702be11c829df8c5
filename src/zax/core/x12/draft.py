"""What the drafts of a claim and of its lines have in common: their segment, and how a day, an amount, a
person and an adjustment stand in it.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date, datetime
from typing import Any

from zax.core.claims.claim import Clinician
from zax.core.claims.parts import Adjusted
from zax.core.x12.parties import Address, Organization
from zax.core.x12.syntax import Segment, to_cents


def day_of(text: str, where: str, problems: list[str]) -> date | None:
    """Eight digits as a day (a time behind them is left); None and a sentence for anything else."""
    try:
        return datetime.strptime(text[:8], "%Y%m%d").date()
    except ValueError:
        problems.append(f"{where}: {text[:20]!r} is not a date.")
        return None


def address_of(segment: Segment) -> Address:
    return Address(street=segment.get(1), more=segment.get(2))


def city_of(address: Address, segment: Segment) -> Address:
    return replace(
        address,
        city=segment.get(1),
        state=segment.get(2),
        zip=segment.get(3),
        country=segment.get(4),
    )


class Draft:
    """Keyword arguments in the making; `segment` is the one being read, `problems` what is wrong so far."""

    def __init__(self, number: str, segment: Segment, problems: list[str]) -> None:
        self.number, self.segment, self.problems = number, segment, problems
        self.fields: dict[str, Any] = {}
        self.role = ""

    def day(self, text: str) -> date | None:
        return day_of(text, f"{self.segment.id} of claim {self.number}", self.problems)

    def cents(self, position: int) -> int:
        where = f"{self.segment.id}{position:02} of claim {self.number}"
        return to_cents(self.segment.get(position), where, self.problems)

    def person(self, roles: tuple[tuple[str, str], ...]) -> None:
        """NM1 opens a person or place in its role; PRV, N3 and N4 say more of it."""
        segment = self.segment
        if segment.id == "NM1":
            self.role = dict(roles).get(segment.get(1), "")
            if self.role == "facility":
                self.fields[self.role] = Organization(name=segment.get(3), identifier=segment.get(9))
            elif self.role == "purchased":
                self.fields["purchased_npi"] = segment.get(9)
            elif self.role:
                self.fields[self.role] = Clinician(segment.get(4), segment.get(3), segment.get(9), "")
            return
        known = self.fields.get(self.role)
        if segment.id == "PRV" and isinstance(known, Clinician):
            self.fields[self.role] = replace(known, taxonomy=segment.get(3))
        elif isinstance(known, Organization) and segment.id == "N3":
            self.fields[self.role] = replace(known, address=address_of(segment))
        elif isinstance(known, Organization) and segment.id == "N4":
            self.fields[self.role] = replace(known, address=city_of(known.address, segment))

    def adjustments(self) -> tuple[Adjusted, ...]:
        group = self.segment.get(1)
        places = range(2, len(self.segment.elements), 3)
        return tuple(
            Adjusted(group, self.segment.get(at), self.cents(at + 1)) for at in places if self.segment.get(at)
        )
