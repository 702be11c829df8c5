"""The outbox, carried out: one handler a kind of errand, each from the area it belongs to.

A row is leased, carried out without a transaction, and marked done. A worker that dies in between leaves a
lease that runs out; the next one tries again under the same key, which the other side recognizes, so nothing
is lost and nothing goes out twice.

Each errand is carried out for itself. What the outside cannot take now is tried again for as long as it
takes; while a door rests (zax.outside.resting), what is for it waits until the door is tried again. One that
fails for a reason of its own is tried a few times and then set aside for a person, so that it never stops the
others.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from dataclasses import replace
from datetime import timedelta

import structlog

from zax.core.errors import ZaxError
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.claims.sending import deliver_claim_file
from zax.desk.claims.status import carry_out_question
from zax.desk.coverage.eligibility import carry_out
from zax.desk.coverage.payer_list import fetch_page
from zax.desk.money.payment_plans import charge_installment
from zax.desk.money.statements import carry_on
from zax.desk.money.terminal import clarify
from zax.desk.moving.archives import make_archive
from zax.desk.moving.jobs import run_import
from zax.desk.notices.sending import carry_out_message
from zax.desk.own.paying import clarify_online
from zax.desk.papers.receipts import make_receipt
from zax.desk.people.inviting import carry_out_letter
from zax.desk.remits.importing import read_rest
from zax.desk.remits.mailbox import take_in
from zax.desk.worker.backing_up import make_backup
from zax.desk.worker.tools import Lane, Tools
from zax.outside.doors import DoorRests, NoAnswer, OutsideTrouble
from zax.outside.resting import LONGEST_SECONDS
from zax.store.acts.outbox import (
    Errand,
    fail_errand,
    finish_errand,
    lease_errand,
    postpone_errand,
    renew_lease,
    requeue_errand,
    set_errand_aside,
)
from zax.store.engine import TROUBLE, NoRoom
from zax.store.vault import Vault

LEASE = timedelta(seconds=40)
RENEW_SECONDS = 10.0
LONGEST_PAUSE = timedelta(minutes=10)
MOST_FAILURES = 5
_GAVE_NO_WORD = "The helper ended each time it tried this."
# Short, so that of two long runs neither waits for its first progress.
SLICE_SECONDS = 1.0
LONG_RUNS = frozenset({"archive", "backup", "import", "statements"})
# Claims and mail go before the many questions and installments of a night and long runs.
LAST = frozenset({"eligibility", "installment", "statements"})
log = structlog.get_logger()


def carry_out_next(tools: Tools) -> bool:
    """Carry out the next due errand; whether there was one. What the outside cannot take now is tried again
    later.
    """
    errand = _lease(tools.desk, tools.lane)
    if errand is None:
        return False
    if errand.failures >= MOST_FAILURES:
        _set_aside(tools.desk, errand, _GAVE_NO_WORD)
        return True
    try:
        HANDLERS[errand.kind](_renewing(tools, errand), errand)
    except OutsideTrouble as error:
        if not isinstance(error, DoorRests):
            log.warning("outbox.later", id=errand.id, kind=errand.kind)
        _again_later(tools.desk, errand, error)
    except NoRoom:
        # Not the errand's fault, however long it lasts: others wait, too.
        _again_later(tools.desk, errand, OutsideTrouble("The disk is full."))
        raise
    except TROUBLE:
        raise  # the database itself: the lease brings this errand back
    except Exception as error:
        log.error("outbox.failed", id=errand.id, kind=errand.kind, times=errand.failures + 1, exc_info=error)
        _failed(tools.desk, errand, why_it_failed(error))
    return True


def why_it_failed(error: Exception) -> str:
    """A rule's own words; of a defect its kind alone, since its message may hold a patient's data."""
    return error.message if isinstance(error, ZaxError) else f"An unexpected error: {type(error).__name__}."


def _failed(desk: Desk, errand: Errand, why: str) -> None:
    if errand.failures + 1 >= MOST_FAILURES:
        _set_aside(desk, errand, why)
        return
    due = desk.clock.now() + _pause(errand.failures)
    in_transaction(desk, WORKER, lambda tx: fail_errand(tx.connection, errand.id, due, why))


def _set_aside(desk: Desk, errand: Errand, why: str) -> None:
    def write(tx: Transaction) -> None:
        set_errand_aside(tx.connection, errand.id, tx.now, why)
        tx.audit("errand.aside", errand=errand.id, kind=errand.kind)
        tx.tell("claim")

    in_transaction(desk, WORKER, write)


def _renewing(tools: Tools, errand: Errand) -> Tools:
    """The tools with a sign of life that also keeps the errand ours while long work goes on."""
    renewed = time.monotonic()

    def alive() -> None:
        nonlocal renewed
        tools.alive()
        if time.monotonic() - renewed > RENEW_SECONDS:
            renewed = time.monotonic()
            in_transaction(
                tools.desk, WORKER, lambda tx: renew_lease(tx.connection, errand.id, tx.now + LEASE)
            )

    return replace(tools, alive=alive)


def _lease(desk: Desk, lane: Lane) -> Errand | None:
    """The next of the lane; in that of long runs they take turns."""
    long = lane == Lane.LONG
    kinds = frozenset() if lane == Lane.EVERYTHING else LONG_RUNS
    last = frozenset() if long else LAST

    def lease(tx: Transaction) -> Errand | None:
        until = tx.now + LEASE
        return lease_errand(tx.connection, tx.now, until, kinds=kinds, others=not long, last=last)

    return in_transaction(desk, WORKER, lease)


def _again_later(desk: Desk, errand: Errand, trouble: OutsideTrouble) -> None:
    """After a pause that grows; a door that gives no answer rests by itself, so what is for it is at hand as
    soon as it is back.
    """
    longest = timedelta(seconds=LONGEST_SECONDS) if isinstance(trouble, NoAnswer) else LONGEST_PAUSE
    due, why = desk.clock.now() + min(longest, _pause(errand.attempts)), str(trouble)
    in_transaction(desk, WORKER, lambda tx: postpone_errand(tx.connection, errand.id, due, why))


def _pause(before: int) -> timedelta:
    """2, 4, 8 seconds and so on, the longer the more tries there were."""
    return min(LONGEST_PAUSE, timedelta(seconds=2 ** min(before + 1, 10)))


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


def _people_mail(tools: Tools, errand: Errand) -> None:
    carry_out_letter(tools.desk, tools.outside.mail, Vault(tools.store.var), errand)


def _claim_status(tools: Tools, errand: Errand) -> None:
    carry_out_question(tools.desk, tools.outside.clearinghouse, errand)


def _insurer_file(tools: Tools, errand: Errand) -> None:
    take_in(tools.desk, errand.payload["name"], errand.payload["text"], tools.alive)
    _done(tools.desk, errand)


def _insurer_rest(tools: Tools, errand: Errand) -> None:
    read_rest(tools.desk, WORKER, errand.payload["file_id"], tools.alive)
    _done(tools.desk, errand)


def _payer_list(tools: Tools, errand: Errand) -> None:
    run_id = errand.payload["run_id"]
    _slice_done(tools.desk, errand, fetch_page(tools.desk, tools.outside.clearinghouse, run_id))


def _installment(tools: Tools, errand: Errand) -> None:
    charge_installment(tools.desk, tools.outside.terminal, errand.payload["plan_id"])
    _done(tools.desk, errand)


def _receipt_mail(tools: Tools, errand: Errand) -> None:
    make_receipt(tools.desk, tools.store, tools.receipt_pdf, errand)
    _done(tools.desk, errand)


def _message(tools: Tools, errand: Errand) -> None:
    carry_out_message(tools.desk, tools.outside, errand, tools.mail_html, tools.files)


def _eligibility(tools: Tools, errand: Errand) -> None:
    carry_out(tools.desk, tools.outside.clearinghouse, errand.payload["check_id"], errand.attempts + 1)
    _done(tools.desk, errand)


def _import(tools: Tools, errand: Errand) -> None:
    job_id = errand.payload["job_id"]
    _slice_done(
        tools.desk,
        errand,
        run_import(tools.desk, WORKER, tools.store, job_id, SLICE_SECONDS, lambda _: tools.alive()),
    )


def _statements(tools: Tools, errand: Errand) -> None:
    if tools.statement_pdfs is None:
        raise RuntimeError("this worker cannot make statements")
    run_id = errand.payload["run_id"]
    _slice_done(
        tools.desk,
        errand,
        carry_on(tools.desk, tools.store, tools.statement_pdfs, run_id, SLICE_SECONDS, tools.alive),
    )


def _terminal(tools: Tools, errand: Errand) -> None:
    clarify(tools.desk, tools.outside.terminal, errand.payload["key"])
    _done(tools.desk, errand)


def _online_payment(tools: Tools, errand: Errand) -> None:
    clarify_online(tools.desk, tools.outside.pay_page, errand.payload["key"])
    _done(tools.desk, errand)


def _archive(tools: Tools, errand: Errand) -> None:
    make_archive(tools.desk, tools.store, errand.payload["archive_id"], tools.alive)
    _done(tools.desk, errand)


HANDLERS: Mapping[str, Callable[[Tools, Errand], None]] = {
    "archive": _archive,
    "backup": make_backup,
    "claim_file": _claim_file,
    "claim_status": _claim_status,
    "insurer_file": _insurer_file,
    "insurer_rest": _insurer_rest,
    "installment": _installment,
    "receipt_mail": _receipt_mail,
    "message": _message,
    "people_mail": _people_mail,
    "payer_list": _payer_list,
    "eligibility": _eligibility,
    "import": _import,
    "statements": _statements,
    "terminal": _terminal,
    "online_payment": _online_payment,
}
