"""Writes a claim file: 837P (005010X222A1) or 837D (005010X224A2) from claims, one interchange, one
transaction set.

The two guides share everything but the service line and a few claim segments; those are in `_professional`
and `_dental`. Text is upper case without delimiters; diagnoses lose their point; empty trailing elements are
dropped.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date

from zax.core.claims.claim import Claim, ClaimLine
from zax.core.x12.envelope import interchange
from zax.core.x12.parties import Address, Envelope, Person
from zax.core.x12.syntax import amount, clean

PROFESSIONAL = "005010X222A1"
DENTAL = "005010X224A2"
Row = tuple[str, ...]


def claim_file(claims: Sequence[Claim], envelope: Envelope) -> str:
    """The whole file. All claims must be of one kind; raises ValueError for none or a mix."""
    kinds = {claim.dental for claim in claims}
    if len(kinds) != 1:
        raise ValueError("a claim file holds claims of one kind")
    version = DENTAL if kinds.pop() else PROFESSIONAL
    return interchange(envelope, "HC", "837", version, list(_transaction(claims, envelope, version)))


def _transaction(claims: Sequence[Claim], envelope: Envelope, version: str) -> Iterator[Row]:
    """Loops 1000A to 2000C: who sends, who bills, then each subscriber with the claim."""
    sender, billing = envelope.sender, envelope.billing
    made = envelope.made_at
    yield ("BHT", "0019", "00", str(envelope.control), f"{made:%Y%m%d}", f"{made:%H%M}", "CH")
    yield ("NM1", "41", "2", clean(sender.name), "", "", "", "", "46", sender.identifier)
    yield ("PER", "IC", clean(envelope.contact), "TE", sender.phone)
    yield (
        "NM1",
        "40",
        "2",
        clean(envelope.receiver.name),
        "",
        "",
        "",
        "",
        "46",
        envelope.receiver.identifier,
    )
    yield ("HL", "1", "", "20", "1")
    yield ("PRV", "BI", "PXC", billing.taxonomy)
    yield ("NM1", "85", "2", clean(billing.name), "", "", "", "", "XX", billing.identifier)
    yield from _address(billing.address)
    yield ("REF", "EI", billing.tax_id)
    level = 1
    for claim in claims:
        level += 1
        yield from _subscriber(claim, level)
        if claim.relationship != "18":
            level += 1
            yield from _dependent(claim, level)
        yield from _claim(claim, version)


def _subscriber(claim: Claim, level: int) -> Iterator[Row]:
    """Loops 2000B, 2010BA, 2010BB."""
    own = claim.relationship == "18"
    yield ("HL", str(level), "1", "22", "0" if own else "1")
    yield (
        "SBR",
        "P",
        "18" if own else "",
        clean(claim.group_number),
        "",
        "",
        "",
        "",
        "",
        claim.filing_indicator,
    )
    person = claim.subscriber
    yield (
        "NM1",
        "IL",
        "1",
        clean(person.last),
        clean(person.first),
        "",
        "",
        "",
        "MI",
        clean(person.member_id),
    )
    if own:
        yield from _person(person)
    yield ("NM1", "PR", "2", clean(claim.payer.name), "", "", "", "", "PI", claim.payer.identifier)


def _dependent(claim: Claim, level: int) -> Iterator[Row]:
    """Loops 2000C and 2010CA: the patient, when it is not the subscriber."""
    yield ("HL", str(level), str(level - 1), "23", "0")
    yield ("PAT", claim.relationship)
    yield ("NM1", "QC", "1", clean(claim.patient.last), clean(claim.patient.first))
    yield from _person(claim.patient)


def _person(person: Person) -> Iterator[Row]:
    yield from _address(person.address)
    if person.birth:
        yield ("DMG", "D8", _day(person.birth), person.sex)


def _address(address: Address) -> Iterator[Row]:
    yield ("N3", clean(address.street))
    yield ("N4", clean(address.city), clean(address.state), address.zip.replace("-", ""))


def _claim(claim: Claim, version: str) -> Iterator[Row]:
    """Loop 2300 with 2310B and its lines."""
    place = f"{claim.place_of_service}:B:1"
    yield ("CLM", claim.number, amount(claim.cents), "", "", place, "Y", "A", "Y", "Y")
    if version == DENTAL:
        yield ("DTP", "472", "D8", _day(claim.lines[0].day))
    if claim.diagnoses:
        yield ("HI", *(_diagnosis(code, first=at == 0) for at, code in enumerate(claim.diagnoses)))
    doctor = claim.clinician
    yield ("NM1", "82", "1", clean(doctor.last), clean(doctor.first), "", "", "", "XX", doctor.npi)
    yield ("PRV", "PE", "PXC", doctor.taxonomy)
    for number, line in enumerate(claim.lines, 1):
        yield ("LX", str(number))
        yield from _dental(line, claim.lines[0].day) if version == DENTAL else _professional(line)


def _diagnosis(code: str, first: bool) -> str:
    return f"{'ABK' if first else 'ABF'}:{code.replace('.', '')}"


def _professional(line: ClaimLine) -> Iterator[Row]:
    """Loop 2400 of the 837P."""
    service = ":".join(("HC", line.code, *line.modifiers))
    pointers = ":".join(str(pointer) for pointer in line.pointers)
    yield ("SV1", service, amount(line.cents), "UN", str(line.units), line.place, "", pointers)
    yield ("DTP", "472", "D8", _day(line.day))
    yield ("REF", "6R", line.number)
    yield from _line_people(line)


def _dental(line: ClaimLine, claim_day: date) -> Iterator[Row]:
    """Loop 2400 of the 837D; the line's date only where it is not the claim's."""
    service = ":".join(("AD", line.code, *line.modifiers))
    yield ("SV3", service, amount(line.cents), line.place, line.area, "", str(line.units))
    if line.tooth:
        yield ("TOO", "JP", line.tooth, ":".join(line.surfaces))
    if line.day != claim_day:
        yield ("DTP", "472", "D8", _day(line.day))
    yield ("REF", "6R", line.number)
    yield from _line_people(line)


def _line_people(line: ClaimLine) -> Iterator[Row]:
    """Loops 2420A and 2420D: who did this line, where it is not the claim's clinician, and who supervised."""
    if line.rendering:
        who = line.rendering
        yield ("NM1", "82", "1", clean(who.last), clean(who.first), "", "", "", "XX", who.npi)
        yield ("PRV", "PE", "PXC", who.taxonomy)
    if line.supervising:
        who = line.supervising
        yield ("NM1", "DQ", "1", clean(who.last), clean(who.first), "", "", "", "XX", who.npi)


def _day(day: date) -> str:
    return f"{day:%Y%m%d}"
