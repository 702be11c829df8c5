"""The outbox, carried out: one handler a kind of errand, each from the area it belongs to.

A row is leased, carried out without a transaction, and marked done. A worker that dies in between leaves a
lease that runs out; the next one tries again under the same key, which the other side recognizes, so nothing
is lost and nothing goes out twice.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import timedelta

import structlog

from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.letters import send_letter
from zax.desk.acts.transaction import Desk
from zax.desk.claims.claims import deliver_claim_file
from zax.desk.coverage.eligibility import carry_out
from zax.desk.money.receipts import mail_waiting_receipt
from zax.desk.money.statements import carry_on
from zax.desk.money.terminal import clarify
from zax.desk.record.importing import run_import
from zax.desk.worker.tools import Tools
from zax.outside.doors import OutsideTrouble
from zax.store.acts.outbox import Errand, finish_errand, lease_errand, postpone_errand, requeue_errand

LEASE = timedelta(seconds=40)
LONGEST_PAUSE = timedelta(minutes=10)
SLICE_SECONDS = 10.0
# Claims and mail go before the many questions of a night and long runs.
LAST = frozenset({"eligibility", "statements"})
log = structlog.get_logger()


def carry_out_next(tools: Tools) -> bool:
    """Carry out the next due errand; whether there was one. What the outside cannot take now is tried again
    later.
    """
    errand = _lease(tools.desk)
    if errand is None:
        return False
    try:
        HANDLERS[errand.kind](tools, errand)
    except OutsideTrouble as error:
        log.warning("outbox.later", id=errand.id, kind=errand.kind, why=str(error))
        _again_later(tools.desk, errand, str(error))
    return True


def _lease(desk: Desk) -> Errand | None:
    return in_transaction(desk, WORKER, lambda tx: lease_errand(tx.connection, tx.now, tx.now + LEASE, LAST))


def _again_later(desk: Desk, errand: Errand, why: str) -> None:
    pause = min(LONGEST_PAUSE, timedelta(seconds=2 ** min(errand.attempts + 1, 10)))
    in_transaction(desk, WORKER, lambda tx: postpone_errand(tx.connection, errand.id, tx.now + pause, why))


def _done(desk: Desk, errand: Errand) -> None:
    in_transaction(desk, WORKER, lambda tx: finish_errand(tx.connection, errand.id, tx.now))


def _slice_done(desk: Desk, errand: Errand, finished: bool) -> None:
    """Long work is done in slices: what is left waits its turn again, so that nothing else waits long."""
    if finished:
        _done(desk, errand)
    else:
        in_transaction(desk, WORKER, lambda tx: requeue_errand(tx.connection, errand.id, tx.now))


def _claim_file(tools: Tools, errand: Errand) -> None:
    deliver_claim_file(tools.desk, tools.outside.clearinghouse, errand)


def _receipt_mail(tools: Tools, errand: Errand) -> None:
    mail_waiting_receipt(tools.desk, tools.outside.mail, tools.receipt_pdf, errand.payload)
    _done(tools.desk, errand)


def _patient_mail(tools: Tools, errand: Errand) -> None:
    send_letter(
        tools.desk, tools.outside.mail, errand.payload, errand.payload["subject"], errand.payload["text"]
    )
    _done(tools.desk, errand)


def _eligibility(tools: Tools, errand: Errand) -> None:
    carry_out(tools.desk, tools.outside.clearinghouse, errand.payload["check_id"], errand.attempts + 1)
    _done(tools.desk, errand)


def _import(tools: Tools, errand: Errand) -> None:
    job_id = errand.payload["job_id"]
    _slice_done(
        tools.desk, errand, run_import(tools.desk, WORKER, tools.store, job_id, seconds=SLICE_SECONDS)
    )


def _statements(tools: Tools, errand: Errand) -> None:
    if tools.statement_pdfs is None:
        raise RuntimeError("this worker cannot make statements")
    run_id = errand.payload["run_id"]
    _slice_done(
        tools.desk, errand, carry_on(tools.desk, tools.store, tools.statement_pdfs, run_id, SLICE_SECONDS)
    )


def _terminal(tools: Tools, errand: Errand) -> None:
    clarify(tools.desk, tools.outside.terminal, errand.payload["key"])
    _done(tools.desk, errand)


HANDLERS: Mapping[str, Callable[[Tools, Errand], None]] = {
    "claim_file": _claim_file,
    "receipt_mail": _receipt_mail,
    "patient_mail": _patient_mail,
    "eligibility": _eligibility,
    "import": _import,
    "statements": _statements,
    "terminal": _terminal,
}
