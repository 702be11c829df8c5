"""Who stands in a transaction: people, organizations and the two ends of an interchange, as claims and
inquiries name them alike.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime


@dataclass(frozen=True, slots=True)
class Address:
    street: str = ""
    city: str = ""
    state: str = ""
    zip: str = ""

    @property
    def complete(self) -> bool:
        return bool(self.street and self.city and self.state and self.zip)


@dataclass(frozen=True, slots=True, kw_only=True)
class Organization:
    """A clinic, payer or clearinghouse. `identifier` is its NPI, payer id or electronic id by role."""

    name: str
    identifier: str
    address: Address = Address()
    tax_id: str = ""
    taxonomy: str = ""
    phone: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Person:
    """A subscriber or patient; `sex` is M, F or U as the insurer has it."""

    first: str
    last: str
    birth: date | None
    sex: str
    address: Address = Address()
    member_id: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Envelope:
    """Who sends the file to whom, when (UTC), under which control number (1 to 999,999,999)."""

    sender: Organization
    receiver: Organization
    billing: Organization
    made_at: datetime
    control: int
    test: bool = True
    contact: str = "Billing office"
