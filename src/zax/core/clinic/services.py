"""What the clinic does for money: services with their codes and fees, and sets of them that come in by one
choice.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from zax.core.charges.lines import ServiceRule
from zax.core.charges.usual import Usual


@dataclass(frozen=True, slots=True, kw_only=True)
class Service:
    """`fee_cents` is the clinic's own fee; `rule` what a charge line must say about it,
    `usual` what it starts with.
    """

    id: int
    code: str
    words: str
    dental: bool
    category: str
    fee_cents: int
    rule: ServiceRule
    retired_on: date | None
    usual: Usual = Usual()

    def offered(self, day: date) -> bool:
        """Whether the code may be used for a visit of that day."""
        return self.retired_on is None or day < self.retired_on


@dataclass(frozen=True, slots=True)
class ServiceSet:
    id: int
    name: str
    dental: bool
    services: tuple[int, ...]
    active: bool
