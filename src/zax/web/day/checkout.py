"""Checkout: one page from what was done to leaving, top to bottom in the order of the talk, and one button
that does it all.
"""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import date, timedelta

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response
from pydantic import Field

from zax.core.arrivals.conditions import Place
from zax.core.book.day_phrases import parse_jump
from zax.core.book.search_request import Opening
from zax.core.book.track import Stop
from zax.core.clinic.visit_types import VisitType
from zax.core.errors import Mendable, NotFound, Refused, ZaxError
from zax.core.followup.recall import USUAL, Interval, next_due, read_interval
from zax.core.form import Form, Key, OfVersion, Reference, References
from zax.core.reading import reference
from zax.core.wording import weekday_day
from zax.desk.arrivals.facts import Asking
from zax.desk.arrivals.heads_ups import heads_ups
from zax.desk.book.booking import BookOrder, book_visit
from zax.desk.book.openings import Part, find_openings
from zax.desk.book.openings import Request as Wanted
from zax.desk.day.checkout import CheckoutView, checkout_view, finish_checkout, walked_out, what_stays_open
from zax.desk.day.visit_sheet import Sheet, sheet_of, visit_of
from zax.desk.money.credits import use_credit
from zax.desk.money.payment_page import patient_of_visit
from zax.desk.money.payments import Item, PayForm, take_payment
from zax.desk.money.posting import tender_words
from zax.store.engine import TROUBLE, Connection
from zax.web.book.chosen_opening import opening_value, read_opening
from zax.web.day.documents import attendance_pdf, itemized_pdf, summary_pdf, visit_receipt_pdf
from zax.web.money.tenders import tender_choices, tender_forms
from zax.web.shell.request_context import PostedForm, RequestContext, enter, form_in, pdf_answer, posted_form

router = APIRouter()


class CheckoutForm(OfVersion):
    """What is to be done, in one press: pay, finish or both, with the next visit."""

    do: str = ""
    key: Key = ""
    over: str = ""
    receipt: str = ""
    opening: str = ""
    also: References = ()
    line: References = ()

    @property
    def pays(self) -> bool:
        return self.do in {"pay", "pay-finish"}

    @property
    def finishes(self) -> bool:
        return self.do in {"finish", "pay-finish"}


class CreditOf(Form):
    """The journal entry whose credit is used."""

    entry_id: Reference = Field(default=0, validation_alias="from")


OFFERED = 3
AHEAD = timedelta(days=75)
AFTER = {
    "": "",
    "1w": "in a week",
    "2w": "in 2 weeks",
    "1m": "in a month",
    "3m": "in 3 months",
    "6m": "in 6 months",
    "12m": "in a year",
}


@router.get("/visits/{visit_id}/checkout")
def show_checkout(
    request: Request, visit_id: int, print: bool = False, next: int = 0, after: str = ""
) -> Response:
    """`next` and `after` ask for openings of that visit type from then on."""
    ctx = enter(request, "payments")
    return checkout_page(ctx, visit_id, printing=print, next_type=next, after=after)


def checkout_page(
    ctx: RequestContext,
    visit_id: int,
    status: int = 200,
    printing: bool = False,
    next_type: int = 0,
    after: str = "",
    **more: object,
) -> Response:
    """`printing`: the visit is finished and its receipt is the next thing to press."""
    typed = form_in(more)
    untick = _unticked(typed, "offered", "also")
    with ctx.read() as connection:
        sheet = sheet_of(connection, ctx.clinic, ctx.now, visit_id)
        view = checkout_view(
            connection, ctx.clinic, sheet, ctx.now, untick, _unticked(typed, "offered_line", "line")
        )
        ups = heads_ups(
            connection,
            ctx.clinic,
            Place.CHECKOUT,
            Asking(sheet.visit.patient_id),
            ctx.today,
            view.arrival.known,
        )
        kind, since = _next_wish(ctx, sheet, view, next_type, after)
        openings, none_why = (
            _openings(ctx, connection, sheet, kind, since)
            if kind and not view.need_booked and sheet.stop == Stop.CHECKOUT
            else ([], "")
        )
    key = (typed and typed["key"]) or uuid.uuid4().hex
    page = ctx.page(
        "day/checkout.html",
        status,
        sheet=sheet,
        checkout=view,
        payments=view.payments,
        key_of_form=key,
        asked=view.asked,
        printing=printing,
        tender_words=tender_words,
        choices=tender_choices(ctx.clinic, view.cards, view.last_tender),
        ups=ups,
        points=what_stays_open(ctx.clinic, sheet, view),
        openings=openings,
        opening_value=opening_value,
        none_why=none_why,
        next_kind=kind,
        since=since,
        after=after,
        afters=AFTER,
        intervals=USUAL,
        due_on=next_due,
        screen="day",
        **more,
    )
    return ctx.looked(page, sheet.visit.patient_id, "checkout")


def _unticked(typed: PostedForm | None, offered: str, ticked: str) -> list[int]:
    """Earlier visits, or lines without one, that were offered on the form and not ticked."""
    if typed is None or offered not in typed:
        return []
    return sorted(typed.ticked(offered) - typed.ticked(ticked))


def _next_wish(
    ctx: RequestContext, sheet: Sheet, view: CheckoutView, next_type: int, after: str
) -> tuple[VisitType | None, date]:
    """The type of the next visit and the day from which on: as asked for, else the recall's. No type when
    there is nothing to offer.
    """
    coming = next(iter(view.recalls), None)
    kind = ctx.clinic.types.get(next_type or (coming.kind.type_id if coming else 0))
    since = parse_jump(after, ctx.today, ctx.today) if after else None
    if since is None:
        since = coming.due if coming and not next_type else ctx.today
    return kind, since


