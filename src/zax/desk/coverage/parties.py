"""The clinic, a patient and a coverage's holder, as claims and inquiries name them."""

from __future__ import annotations

from zax.core.errors import Refused
from zax.core.reading import day_or_none
from zax.core.x12.parties import Address, Envelope, Organization, Person
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.store.coverage.records import Coverage
from zax.store.engine import Connection
from zax.store.patients.patients import known_patient


def envelope_of(tx: Transaction, control: int) -> Envelope:
    """Who we are to the clearinghouse; a file is marked as a test only where its door is set to that."""
    about = tx.clinic.about
    if not tx.clinic.has_clearinghouse:
        raise Refused("Tell Zax your clearinghouse first: Setup, The clinic.")
    return Envelope(
        sender=Organization(
            name=about["clinic_name"], identifier=about["submitter_id"], phone=tx.clinic.first_site.phone
        ),
        receiver=Organization(name=about["clearinghouse_name"], identifier=about["clearinghouse_id"]),
        made_at=tx.now,
        control=control,
        test=about.get("clearinghouse_mode") == "test",
    )


def billing_of(clinic: Clinic) -> Organization:
    """The clinic as it bills: name, NPI, tax ID and street."""
    about = clinic.about
    return Organization(
        name=about["clinic_name"],
        identifier=about["npi"],
        address=Address(*clinic.first_site.address),
        tax_id=about["tax_id"],
        taxonomy=about["taxonomy"],
    )


def subscriber_of(connection: Connection, coverage: Coverage) -> Person:
    """The holder of a coverage: a patient, or the person outside who is written on the coverage."""
    if coverage.subscriber_id is not None:
        return person_of(connection, coverage.subscriber_id, coverage.member_id)
    kept = {"sex": "", "street": "", "city": "", "state": "", "zip": "", "birth": ""} | dict(coverage.holder)
    born = day_or_none(kept["birth"])
    address = Address(kept["street"], kept["city"], kept["state"], kept["zip"])
    return Person(
        first=kept["first"],
        last=kept["last"],
        birth=born,
        sex=kept["sex"],
        address=address,
        member_id=coverage.member_id,
    )


def person_of(connection: Connection, patient_id: int, member_id: str) -> Person:
    """A patient as claims and inquiries name them."""
    row = known_patient(connection, patient_id)
    address = Address(row.street, row.city, row.state, row.zip)
    return Person(
        first=row.first, last=row.last, birth=row.birth, sex=row.sex, address=address, member_id=member_id
    )
