"""Names, addresses and days as claim files write them: upper case in plain letters without delimiters, a
diagnosis without its point, a day as eight digits.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date

from zax.core.claims.claim import Clinician, Form
from zax.core.x12.claim_codes import SPECIALTY
from zax.core.x12.parties import Address, Organization, Person
from zax.core.x12.syntax import clean

Row = tuple[str, ...]


def day_text(day: date) -> str:
    return f"{day:%Y%m%d}"


def days_text(first: date, last: date) -> str:
    return f"{day_text(first)}-{day_text(last)}"


def dated(qualifier: str, day: date) -> Row:
    return ("DTP", qualifier, "D8", day_text(day))


def spanned(qualifier: str, first: date, last: date | None) -> Row:
    """One day, or a span where the last day is another one."""
    if last is None or last == first:
        return dated(qualifier, first)
    return ("DTP", qualifier, "RD8", days_text(first, last))


def plain_code(code: str) -> str:
    return code.replace(".", "")


def address_rows(address: Address) -> Iterator[Row]:
    """N3 and N4; a country only where it is not the United States."""
    country = address.country if address.country != "US" else ""
    yield ("N3", clean(address.street), clean(address.more))
    zip_code = clean(address.zip).replace("-", "").replace(" ", "")
    yield ("N4", clean(address.city), clean(address.state), zip_code, country)


def person_row(who: str, person: Person, *number: str) -> Row:
    """NM1 of a subscriber or patient; `number` is qualifier and id."""
    names = (clean(person.last), clean(person.first), clean(person.middle), "", clean(person.suffix))
    return ("NM1", who, "1", *names, *number)


def person_rows(person: Person) -> Iterator[Row]:
    """Address, birth date and sex of a subscriber or patient."""
    yield from address_rows(person.address)
    if person.birth:
        yield ("DMG", "D8", day_text(person.birth), person.sex)


def clinician_rows(who: str, clinician: Clinician, form: Form) -> Iterator[Row]:
    """NM1 by NPI, and the specialty where the form has a place for it."""
    number = ("XX", clinician.npi) if clinician.npi else ("", "")
    yield ("NM1", who, "1", clean(clinician.last), clean(clinician.first), "", "", "", *number)
    specialty = SPECIALTY[form].get(who)
    if specialty and clinician.taxonomy:
        yield ("PRV", specialty, "PXC", clinician.taxonomy)


def place_rows(place: Organization) -> Iterator[Row]:
    """Where it was done, when that is not the billing address (NM1*77)."""
    yield (
        "NM1",
        "77",
        "2",
        clean(place.name),
        "",
        "",
        "",
        "",
        *(("XX", place.identifier) if place.identifier else ("", "")),
    )
    yield from address_rows(place.address)
