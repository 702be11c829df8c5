"""Writes a 270: asks a payer what a person's coverage is on a day (005010X279A1, real time, one subscriber or
one dependent).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date

from zax.core.x12.envelope import interchange
from zax.core.x12.parties import Envelope, Organization, Person
from zax.core.x12.syntax import clean

VERSION = "005010X279A1"
Row = tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Inquiry:
    """`trace` comes back in the answer's TRN02. `subscriber.member_id` is the id asked about; `dependent`
    when it is somebody else.
    """

    trace: str
    payer: Organization
    provider: Organization
    subscriber: Person
    dependent: Person | None
    day: date
    service_types: tuple[str, ...]


def inquiry_file(inquiry: Inquiry, envelope: Envelope) -> str:
    """The whole interchange, HS group."""
    return interchange(envelope, "HS", "270", VERSION, list(_transaction(inquiry, envelope)))


def _transaction(inquiry: Inquiry, envelope: Envelope) -> Iterator[Row]:
    made, payer, provider = envelope.made_at, inquiry.payer, inquiry.provider
    yield ("BHT", "0022", "13", inquiry.trace, f"{made:%Y%m%d}", f"{made:%H%M}")
    yield ("HL", "1", "", "20", "1")
    yield ("NM1", "PR", "2", clean(payer.name), "", "", "", "", "PI", payer.identifier)
    yield ("HL", "2", "1", "21", "1")
    yield ("NM1", "1P", "2", clean(provider.name), "", "", "", "", "XX", provider.identifier)
    yield ("HL", "3", "2", "22", "1" if inquiry.dependent else "0")
    if inquiry.dependent is None:
        yield ("TRN", "1", inquiry.trace, f"9{envelope.sender.identifier[:9]:0<9}")
    yield from _person("IL", inquiry.subscriber, own=inquiry.dependent is None)
    if inquiry.dependent is not None:
        yield ("HL", "4", "3", "23", "0")
        yield ("TRN", "1", inquiry.trace, f"9{envelope.sender.identifier[:9]:0<9}")
        yield from _person("03", inquiry.dependent, own=False)
    yield ("DTP", "291", "D8", f"{inquiry.day:%Y%m%d}")
    yield ("EQ", "^".join(inquiry.service_types))


def _person(who: str, person: Person, own: bool) -> Iterator[Row]:
    """Loops 2100C and 2100D: name, member id, and birth date and sex where they are known."""
    number = ("MI", person.member_id) if who == "IL" else ("", "")
    yield ("NM1", who, "1", clean(person.last), clean(person.first), "", "", "", *number)
    if person.birth is not None and (own or who == "03"):
        yield ("DMG", "D8", f"{person.birth:%Y%m%d}", person.sex if person.sex in {"M", "F"} else "")
