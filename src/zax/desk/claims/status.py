"""Asking a payer how a claim stands (276), by one key or by rule once it is overdue; the answer (277) moves
the claim as if it had come by itself.

The question waits in the outbox like everything that goes outside, so that a payer that does not answer is
asked again later and nothing is asked twice.
"""

from __future__ import annotations

import hashlib
from datetime import timedelta

from zax.core.claims.states import ClaimState
from zax.core.claims.worklist import Need
from zax.core.errors import Conflict, NotFound
from zax.core.x12.claim_status import status_reports_of
from zax.core.x12.status_inquiry import status_inquiry
from zax.core.x12.syntax import read
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.claims.acknowledging import take_status
from zax.desk.claims.claims import add_event
from zax.desk.claims.content import made_claim
from zax.desk.coverage.parties import envelope_of
from zax.outside.doors import Clearinghouse, OutsideTrouble
from zax.store.acts.outbox import Errand, finish_errand
from zax.store.claims import claims as stored
from zax.store.claims import files as x12_files
from zax.store.claims.claims import ClaimRow
from zax.store.claims.worklist import worked

# A payer is not asked about the same claim again sooner.
EVERY = timedelta(days=7)
AT_ONCE = 50


@act("claims")
def ask_payer(tx: Transaction, claim_id: int) -> None:
    """Ask how it stands. Conflict for a claim the payer does not have."""
    row = stored.claim_for_update(tx.connection, claim_id)
    if row is None:
        raise NotFound("That claim doesn’t exist.")
    if row.state not in {ClaimState.SENT, ClaimState.ACCEPTED}:
        raise Conflict("Only a claim that is with its payer can be asked about.")
    _ask(tx, row)


def _ask(tx: Transaction, row: ClaimRow) -> None:
    stored.mark_asked(tx.connection, row.id, tx.now)
    tx.send("claim_status", f"status-{row.id}-{tx.now.isoformat()}", {"claim_id": row.id})
    add_event(tx, row.id, "Asked the payer how it stands")
    tx.tell("claim", visit_id=row.visit_id, patient_id=row.patient_id)


def ask_about_overdue(desk: Desk) -> int:
    """The rule: overdue claims are asked about every week; how many were asked about now."""

    def write(tx: Transaction) -> int:
        overdue = worked(tx.connection, Need.OVERDUE, tx.clinic_day, most=AT_ONCE)
        for claim_id in stored.overdue_unasked(tx.connection, [c.id for c in overdue], tx.now - EVERY):
            row = stored.claim_for_update(tx.connection, claim_id)
            if row is not None and row.state in {ClaimState.SENT, ClaimState.ACCEPTED}:
                _ask(tx, row)
        return len(overdue)

    return in_transaction(desk, WORKER, write)


def carry_out_question(desk: Desk, clearinghouse: Clearinghouse, errand: Errand) -> None:
    """The worker's part: ask, and take the answer in. Raises OutsideTrouble to be tried again."""
    question = in_transaction(desk, WORKER, lambda tx: _question(tx, errand.payload["claim_id"]))
    answer = clearinghouse.ask_status(question)
    reports, problems = status_reports_of(read(answer))
    if problems:
        raise OutsideTrouble(f"The payer’s answer can’t be read. {problems[0]}")

    def write(tx: Transaction) -> None:
        digest = hashlib.sha256(f"{errand.id}{answer}".encode()).hexdigest()
        file_id = x12_files.add_file_in(
            tx.connection, kind="277", name=f"status-{errand.id}.277", digest=digest, text=answer, at=tx.now
        )
        said = [take_status(tx, file_id, report)[0] for report in reports]
        x12_files.set_outcome(tx.connection, file_id, " ".join(said))
        finish_errand(tx.connection, errand.id, tx.now)

    in_transaction(desk, WORKER, write)


def _question(tx: Transaction, claim_id: int) -> str:
    row = stored.claim_of(tx.connection, claim_id)
    assert row is not None, "a question names its claim"
    made = made_claim(tx.connection, tx.clinic, row, tx.clinic_day)
    file_id = x12_files.add_file_out(
        tx.connection, kind="276", draft_digest=f"276-{claim_id}-{tx.now.isoformat()}", at=tx.now
    )
    text = status_inquiry(made.claim, envelope_of(tx, file_id), row.payer_claim)
    digest = hashlib.sha256(text.encode()).hexdigest()
    x12_files.keep_file_out(
        tx.connection, file_id, text=text, name=f"{row.number}-{file_id}.276", digest=digest
    )
    return text
