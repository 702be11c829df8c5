"""What `zax worker` does: carry out the outbox and fetch what the clearinghouse has for us.

Any number of workers share the outbox. A row is leased (SELECT ... FOR UPDATE SKIP LOCKED), carried out without a transaction, and
marked done. A worker that dies in between leaves a lease that runs out; the next one tries again under the same key, which the other
side recognises, so nothing is lost and nothing goes out twice.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from datetime import datetime, timedelta
from email.message import EmailMessage
from typing import Any

import structlog
from sqlalchemy import select, text, update
from sqlalchemy.dialects.mysql import insert as mysql_insert

from zax.clock import system_now
from zax.core.claims.claim import ClaimState
from zax.core.errors import Conflict, ZaxError
from zax.desk.claims import add_event
from zax.desk.eligibility import carry_out, nightly
from zax.desk.held import release_held
from zax.desk.intake import run_import
from zax.desk.remits import import_file, keep_unreadable
from zax.desk.statements import StatementPdfs, carry_on
from zax.desk.terminal import close_payment
from zax.desk.unit import WORKER, Desk, Unit, in_transaction
from zax.outside.doors import Outside, OutsideTrouble
from zax.store import schema
from zax.store.files import FileStore

LEASE = timedelta(seconds=40)
SLICE_SECONDS = 10.0
PLANS_EVERY = timedelta(minutes=10)
LONGEST_PAUSE = timedelta(minutes=10)
log = structlog.get_logger()
ReceiptPdf = Callable[[Desk, int], bytes]


def run_once(
    desk: Desk,
    outside: Outside,
    receipt_pdf: ReceiptPdf,
    files: FileStore | None = None,
    limit: int = 20,
    statement_pdfs: StatementPdfs | None = None,
) -> int:
    """Carry out what is due and fetch the mailbox; how many things were done. `files` is where imported lists and made papers lie."""
    done = 0
    for _ in range(limit):
        row = _lease(desk)
        if row is None:
            break
        _carry_out(desk, outside, receipt_pdf, files, row, statement_pdfs)
        done += 1
    return done + nightly(desk) + _plans(desk, outside) + release_held(desk) + fetch_mailbox(desk, outside)


def _plans(desk: Desk, outside: Outside) -> int:
    """Instalments that are due, looked at every few minutes; each is charged once a day whoever looks."""
    with desk.engine.connect() as connection:
        last = last_beat(connection, "plans")
    if last is not None and desk.clock.now() - last.clock_at < PLANS_EVERY:
        return 0
    beat(desk, "plans")
    return _plans(desk, outside)


def _lease(desk: Desk) -> Any:
    """One due row, ours until the lease ends; rows other workers hold are passed over."""

    def take(unit: Unit) -> Any:
        o = schema.outbox
        row = unit.one(
            select(o)
            .where(
                o.c.state == "waiting",
                o.c.due_at <= unit.now,
                (o.c.leased_until.is_(None)) | (o.c.leased_until < unit.now),
            )
            # claims and mail go before the many questions of a night and long runs
            .order_by(o.c.kind.in_(("eligibility", "statements")), o.c.due_at, o.c.id)
            .limit(1)
            .with_for_update(skip_locked=True)
        )
        if row is not None:
            unit.connection.execute(
                update(o).where(o.c.id == row.id).values(leased_until=unit.now + LEASE, attempts=row.attempts + 1)
            )
        return row

    return in_transaction(desk, WORKER, take)


def _carry_out(
    desk: Desk,
    outside: Outside,
    receipt_pdf: ReceiptPdf,
    files: FileStore | None,
    row: Any,
    statement_pdfs: StatementPdfs | None,
) -> None:
    payload = row.payload if isinstance(row.payload, dict) else json.loads(row.payload)
    handlers: Mapping[str, Callable[[], None]] = {
        "claim_file": lambda: _send_claim_file(desk, outside, row, payload),
        "receipt_mail": lambda: _send_receipt(desk, outside, receipt_pdf, row, payload),
        "patient_mail": lambda: _send_mail(desk, outside, row, payload),
        "eligibility": lambda: _check_coverage(desk, outside, row, payload),
        "import": lambda: _import_patients(desk, files, row, payload),
        "statements": lambda: _make_statements(desk, files, statement_pdfs, row, payload),
        "terminal": lambda: _clarify(desk, outside, row, payload),
    }
    try:
        handlers[row.kind]()
    except OutsideTrouble as error:
        log.warning("outbox.later", id=row.id, kind=row.kind, why=str(error))
        _again_later(desk, row, str(error))


def _again_later(desk: Desk, row: Any, why: str) -> None:
    pause = min(LONGEST_PAUSE, timedelta(seconds=2 ** min(row.attempts + 1, 10)))

    def write(unit: Unit) -> None:
        unit.connection.execute(
            update(schema.outbox)
            .where(schema.outbox.c.id == row.id)
            .values(leased_until=None, due_at=unit.now + pause, last_error=why[:1000])
        )

    in_transaction(desk, WORKER, write)


def _finish(unit: Unit, row: Any) -> None:
    unit.connection.execute(
        update(schema.outbox)
        .where(schema.outbox.c.id == row.id)
        .values(state="done", done_at=unit.now, last_error=None)
    )


def _send_claim_file(desk: Desk, outside: Outside, row: Any, payload: dict[str, Any]) -> None:
    with desk.engine.connect() as connection:
        file = connection.execute(select(schema.x12_file).where(schema.x12_file.c.id == payload["file_id"])).one()
    outside.clearinghouse.deliver(row.request_key, file.name, file.text)

    def write(unit: Unit) -> None:
        c = schema.claim
        claim = unit.one(select(c).where(c.c.id == payload["claim_id"]).with_for_update())
        if claim.state == ClaimState.READY:
            unit.connection.execute(
                update(c).where(c.c.id == claim.id).values(state=ClaimState.SENT, sent_at=unit.now)
            )
        add_event(unit, claim.id, f"Sent as {file.name}", file.id)
        unit.tell("claim", visit_id=claim.visit_id, patient_id=claim.patient_id)
        _finish(unit, row)

    in_transaction(desk, WORKER, write)


def _send_receipt(desk: Desk, outside: Outside, receipt_pdf: ReceiptPdf, row: Any, payload: dict[str, Any]) -> None:
    name = desk.clinic.about["clinic_name"]
    message = EmailMessage()
    message["From"] = desk.clinic.about["email"]
    message["To"] = payload["to"]
    message["Subject"] = f"Your receipt from {name}"
    message["Message-ID"] = payload["message_id"]
    message.set_content(f"Thank you for your payment. Your receipt is attached.\n\n{name}\n")
    message.add_attachment(
        receipt_pdf(desk, payload["receipt_id"]), maintype="application", subtype="pdf", filename="receipt.pdf"
    )
    outside.mail.send(message)
    in_transaction(desk, WORKER, lambda unit: _finish(unit, row))


def _send_mail(desk: Desk, outside: Outside, row: Any, payload: dict[str, Any]) -> None:
    """A plain message to a patient."""
    message = EmailMessage()
    message["From"] = desk.clinic.about["email"]
    message["To"] = payload["to"]
    message["Subject"] = payload["subject"]
    message["Message-ID"] = payload["message_id"]
    message.set_content(payload["text"])
    outside.mail.send(message)
    in_transaction(desk, WORKER, lambda unit: _finish(unit, row))


def _check_coverage(desk: Desk, outside: Outside, row: Any, payload: dict[str, Any]) -> None:
    carry_out(desk, outside.clearinghouse, payload["check_id"], row.attempts + 1)
    in_transaction(desk, WORKER, lambda unit: _finish(unit, row))


def _import_patients(desk: Desk, files: FileStore | None, row: Any, payload: dict[str, Any]) -> None:
    """A slice of a patient import; what is left waits its turn again, so that nothing else waits long."""
    if files is None:
        raise RuntimeError("this worker was given no file store")
    _slice_done(desk, row, run_import(desk, WORKER, files, payload["job_id"], seconds=SLICE_SECONDS))


def _make_statements(
    desk: Desk, files: FileStore | None, pdf: StatementPdfs | None, row: Any, payload: dict[str, Any]
) -> None:
    """A slice of a run of statements."""
    if files is None or pdf is None:
        raise RuntimeError("this worker was given no file store")
    _slice_done(desk, row, carry_on(desk, files, pdf, payload["run_id"], SLICE_SECONDS))


def _slice_done(desk: Desk, row: Any, finished: bool) -> None:
    """Long work is done in slices: what is left waits its turn again."""

    def write(unit: Unit) -> None:
        if finished:
            _finish(unit, row)
        else:
            o = schema.outbox
            unit.connection.execute(
                update(o).where(o.c.id == row.id).values(leased_until=None, due_at=unit.now, attempts=0)
            )

    in_transaction(desk, WORKER, write)


def _clarify(desk: Desk, outside: Outside, row: Any, payload: dict[str, Any]) -> None:
    """Ask the terminal what became of a payment that is not closed yet."""
    with desk.engine.connect() as connection:
        query = select(schema.payment.c.state).where(schema.payment.c.request_key == payload["key"])
        state = connection.execute(query).scalar_one()
    if state in {"asking", "unknown"}:
        sale = outside.terminal.look_up(payload["key"])
        if sale.state == "unknown":
            raise OutsideTrouble(sale.words)
        close_payment(desk, WORKER, payload["key"], sale)
    in_transaction(desk, WORKER, lambda unit: _finish(unit, row))


def fetch_mailbox(desk: Desk, outside: Outside) -> int:
    """Import every waiting file; a file is confirmed only once it is in our database."""
    try:
        waiting = outside.clearinghouse.collect()
    except OutsideTrouble as error:
        log.warning("mailbox.later", why=str(error))
        return 0
    for file in waiting:
        _import(desk, file.name, file.text)
        try:
            outside.clearinghouse.confirm(file.id)
        except OutsideTrouble as error:
            log.warning("mailbox.unconfirmed", name=file.name, why=str(error))
    return len(waiting)


def _import(desk: Desk, name: str, content: str) -> None:
    try:
        done = import_file(desk, WORKER, name, content)
        log.info("file.imported", name=name, words=done.words)
    except Conflict as error:
        log.info("file.known", name=name, why=error.message)
    except ZaxError as error:
        log.warning("file.unusable", name=name, why=error.message)
        keep_unreadable(desk, WORKER, name, content, error.message)


def beat(desk: Desk, name: str = "worker") -> None:
    """Write that the worker lives (system time) and where the clock stands."""

    def write(unit: Unit) -> None:
        values = {"name": name, "at": system_now(), "clock_at": unit.now}
        unit.connection.execute(
            mysql_insert(schema.beat).values(**values).on_duplicate_key_update(at=values["at"], clock_at=unit.now)
        )

    in_transaction(desk, WORKER, write)


def last_beat(connection: Any, name: str = "worker") -> Any:
    """(at, clock_at) of the worker, or None."""
    return connection.execute(
        select(schema.beat.c.at, schema.beat.c.clock_at).where(schema.beat.c.name == name)
    ).first()


def prune_feed(desk: Desk, older_than: timedelta = timedelta(days=2)) -> None:
    """The feed only wakes screens; what is older than any open screen can go."""
    limit: datetime = desk.clock.now() - older_than
    in_transaction(
        desk,
        WORKER,
        lambda unit: unit.connection.execute(text("DELETE FROM feed WHERE at < :limit"), {"limit": limit}),
    )
