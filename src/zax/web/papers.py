"""Papers as PDF, from HTML templates through WeasyPrint: about a visit, about planned work, what was signed, money, and the list of a day."""

from __future__ import annotations

import io
from collections.abc import Sequence
from datetime import date
from functools import cache
from typing import Any

from jinja2 import Environment
from sqlalchemy import bindparam, func, select

from zax.clock import local
from zax.core.arrivals.forms import stroke_paths
from zax.core.book.track import FREES_THE_TIME
from zax.core.charges.lines import LETTERS, PLACES, pointed
from zax.core.charges.teeth import AREAS
from zax.core.errors import NotFound, Refused
from zax.core.money.aging import BUCKETS
from zax.core.money.statement import PAY_WITHIN
from zax.core.money.tender import PaymentState
from zax.desk.bookview import book_view
from zax.desk.closing import closes_of
from zax.desk.daysheet import day_sheet, journal_of
from zax.desk.forms import Signed
from zax.desk.posting import tender_words
from zax.desk.proposals import proposal_of
from zax.desk.receipts import receipt_of
from zax.desk.sheet import sheet_of
from zax.desk.statements import Statement
from zax.desk.unit import Desk
from zax.desk.why import sentence, title
from zax.store import money, schema
from zax.web import press
from zax.web.render import make_environment


@cache
def _templates() -> Environment:
    return make_environment()


def _html(template: str, **values: Any) -> str:
    return str(_templates().get_template(template).render(**values))


def _pdf(template: str, **values: Any) -> bytes:
    return press.write(_html(template, **values))


def _of_visit(desk: Desk, visit_id: int, template: str, **more: Any) -> bytes:
    """A paper about one visit. `payments` are those taken, each with what of it was for this visit (`here`)."""
    with desk.engine.connect() as connection:
        sheet = sheet_of(connection, desk.clinic, desk.clock.now(), visit_id)
        payments = connection.execute(_PAID_FOR_VISIT, {"visit_id": visit_id}).all()
        patient = connection.execute(
            select(schema.patient).where(schema.patient.c.id == sheet.visit.patient_id)
        ).one()
    site = desk.clinic.sites[sheet.visit.site_id]
    return _pdf(
        template, sheet=sheet, patient=patient, payments=payments, site=site, about=desk.clinic.about, tender_words=tender_words, clinic=desk.clinic, services=desk.clinic.services,
        printed=local(desk.clock.now(), site.timezone), areas=AREAS, **more,
    )  # fmt: skip


_PAID_FOR_VISIT = (
    select(schema.payment, func.sum(schema.payment_part.c.cents).label("here"))
    .join(schema.payment_part, schema.payment_part.c.payment_id == schema.payment.c.id)
    .where(schema.payment_part.c.visit_id == bindparam("visit_id"), schema.payment.c.state == PaymentState.TAKEN)
    .group_by(schema.payment.c.id)
    .order_by(schema.payment.c.id)
)


def receipt_pdf(desk: Desk, receipt_id: int) -> bytes:
    """What was paid in one go, by which tenders, for what; the same numbers whenever it is asked for. NotFound when nothing was taken."""
    with desk.engine.connect() as connection:
        shown = receipt_of(connection, desk.clinic, receipt_id)
        patient = connection.execute(select(schema.patient).where(schema.patient.c.id == shown.row.patient_id)).one()
    if not shown.taken:
        raise NotFound("Nothing was paid, so there is no receipt.")
    site = desk.clinic.sites[shown.row.site_id]
    return _pdf(
        "papers/paid.html", shown=shown, patient=patient, site=site, about=desk.clinic.about, clinic=desk.clinic, tender_words=tender_words,
        printed=local(shown.row.at, site.timezone),
    )  # fmt: skip


def visit_receipt_pdf(desk: Desk, visit_id: int) -> bytes:
    """The receipt of a visit's payments; NotFound when nothing was paid."""
    with desk.engine.connect() as connection:
        if not connection.execute(_PAID_FOR_VISIT, {"visit_id": visit_id}).first():
            raise NotFound("Nothing was paid for this visit yet, so there is no receipt.")
    return _of_visit(desk, visit_id, "papers/receipt.html")


def itemised_pdf(desk: Desk, visit_id: int) -> bytes:
    """The bill line by line: fee, what the contract forgives, what the plan should pay and why, what the patient pays."""
    return _of_visit(desk, visit_id, "papers/itemised.html")


def summary_pdf(desk: Desk, visit_id: int) -> bytes:
    """The visit for the patient's own insurer: diagnoses, codes, modifiers, place, who did it with NPI, the clinic's tax id."""
    with desk.engine.connect() as connection:
        codes = [row.code for row in money.visit_diagnoses(connection, visit_id)]
    letters = lambda line: "".join(LETTERS[n - 1] for n in pointed(line.points_to, codes))  # noqa: E731
    return _of_visit(desk, visit_id, "papers/summary.html", letters=letters, names=LETTERS, places=PLACES)


