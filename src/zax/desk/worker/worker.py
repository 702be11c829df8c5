"""What `zax worker` does, again and again: every duty, then the errands of the outbox. Any number of workers
share the work.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from zax.desk.acts.transaction import Desk
from zax.desk.money.statements import StatementPdfs
from zax.desk.notices.mail import MailHtml
from zax.desk.papers.receipts import ReceiptPdf
from zax.desk.worker.duties import do_duties
from zax.desk.worker.errands import carry_out_next
from zax.desk.worker.tools import Lane, Tools
from zax.outside.doors import Outside
from zax.store.files import FileStore


def run_once(
    desk: Desk,
    outside: Outside,
    receipt_pdf: ReceiptPdf,
    files: FileStore | None = None,
    limit: int = 20,
    statement_pdfs: StatementPdfs | None = None,
    mail_html: MailHtml | None = None,
    alive: Callable[[], None] = lambda: None,
    lane: Lane = Lane.EVERYTHING,
    backups: Path | None = None,
) -> int:
    """Do every duty (but not in the lane of long runs), then carry out at most `limit` errands that are due;
    how many things were done. Raises only what the database itself is to blame for.
    """
    if not desk.clinic.sites:
        desk.read_setup()
    if not desk.clinic.sites:
        return 0  # nothing to do until the clinic has opened
    tools = Tools(desk, outside, receipt_pdf, statement_pdfs, mail_html, files, alive, lane, backups)
    done = do_duties(tools) if lane != Lane.LONG else 0
    while limit and carry_out_next(tools):
        done, limit = done + 1, limit - 1
        alive()
    return done
