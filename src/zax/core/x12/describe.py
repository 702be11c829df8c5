"""What an X12 file holds, as plain data for `zax x12 read`: claims of an 837, payments of an 835, verdicts of
a 999, benefits of a 271, the rest by name.

Amounts are integer cents. `problems` is empty for a sound file.
"""

from __future__ import annotations

from zax.core.coverage.answer import told
from zax.core.json import Json
from zax.core.x12 import codes271 as codes
from zax.core.x12.acknowledgement import acknowledgements_of, interchange_verdicts, verdict_words
from zax.core.x12.claim_reading import ReadClaim, claims_of
from zax.core.x12.claim_status import status_reports_of
from zax.core.x12.eligibility import Member, Rejection, eligibility_of
from zax.core.x12.remittance import Adjustment, RemitClaim, Remittance, remittances_of
from zax.core.x12.syntax import Document, read


def describe(text: str) -> Json:
    """`{"transactions": [...], "problems": [...]}`; see docs/formats.md for each kind of transaction."""
    document = read(text)
    kinds = {transaction.kind for transaction in document.transactions}
    if kinds == {"835"}:
        payments = remittances_of(document)
        return {
            "transactions": [_remittance(each) for each in payments.remittances],
            "problems": payments.problems,
        }
    if kinds == {"837"}:
        return _claims(document)
    if kinds == {"277"}:
        return _statuses(document)
    if kinds == {"999"}:
        return _acknowledgements(document)
    if kinds == {"271"}:
        return _eligibility(document)
    if document.ta1 and not document.transactions:
        return _interchanges(document)
    described = [
        {"kind": each.kind, "version": each.version, "control": each.control, "segments": len(each.segments)}
        for each in document.transactions
    ]
    problems = document.problems or ([] if described else ["The file holds no transaction."])
    return {"transactions": described, "problems": problems}


def _adjustments(adjustments: list[Adjustment]) -> list[Json]:
    return [{"group": each.group, "reason": each.reason, "cents": each.cents} for each in adjustments]


def _remittance(remittance: Remittance) -> Json:
    return {
        "kind": "835",
        "trace": remittance.trace,
        "payer": remittance.payer,
        "method": remittance.method,
        "date": remittance.day.isoformat() if remittance.day else None,
        "paid_cents": remittance.paid_cents,
        "claims": [_claim(claim) for claim in remittance.claims],
        "provider_adjustments": [
            {"reason": a.reason, "reference": a.reference, "cents": a.cents}
            for a in remittance.provider_adjustments
        ],
    }


def _claim(claim: RemitClaim) -> Json:
    return {
        "number": claim.number,
        "status": claim.status,
        "charge_cents": claim.charge_cents,
        "paid_cents": claim.paid_cents,
        "patient_cents": claim.patient_cents,
        "payer_claim": claim.payer_claim,
        "patient": claim.patient_name,
        "adjustments": _adjustments(claim.adjustments),
        "lines": [
            {
                "service": line.code,
                "modifiers": list(line.modifiers),
                "number": line.number,
                "charge_cents": line.charge_cents,
                "paid_cents": line.paid_cents,
                "adjustments": _adjustments(line.adjustments),
                "remarks": line.remarks,
            }
            for line in claim.lines
        ],
    }


def _claims(document: Document) -> Json:
    """The claims of each billing provider."""
    batches, problems = claims_of(document)
    return {
        "transactions": [
            {
                "kind": "837",
                "form": batch.form.value,
                "billing": {
                    "npi": batch.billing.identifier,
                    "tax_id": batch.billing.tax_id,
                    "name": " ".join(filter(None, (batch.billing.first, batch.billing.name))),
                },
                "claims": [_asked(each) for each in batch.claims],
            }
            for batch in batches
        ],
        "problems": problems,
    }


