"""What a worker is given to work with."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

from zax.desk.acts.transaction import Desk
from zax.desk.money.statements import StatementPdfs
from zax.desk.notices.mail import MailHtml
from zax.desk.papers.receipts import ReceiptPdf
from zax.outside.doors import Outside
from zax.store.files import FileStore


class Lane(StrEnum):
    """What a worker takes: long runs have a lane of their own, so that a receipt never waits for 500
    statements.
    """

    EVERYTHING = "everything"
    SHORT = "short"
    LONG = "long"


@dataclass(frozen=True, slots=True)
class Tools:
    """The desk, the doors to the outside, how papers become PDF and mails HTML, where imported lists and made
    papers lie, and what is called in the middle of long work to say that the worker lives;
    `backups` is the folder for them.
    """

    desk: Desk
    outside: Outside
    receipt_pdf: ReceiptPdf
    statement_pdfs: StatementPdfs | None = None
    mail_html: MailHtml | None = None
    files: FileStore | None = None
    alive: Callable[[], None] = lambda: None
    lane: Lane = Lane.EVERYTHING
    backups: Path | None = None

    @property
    def store(self) -> FileStore:
        if self.files is None:
            raise RuntimeError("this worker was given no file store")
        return self.files