def attendance_pdf(desk: Desk, visit_id: int) -> bytes:
    """A letter that the patient was here from when to when; Refused for somebody who was not."""
    with desk.engine.connect() as connection:
        sheet = sheet_of(connection, desk.clinic, desk.clock.now(), visit_id)
    zone = desk.clinic.sites[sheet.visit.site_id].timezone
    times = {row.to_stop: local(row.at, zone) for row in sheet.history if row.to_stop in {"here", "checkout"}}
    if "here" not in times:
        raise Refused(f"{sheet.visit.first} {sheet.visit.last} was not checked in, so there is nothing to confirm.")
    until = times.get("checkout", local(desk.clock.now(), zone))
    return _of_visit(desk, visit_id, "papers/attendance.html", came=times["here"], until=until)


def signed_paper(signed: Signed) -> bytes:
    """What was signed, as it was signed: the texts, the answers, the strokes, who and when."""
    return _signed("papers/signed.html", signed)


def proposal_paper(signed: Signed) -> bytes:
    """The signed option of planned work with its costs on that day."""
    return _signed("papers/proposal.html", signed, areas=AREAS)


def _signed(template: str, signed: Signed, **more: Any) -> bytes:
    return _pdf(template, s=signed, paths=stroke_paths(signed.strokes), printed=signed.at, **signed.more, **more)


def plan_pdf(desk: Desk, proposal_id: int) -> bytes:
    """Planned work for the patient to take home: every option with its phases and costs."""
    with desk.engine.connect() as connection:
        shown = proposal_of(connection, desk.clinic, proposal_id, desk.clock.now())
    site = desk.clinic.first_site
    return _pdf(
        "papers/proposal.html", s=None, paths=[], shown=shown, option=None, services=desk.clinic.services, about=desk.clinic.about, site=site,
        printed=local(desk.clock.now(), site.timezone), clinic=desk.clinic, areas=AREAS,
    )  # fmt: skip


def day_list_pdf(desk: Desk, sites: tuple[int, ...], day: date) -> bytes:
    """Every visit of the day by provider and time, for the wall or for a day without power."""
    with desk.engine.connect() as connection:
        view = book_view(connection, desk.clinic, desk.clock.now(), sites, day, "provider")
    first = desk.clinic.sites[sites[0]]
    printed = local(desk.clock.now(), first.timezone)
    names = ", ".join(desk.clinic.sites[number].name for number in sites)
    return _pdf(
        "papers/daylist.html",
        view=view,
        site=first,
        names=names,
        about=desk.clinic.about,
        printed=printed,
        closed=FREES_THE_TIME,
    )


def statement_pdfs(desk: Desk, made: Sequence[Statement]) -> list[bytes]:
    """Statements in plain words: visit by visit what it came to, who paid what, what is open and why, its age, and a pay slip."""
    return press.write_all([_statement_html(desk, each) for each in made])


def _statement_html(desk: Desk, made: Statement) -> str:
    account, site = made.account, desk.clinic.first_site
    shown = [each for each in account.visits if each.open.patient]
    waiting = sum(each.open.insurer for each in account.visits if not each.open.patient)
    return _html(
        "papers/statement.html", s=made, account=account, shown=shown, waiting=waiting, visit_why=lambda each: sentence(account, each), site=site, about=desk.clinic.about,
        buckets=BUCKETS, pay_by=made.day + PAY_WITHIN, title=title, payer=account.members[0] if account.visits else account.patient,
        printed=local(desk.clock.now(), site.timezone),
    )  # fmt: skip


def joined_pdf(papers: Sequence[bytes]) -> bytes:
    """Several papers in one file, for the printer."""
    import pikepdf

    out = io.BytesIO()
    with pikepdf.new() as together:
        for each in papers:
            with pikepdf.open(io.BytesIO(each)) as one:
                together.pages.extend(one.pages)
        together.save(out)
    return out.getvalue()


def deposit_slip_pdf(desk: Desk, close: Any) -> bytes:
    """What goes to the bank: cash by pieces and every cheque."""
    site = desk.clinic.sites[close.site_id]
    pieces = sorted(((int(value), number) for value, number in close.pieces.items()), reverse=True)
    return _pdf(
        "papers/deposit.html",
        close=close,
        pieces=pieces,
        site=site,
        about=desk.clinic.about,
        printed=local(close.at, site.timezone),
    )


def day_sheet_pdf(desk: Desk, site_id: int, day: date) -> bytes:
    """Production, collections and adjustments of a day by provider, tender, payer and reason, with its count once it is closed."""
    with desk.engine.connect() as connection:
        sheet = day_sheet(connection, desk.clinic, site_id, day, day)
        closed = closes_of(connection, site_id, day, day).get(day)
        rows = journal_of(connection, site_id, day, day)
    site = desk.clinic.sites[site_id]
    return _pdf(
        "papers/daysheet.html", sheet=sheet, closed=closed, rows=rows, day=day, site=site, about=desk.clinic.about, tender_words=desk.clinic.money.tender_words,
        printed=local(desk.clock.now(), site.timezone),
    )  # fmt: skip