def _asked(read_claim: ReadClaim) -> Json:
    claim = read_claim.claim
    return {
        "number": claim.number,
        "charge_cents": read_claim.stated_cents,
        "frequency": claim.frequency.value,
        "place": claim.place_of_service or claim.bill_type,
        "rank": claim.rank.value,
        "payer": claim.payer.name,
        "payer_id": claim.payer.identifier,
        "subscriber": {
            "last": claim.subscriber.last,
            "first": claim.subscriber.first,
            "member_id": claim.subscriber.member_id,
        },
        "patient": {
            "last": claim.patient.last,
            "first": claim.patient.first,
            "birth": claim.patient.birth.isoformat() if claim.patient.birth else None,
            "sex": claim.patient.sex,
            "relationship": claim.relationship,
        },
        "diagnoses": list(claim.diagnoses),
        "lines": [
            {
                "service": line.code,
                "modifiers": list(line.modifiers),
                "charge_cents": line.cents,
                "units": line.units if isinstance(line.units, int) else float(line.units),
                "day": line.day.isoformat() if line.day else None,
                "pointers": list(line.pointers),
                "tooth": line.tooth,
                "surfaces": line.surfaces,
                "revenue": line.revenue,
                "number": line.number,
            }
            for line in claim.lines
        ],
    }


def _statuses(document: Document) -> Json:
    reports, problems = status_reports_of(document)
    return {
        "transactions": [
            {
                "kind": "277",
                "acknowledgment": report.acknowledgment,
                "payer": report.payer,
                "claims": [
                    {
                        "number": claim.number,
                        "payer_claim": claim.payer_claim,
                        "charge_cents": claim.charge_cents,
                        "statuses": [
                            {
                                "category": each.category,
                                "code": each.code,
                                "entity": each.entity,
                                "words": each.words,
                            }
                            for each in claim.statuses
                        ],
                    }
                    for claim in report.claims
                ],
            }
            for report in reports
        ],
        "problems": problems,
    }


def _acknowledgements(document: Document) -> Json:
    answer = acknowledgements_of(document)
    return {
        "transactions": [
            {
                "kind": "999",
                "group": each.group,
                "verdict": verdict_words(each.code),
                "files": [
                    {
                        "control": one.control,
                        "kind": one.kind,
                        "verdict": verdict_words(one.code),
                        "errors": [each.words for each in one.errors],
                    }
                    for one in each.files
                ],
            }
            for each in answer.acknowledgements
        ],
        "problems": answer.problems,
    }


def _interchanges(document: Document) -> Json:
    return {
        "transactions": [
            {
                "kind": "TA1",
                "control": each.control,
                "verdict": verdict_words(each.code),
                "code": each.why,
                "words": each.words,
            }
            for each in interchange_verdicts(document)
        ],
        "problems": document.problems,
    }


def _eligibility(document: Document) -> Json:
    found = eligibility_of(document)
    return {
        "transactions": [
            {
                "kind": "271",
                "control": answer.control,
                "payer": answer.payer,
                "payer_id": answer.payer_id,
                "provider": answer.provider,
                "rejections": _rejections(answer.rejections),
                "members": [_member(member) for member in answer.members],
                "others": answer.others,
            }
            for answer in found.answers
        ],
        "problems": found.problems,
    }


def _rejections(rejections: list[Rejection]) -> list[Json]:
    return [
        {
            "where": each.where,
            "reason": each.reason,
            "words": codes.words_for(codes.REJECTED, each.reason),
            "then": codes.words_for(codes.FOLLOW_UP, each.follow_up),
        }
        for each in rejections
    ]


def _member(member: Member) -> Json:
    return {
        "level": member.level,
        "first": member.first,
        "last": member.last,
        "member_id": member.member_id,
        "birth": member.birth.isoformat() if member.birth else None,
        "sex": member.sex,
        "group": member.group,
        "traces": member.traces,
        "address": member.address,
        "rejections": _rejections(member.rejections),
        "benefits": [
            {
                "information": b.information,
                "services": list(b.services),
                "level": b.level,
                "period": b.period,
                "network": b.network,
                "cents": b.cents,
                "percent": float(b.percent) if b.percent is not None else None,
                "quantity": b.quantity,
                "words": " · ".join(
                    part
                    for part in (row.service, row.what, row.value, row.who, row.network, row.when, *row.notes)
                    if part
                ),
            }
            for b, row in zip(member.benefits, told(member), strict=True)
        ],
        "others": member.others,
    }
