"""Claims: made from a visit's charges at checkout, checked, written as a file and put into the outbox in the
same transaction.
"""

from __future__ import annotations

import hashlib
import uuid

from zax.core.claims.check import check_claim
from zax.core.claims.claim import Claim, ClaimState
from zax.core.errors import Conflict, NotFound
from zax.core.x12.claim_file import claim_file
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.claims.content import claim_of, going_lines
from zax.desk.coverage.parties import envelope_of
from zax.desk.money.ledger import Bill
from zax.outside.doors import Clearinghouse
from zax.store.acts.outbox import Errand, finish_errand
from zax.store.book.queries import one_visit
from zax.store.book.records import Visit
from zax.store.claims import claims as stored


def make_claim(tx: Transaction, visit: Visit, bill: Bill) -> int | None:
    """The claim of a finished visit, or None when nothing goes to an insurer."""
    going = going_lines(bill)
    if bill.coverage is None or not going:
        return None
    lines = [(line.id, cents) for line, cents in going]
    claim_id = stored.add_claim(
        tx.connection,
        draft_number=uuid.uuid4().hex[:20],
        visit_id=visit.id,
        patient_id=visit.patient_id,
        coverage_id=bill.coverage.id,
        dental=tx.clinic.types[visit.type_id].dental,
        cents=sum(cents for _, cents in lines),
        made_at=tx.now,
        lines=lines,
    )
    add_event(tx, claim_id, "Created from the visit’s charges")
    check_and_send(tx, claim_id)
    return claim_id


@act("claims")
def recheck(tx: Transaction, claim_id: int) -> bool:
    """Check a held-back or rejected claim again; whether it is on its way now."""
    row = stored.claim_for_update(tx.connection, claim_id)
    if row is None:
        raise NotFound("That claim doesn’t exist.")
    if row.state not in {ClaimState.HELD_BACK, ClaimState.REJECTED}:
        raise Conflict("This claim is already on its way.")
    return check_and_send(tx, claim_id)


def check_and_send(tx: Transaction, claim_id: int) -> bool:
    """Findings hold the claim back; without any its file goes into the outbox."""
    row = stored.claim_of(tx.connection, claim_id)
    visit = one_visit(tx.connection, row.visit_id) if row else None
    if row is None or visit is None:
        raise NotFound("That claim doesn’t exist.")
    claim = claim_of(tx.connection, tx.clinic, row, visit)
    findings = [
        {"field": f.field, "where": f.where, "message": f.message}
        for f in check_claim(claim, tx.business_day(visit.site_id))
    ]
    state = ClaimState.HELD_BACK if findings else ClaimState.READY
    stored.set_findings(tx.connection, claim_id, state, findings)
    if findings:
        add_event(tx, claim_id, "Held back: " + " ".join(f["message"] for f in findings))
    else:
        file_id = _write_file(tx, claim)
        add_event(tx, claim_id, "Checked, waiting to go out", file_id)
        tx.send("claim_file", f"file-{file_id}", {"file_id": file_id, "claim_id": claim_id})
    tx.tell("claim", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)
    return not findings


def _write_file(tx: Transaction, claim: Claim) -> int:
    """The control number is the file's own id, so an acknowledgement finds its file."""
    kind = "837D" if claim.dental else "837P"
    file_id = stored.add_file_out(tx.connection, kind=kind, draft_digest=uuid.uuid4().hex, at=tx.now)
    text = claim_file([claim], envelope_of(tx, file_id))
    stored.keep_file_out(
        tx.connection,
        file_id,
        text=text,
        name=f"{claim.number}-{file_id}.{kind.lower()}",
        digest=hashlib.sha256(text.encode()).hexdigest(),
    )
    return file_id


def add_event(tx: Transaction, claim_id: int, words: str, file_id: int | None = None) -> None:
    stored.add_event(tx.connection, claim_id, at=tx.now, words=words, file_id=file_id, by_id=tx.actor.id)


def withdraw_unsent(tx: Transaction, visit: Visit) -> None:
    """A checkout is taken back: its claim must not have left. Held-back claims are closed with the reason on
    record.
    """
    rows = stored.claims_of_visit_for_update(tx.connection, visit.id)
    if stored.any_answered(tx.connection, [row.id for row in rows]):
        raise Conflict("The payer has responded to this visit’s claim, so the checkout can’t be undone.")
    for row in rows:
        if row.state not in {ClaimState.HELD_BACK, ClaimState.REJECTED, ClaimState.CLOSED}:
            raise Conflict(f"Claim {row.number} is already with the payer, so the checkout can’t be undone.")
        stored.set_state(tx.connection, row.id, ClaimState.CLOSED)
        add_event(tx, row.id, "Withdrawn: the checkout was undone")


def deliver_claim_file(desk: Desk, clearinghouse: Clearinghouse, errand: Errand) -> None:
    """The worker's part: hand a claim's file over and note on the claim that it went. Raises OutsideTrouble
    to be tried again.
    """
    with desk.engine.connect() as connection:
        file = stored.file_of(connection, errand.payload["file_id"])
    if file is None:
        raise LookupError(f"no file {errand.payload['file_id']}")
    clearinghouse.deliver(errand.request_key, file.name, file.text)

    def write(tx: Transaction) -> None:
        claim = stored.claim_for_update(tx.connection, errand.payload["claim_id"])
        assert claim is not None, "its file was written with it"
        if claim.state == ClaimState.READY:
            stored.mark_sent(tx.connection, claim.id, tx.now)
        add_event(tx, claim.id, f"Sent as {file.name}", file.id)
        tx.tell("claim", visit_id=claim.visit_id, patient_id=claim.patient_id)
        finish_errand(tx.connection, errand.id, tx.now)

    in_transaction(desk, WORKER, write)
