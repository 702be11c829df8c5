"""Who stands in a transaction: people, organizations and the two ends of an interchange, as claims and
inquiries name them alike.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime


@dataclass(frozen=True, slots=True)
class Address:
    """`country` is empty for the United States, otherwise its two letters (ISO 3166)."""

    street: str = ""
    city: str = ""
    state: str = ""
    zip: str = ""
    more: str = ""
    country: str = ""

    @property
    def complete(self) -> bool:
        """State and ZIP are asked only where a country has them (N402, N403: US and Canada)."""
        abroad = self.country not in {"", "US", "CA"}
        return bool(self.street and self.city and (abroad or (self.state and self.zip)))


@dataclass(frozen=True, slots=True, kw_only=True)
class Organization:
    """A clinic, payer or clearinghouse. `identifier` is its NPI, payer id or electronic id by role. A
    clinician who bills alone has a `first` name; `name` is then the last one.
    """

    name: str
    identifier: str
    address: Address = Address()
    tax_id: str = ""
    taxonomy: str = ""
    phone: str = ""
    first: str = ""

    @property
    def person(self) -> bool:
        return bool(self.first)


@dataclass(frozen=True, slots=True, kw_only=True)
class Person:
    """A subscriber or patient; `sex` is M, F or U as the insurer has it."""

    first: str
    last: str
    birth: date | None
    sex: str
    address: Address = Address()
    member_id: str = ""
    middle: str = ""
    suffix: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Envelope:
    """Who sends the file to whom, when (UTC), under which control number (1 to 999,999,999)."""

    sender: Organization
    receiver: Organization
    made_at: datetime
    control: int
    test: bool = False
    contact: str = "Billing office"
