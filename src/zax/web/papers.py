"""Papers as PDF, from HTML templates through WeasyPrint: the receipt, and the list of a day."""

from __future__ import annotations

from datetime import date
from functools import cache
from pathlib import Path
from typing import Any

from jinja2 import Environment
from sqlalchemy import select

from zax.clock import local
from zax.core.book.track import FREES_THE_TIME
from zax.core.errors import NotFound
from zax.core.money.tender import PaymentState
from zax.desk.bookview import book_view
from zax.desk.payments import tender_words
from zax.desk.sheet import sheet_of
from zax.desk.unit import Desk
from zax.store import schema
from zax.web.render import make_environment

FONTS = Path(__file__).parent / "static" / "vendor"


@cache
def _templates() -> Environment:
    return make_environment()


def _pdf(template: str, **values: Any) -> bytes:
    from weasyprint import HTML

    html = _templates().get_template(template).render(**values)
    return bytes(HTML(string=html, base_url=str(FONTS)).write_pdf())


def receipt_pdf(desk: Desk, visit_id: int) -> bytes:
    """The receipt of a visit's payments; NotFound when nothing was paid."""
    with desk.engine.connect() as connection:
        sheet = sheet_of(connection, desk.clinic, desk.clock.now(), visit_id)
        p = schema.payment
        query = select(p).where(p.c.visit_id == visit_id, p.c.state == PaymentState.TAKEN).order_by(p.c.id)
        payments = connection.execute(query).all()
    if not payments:
        raise NotFound("Nothing was paid for this visit yet, so there is no receipt.")
    site = desk.clinic.sites[sheet.visit.site_id]
    return _pdf(
        "papers/receipt.html", sheet=sheet, payments=payments, site=site, about=desk.clinic.about, tender_words=tender_words,
        services=desk.clinic.services, printed=local(desk.clock.now(), site.timezone),
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
