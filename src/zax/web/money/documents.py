"""Papers of money: receipts, statements, the deposit slip and the day sheet."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from zax.clock import local
from zax.core.errors import NotFound
from zax.core.money.aging import BUCKETS
from zax.core.money.statement import PAY_WITHIN
from zax.desk.acts.transaction import Desk
from zax.desk.money.day_sheet import day_sheet
from zax.desk.money.explain_amount import sentence, title
from zax.desk.money.posting import tender_words
from zax.desk.money.receipts import receipt_of
from zax.desk.money.statements import Statement
from zax.store.money.closing import DayClose, closes_of
from zax.store.money.sums import journal_rows as journal_of
from zax.store.patients.patients import known_patient
from zax.web.shell.pdf import paper, paper_html, write_all


def receipt_pdf(desk: Desk, receipt_id: int, names_care: bool = True) -> bytes:
    """What was paid in one go, by which tenders, for what; the same numbers whenever it is asked for. One for
    a mail may leave out what was done. NotFound when nothing was taken.
    """
    with desk.engine.connect() as connection:
        shown = receipt_of(connection, desk.clinic, receipt_id)
        patient = known_patient(connection, shown.row.patient_id)
    if not shown.taken:
        raise NotFound("Nothing was paid, so there’s no receipt.")
    site = desk.clinic.sites[shown.row.site_id]
    return paper(
        "money/papers/receipt.html",
        shown=shown,
        patient=patient,
        site=site,
        about=desk.clinic.about,
        clinic=desk.clinic,
        tender_words=tender_words,
        names_care=names_care,
        printed=local(shown.row.at, site.timezone),
    )


def statement_pdfs(desk: Desk, made: Sequence[Statement]) -> list[bytes]:
    """Statements in plain words: visit by visit what it came to, who paid what, what is open and why, its
    age, and a pay slip.
    """
    return write_all([_statement_html(desk, each) for each in made])


def _statement_html(desk: Desk, made: Statement) -> str:
    account, site = made.account, desk.clinic.first_site
    shown = [each for each in account.visits if each.open.patient]
    waiting = sum(each.open.insurer for each in account.visits if not each.open.patient)
    return paper_html(
        "money/papers/statement.html",
        s=made,
        account=account,
        shown=shown,
        waiting=waiting,
        visit_why=lambda each: sentence(account, each),
        site=site,
        about=desk.clinic.about,
        buckets=BUCKETS,
        pay_by=made.day + PAY_WITHIN,
        title=title,
        payer=account.members[0] if account.visits else account.patient,
        printed=local(desk.clock.now(), site.timezone),
    )


def deposit_slip_pdf(desk: Desk, close: DayClose) -> bytes:
    """What goes to the bank: cash by pieces and every check."""
    site = desk.clinic.sites[close.site_id]
    pieces = sorted(((int(value), number) for value, number in close.pieces.items()), reverse=True)
    return paper(
        "money/papers/deposit_slip.html",
        close=close,
        pieces=pieces,
        site=site,
        about=desk.clinic.about,
        printed=local(close.at, site.timezone),
    )


def day_sheet_pdf(desk: Desk, site_id: int, day: date) -> bytes:
    """Production, collections and adjustments of a day by provider, tender, payer and reason, with its count
    once it is closed.
    """
    with desk.engine.connect() as connection:
        sheet = day_sheet(connection, desk.clinic, site_id, day, day)
        closed = closes_of(connection, site_id, day, day).get(day)
        rows = journal_of(connection, site_id, day, day)
    site = desk.clinic.sites[site_id]
    return paper(
        "money/papers/day_sheet.html",
        sheet=sheet,
        closed=closed,
        rows=rows,
        day=day,
        site=site,
        about=desk.clinic.about,
        tender_words=desk.clinic.money.tender_words,
        printed=local(desk.clock.now(), site.timezone),
    )