def _openings(
    ctx: RequestContext, connection: Connection, sheet: Sheet, kind: VisitType, since: date
) -> tuple[list[Opening], str]:
    """The best times from that day on, and why there are none."""
    wanted = Wanted(
        parts=(Part(kind.id),),
        sites=(sheet.visit.site_id,),
        first=since,
        last=since + AHEAD,
        patient_id=sheet.visit.patient_id,
        limit=OFFERED,
    )
    try:
        found = find_openings(connection, ctx.clinic, ctx.now, wanted)
    except Refused as error:
        return [], error.message
    return found, "" if found else f"No time for “{kind.name}” in the {AHEAD.days} days from then."


@router.post("/visits/{visit_id}/checkout")
def take_or_finish(request: Request, visit_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """One form for all of it: the next visit is booked first, since only that can be refused without harm;
    then the money, then the end.
    """
    ctx = enter(request, "payments")
    try:
        sent = form.read(CheckoutForm)
        recalls = _recalls(form)
        said = _book_next(ctx, visit_id, sent) if sent.finishes else ""
        said += _pay(ctx, visit_id, form, sent) if sent.pays else ""
        if sent.finishes:
            return _finish(ctx, visit_id, sent, recalls, said)
    except TROUBLE:
        return ctx.unsure(form["key"], f"/visits/{visit_id}/checkout")
    except Mendable as error:
        return checkout_page(ctx, visit_id, error.status, problems=error.problems, typed=form)
    return ctx.go(f"/visits/{visit_id}/checkout", said)


def _recalls(form: PostedForm) -> dict[int, Interval | None]:
    """What was chosen by recall type, None for no more of it. Refused beside its field."""
    chosen: dict[int, Interval | None] = {}
    for name in form:
        if number := reference(name.removeprefix("recall-")):
            chosen[number] = read_interval(form[name], name) if form[name] not in {"", "0"} else None
    return chosen


def _book_next(ctx: RequestContext, visit_id: int, form: CheckoutForm) -> str:
    """Book the opening that was chosen; pressed twice it is still one visit. Without a choice nothing is
    booked.
    """
    if not form.opening:
        return ""
    time = read_opening(form.opening)
    with ctx.read() as connection:
        visit = visit_of(connection, visit_id)
    order = BookOrder(
        site_id=visit.site_id,
        day=time.day,
        at=time.start,
        provider_id=time.provider_id,
        type_id=time.type_id,
        minutes=None,
        patient_id=visit.patient_id,
        key=f"next-{form.key}",
        room_id=time.room_id,
    )
    try:
        book_visit(ctx.desk, ctx.actor, order)
    except ZaxError as error:
        raise Refused(
            f"The next visit couldn’t be booked: {error.message} Choose another time.", "opening"
        ) from error
    return f"Next visit booked for {weekday_day(order.day)}. "


def _pay(ctx: RequestContext, visit_id: int, form: PostedForm, sent: CheckoutForm) -> str:
    """Take the payment; a card that is declined or unclear is said beside the tender and stops
    the finishing.
    """
    with ctx.read() as connection:
        patient_id = patient_of_visit(connection, visit_id)
    items = [
        Item(visit_id),
        *(Item(number) for number in sent.also),
        *(Item(None, number) for number in sent.line),
    ]
    pay = PayForm(tenders=tender_forms(form), items=items, key=sent.key, over=sent.over, site_id=ctx.site_id)
    taken = take_payment(ctx.desk, ctx.actor, ctx.shared.outside.terminal, patient_id, pay)
    if not taken.whole:
        for name in ("key", "amount", "number", "tender", "over"):  # the next press is a new payment
            form.pop(name, None)
            form.all.pop(name, None)
        raise Refused(taken.words, "tender")
    return taken.words


def _finish(
    ctx: RequestContext,
    visit_id: int,
    form: CheckoutForm,
    recalls: Mapping[int, Interval | None],
    said: str,
) -> Response:
    version = form.version if not said else None
    stop = finish_checkout(ctx.desk, ctx.actor, visit_id, form.receipt or "none", version, recalls)
    words = "settled" if stop == Stop.SETTLED else "left; any balance is on the account"
    if form.receipt == "print":
        return ctx.go(
            f"/visits/{visit_id}/checkout?print=1",
            f"{said} Finished: {words}. The receipt is ready to print.",
        )
    return ctx.go("/day", f"{said} Finished: {words}.")


@router.post("/visits/{visit_id}/credit")
def take_credit(request: Request, visit_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Use the credit of another visit here."""
    ctx = enter(request, "payments")
    try:
        use_credit(ctx.desk, ctx.actor, form.read(CreditOf).entry_id, visit_id)
    except Mendable as error:
        return checkout_page(ctx, visit_id, error.status, problems={"": error.message})
    return ctx.go(f"/visits/{visit_id}/checkout", "Credit applied.")


@router.post("/visits/{visit_id}/walked-out")
def gone(request: Request, visit_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """The patient has left before the checkout; it waits among the jobs."""
    ctx = enter(request, "arrivals")
    walked_out(ctx.desk, ctx.actor, visit_id, form.read(OfVersion).version)
    return ctx.go(form.back, "The checkout is on the to-do list.")


PAPERS = {
    "receipt": visit_receipt_pdf,
    "itemized": itemized_pdf,
    "summary": summary_pdf,
    "attendance": attendance_pdf,
}


@router.get("/visits/{visit_id}/{paper}.pdf")
def paper_of_visit(request: Request, visit_id: int, paper: str) -> Response:
    """A paper of the visit as PDF; the same numbers whenever it is asked for."""
    ctx = enter(request, "payments")
    if paper not in PAPERS:
        raise NotFound("There is no such paper.")
    return pdf_answer(PAPERS[paper](ctx.desk, visit_id), f"{paper}-{visit_id}")
