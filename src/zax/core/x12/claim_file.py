"""Writes a claim file: 837P (005010X222A1), 837D (005010X224A2) or 837I (005010X223A2), one interchange, one
transaction set, any number of claims, segment by segment.

Here stand the loops around the claims (1000A to 2010CA); what a claim itself says is in `claim_loop`, its
services in `claim_lines`. Empty trailing elements are dropped.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from zax.core.claims.claim import Claim, Form
from zax.core.x12.claim_codes import VERSIONS
from zax.core.x12.claim_loop import claim_rows
from zax.core.x12.claim_names import Row, address_rows, day_text, person_row, person_rows
from zax.core.x12.envelope import streamed
from zax.core.x12.parties import Envelope, Organization
from zax.core.x12.syntax import clean

# A transaction set should hold no more (005010X222A1, 1.3.2).
MOST_CLAIMS = 5000


def claim_file(claims: Sequence[Claim], envelope: Envelope) -> str:
    """The whole file. All claims must be of one form; raises ValueError for none or a mix."""
    forms = {claim.form for claim in claims}
    if len(forms) != 1:
        raise ValueError("a claim file holds claims of one form")
    return "".join(claim_pieces(claims, forms.pop(), envelope))


def claim_pieces(claims: Iterable[Claim], form: Form, envelope: Envelope) -> Iterator[str]:
    """The same in pieces of a segment. Claims of one billing provider should follow each other."""
    body = _transaction(claims, form, envelope)
    return streamed(envelope, "HC", "837", VERSIONS[form], body)


def _transaction(claims: Iterable[Claim], form: Form, envelope: Envelope) -> Iterator[Row]:
    """Loops 1000A to 2000C: who sends, who bills, then each subscriber with the claim."""
    yield from _head(envelope)
    level = biller = 0
    billing: Organization | None = None
    for claim in claims:
        if claim.billing != billing:
            billing = claim.billing
            level += 1
            biller = level
            yield from _billing(billing, level)
        level += 1
        yield from _subscriber(claim, level, biller)
        if not claim.own:
            level += 1
            yield from _dependent(claim, level)
        yield from claim_rows(claim, form)


def _head(envelope: Envelope) -> Iterator[Row]:
    sender, receiver, made = envelope.sender, envelope.receiver, envelope.made_at
    yield ("BHT", "0019", "00", str(envelope.control), f"{made:%Y%m%d}", f"{made:%H%M}", "CH")
    yield ("NM1", "41", "2", clean(sender.name), "", "", "", "", "46", sender.identifier)
    yield ("PER", "IC", clean(envelope.contact), "TE", sender.phone)
    yield ("NM1", "40", "2", clean(receiver.name), "", "", "", "", "46", receiver.identifier)


def _billing(billing: Organization, level: int) -> Iterator[Row]:
    """Loops 2000A and 2010AA."""
    yield ("HL", str(level), "", "20", "1")
    if billing.taxonomy:
        yield ("PRV", "BI", "PXC", billing.taxonomy)
    entity = (
        ("1", clean(billing.name), clean(billing.first)) if billing.person else ("2", clean(billing.name), "")
    )
    yield ("NM1", "85", *entity, "", "", "", "XX", billing.identifier)
    yield from address_rows(billing.address)
    yield ("REF", "EI", billing.tax_id)


def _subscriber(claim: Claim, level: int, biller: int) -> Iterator[Row]:
    """Loops 2000B, 2010BA, 2010BB."""
    yield ("HL", str(level), str(biller), "22", "0" if claim.own else "1")
    yield (
        "SBR",
        claim.rank,
        "18" if claim.own else "",
        clean(claim.group_number),
        "",
        claim.secondary_reason,
        "",
        "",
        "",
        claim.filing_indicator,
    )
    if claim.own and (died := _died(claim)):
        yield ("PAT", "", *died)
    yield person_row("IL", claim.subscriber, "MI", clean(claim.subscriber.member_id))
    if claim.own:
        yield from person_rows(claim.subscriber)
    yield ("NM1", "PR", "2", clean(claim.payer.name), "", "", "", "", "PI", claim.payer.identifier)
    if claim.payer.address.complete:
        yield from address_rows(claim.payer.address)


def _dependent(claim: Claim, level: int) -> Iterator[Row]:
    """Loops 2000C and 2010CA: the patient, when it is not the subscriber."""
    yield ("HL", str(level), str(level - 1), "23", "0")
    yield ("PAT", claim.relationship, *_died(claim))
    yield person_row("QC", claim.patient)
    yield from person_rows(claim.patient)


def _died(claim: Claim) -> Row:
    """PAT05 and PAT06, which only the professional guide has."""
    if claim.died is None or claim.form is not Form.PROFESSIONAL:
        return ()
    return ("", "", "", "D8", day_text(claim.died))
