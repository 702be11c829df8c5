"""Writes a 276: asks a payer how a claim stands (005010X212, real time, one claim of a subscriber or of a
dependent).
"""

from __future__ import annotations

from collections.abc import Iterator

from zax.core.claims.claim import Claim
from zax.core.x12.claim_names import Row, day_text, days_text
from zax.core.x12.envelope import interchange
from zax.core.x12.parties import Envelope, Person
from zax.core.x12.syntax import amount, clean

VERSION = "005010X212"


def status_inquiry(claim: Claim, envelope: Envelope, payer_claim: str = "") -> str:
    """The whole interchange, HR group. `payer_claim` is the payer's own number, if it is known."""
    return interchange(envelope, "HR", "276", VERSION, list(_transaction(claim, envelope, payer_claim)))


def _transaction(claim: Claim, envelope: Envelope, payer_claim: str) -> Iterator[Row]:
    made, sender = envelope.made_at, envelope.sender
    yield ("BHT", "0010", "13", str(envelope.control), f"{made:%Y%m%d}", f"{made:%H%M}")
    yield ("HL", "1", "", "20", "1")
    yield ("NM1", "PR", "2", clean(claim.payer.name), "", "", "", "", "PI", claim.payer.identifier)
    yield ("HL", "2", "1", "21", "1")
    yield ("NM1", "41", "2", clean(sender.name), "", "", "", "", "46", sender.identifier)
    yield ("HL", "3", "2", "19", "1")
    yield ("NM1", "1P", "2", clean(claim.billing.name), "", "", "", "", "XX", claim.billing.identifier)
    yield ("HL", "4", "3", "22", "0" if claim.own else "1")
    if claim.own:
        yield from _born(claim.subscriber)
    yield _named("IL", claim.subscriber, ("MI", clean(claim.subscriber.member_id)))
    if not claim.own:
        yield ("HL", "5", "4", "23")
        yield from _born(claim.patient)
        yield _named("QC", claim.patient, ())
    yield ("TRN", "1", claim.number)
    if payer_claim:
        yield ("REF", "1K", clean(payer_claim))
    yield ("REF", "EJ", claim.number)
    yield ("AMT", "T3", amount(claim.cents))
    if claim.days:
        first, last = claim.days[0], claim.days[-1]
        span = ("D8", day_text(first)) if first == last else ("RD8", days_text(first, last))
        yield ("DTP", "472", *span)


def _born(person: Person) -> Iterator[Row]:
    if person.birth:
        yield ("DMG", "D8", day_text(person.birth), person.sex if person.sex in {"M", "F"} else "")


def _named(who: str, person: Person, number: tuple[str, ...]) -> Row:
    return ("NM1", who, "1", clean(person.last), clean(person.first), "", "", "", *number)
