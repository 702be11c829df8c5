"""What `zax worker` does, again and again: carry out the outbox, then every duty. Any number of workers share
the work.
"""

from __future__ import annotations

from zax.desk.acts.transaction import Desk
from zax.desk.money.statements import StatementPdfs
from zax.desk.worker.duties import DUTIES, do_duty
from zax.desk.worker.errands import carry_out_next
from zax.desk.worker.tools import ReceiptPdf, Tools
from zax.outside.doors import Outside
from zax.store.files import FileStore


def run_once(
    desk: Desk,
    outside: Outside,
    receipt_pdf: ReceiptPdf,
    files: FileStore | None = None,
    limit: int = 20,
    statement_pdfs: StatementPdfs | None = None,
) -> int:
    """Carry out at most `limit` errands that are due, then every duty; how many things were done."""
    tools = Tools(desk, outside, receipt_pdf, statement_pdfs, files)
    done = 0
    while done < limit and carry_out_next(tools):
        done += 1
    return done + sum(do_duty(tools, duty) for duty in DUTIES)
