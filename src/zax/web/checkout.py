"""Checkout: one page from what was done to leaving, top to bottom in the order of the talk, and one button that does it all."""

from __future__ import annotations

import uuid
from datetime import date, timedelta
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response
from sqlalchemy import Connection
from sqlalchemy.exc import OperationalError

from zax.core.arrivals.conditions import Place
from zax.core.book.calendar import step_months, step_weeks
from zax.core.book.hours import clock_words
from zax.core.book.need import Opening
from zax.core.book.track import Stop
from zax.core.errors import Mendable, NotFound, Refused, ZaxError
from zax.core.followup.recall import INTERVALS, next_due, parse_interval
from zax.desk.about import Asking
from zax.desk.book import BookOrder, book_visit
from zax.desk.checkout import Counter, counter_of, finish_checkout, walked_out, what_stays_open
from zax.desk.credits import use_credit
from zax.desk.headsups import heads_ups
from zax.desk.openings import Part, find_openings
from zax.desk.openings import Request as Wanted
from zax.desk.paydesk import patient_of_visit
from zax.desk.payments import Item, PayForm, take_payment
from zax.desk.posting import tender_words
from zax.desk.sheet import Sheet, sheet_of
from zax.web.here import Here, Typed, enter, pdf_answer, typed_form
from zax.web.papers import attendance_pdf, itemised_pdf, summary_pdf, visit_receipt_pdf
from zax.web.tenders import tender_choices, tender_forms

router = APIRouter()
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
def show_checkout(request: Request, visit_id: int, print: bool = False, next: int = 0, after: str = "") -> Response:
    """`next` and `after` ask for openings of that visit type from then on."""
    here = enter(request, "payments")
    return checkout_page(here, visit_id, printing=print, next_type=next, after=after)


def checkout_page(
    here: Here, visit_id: int, status: int = 200, printing: bool = False, next_type: int = 0, after: str = "", **more: Any
) -> Response:  # fmt: skip
    """`printing`: the visit is finished and its receipt is the next thing to press."""
    typed = more.get("typed")
    untick = _unticked(typed, "offered", "also")
    with here.read() as connection:
        sheet = sheet_of(connection, here.clinic, here.now, visit_id)
        counter = counter_of(
            connection, here.clinic, sheet, here.now, untick, _unticked(typed, "offered_line", "line")
        )
        ups = heads_ups(
            connection, here.clinic, Place.CHECKOUT, Asking(sheet.visit.patient_id), here.today, visit_id, counter.arrival.about
        )  # fmt: skip
        kind, since = _next_wish(here, sheet, counter, next_type, after)
        openings, none_why = (
            _openings(here, connection, sheet, kind, since)
            if kind and not sheet.next_visit and sheet.stop == Stop.CHECKOUT
            else ([], "")
        )
    key = (typed and typed["key"]) or uuid.uuid4().hex
    page = here.page(
        "checkout.html", status, sheet=sheet, counter=counter, payments=counter.payments, key_of_form=key, asked=counter.asked, printing=printing,
        tender_words=tender_words, choices=tender_choices(here.clinic, counter.cards, counter.last_tender), ups=ups, points=what_stays_open(here.clinic, sheet, counter), openings=openings, none_why=none_why, next_kind=kind, since=since, after=after, afters=AFTER,
        intervals=list(INTERVALS), due_on=next_due, screen="day", **more,
    )  # fmt: skip
    return here.looked(page, sheet.visit.patient_id, "checkout")


def _unticked(typed: Typed | None, offered: str, ticked: str) -> list[int]:
    """Earlier visits, or lines without one, that were offered on the form and not ticked."""
    if typed is None or offered not in typed:
        return []
    return sorted(set(typed.numbers(offered)) - set(typed.numbers(ticked)))


def _next_wish(here: Here, sheet: Sheet, counter: Counter, next_type: int, after: str) -> tuple[Any, date]:
    """The type of the next visit and the day from which on: as asked for, else the recall's. No type when there is nothing to offer."""
    kind = here.clinic.types.get(next_type) or counter.recall_type
    if after and after[:-1].isdecimal() and after[-1] in "wm":
        number = int(after[:-1])
        since = step_weeks(here.today, number) if after.endswith("w") else step_months(here.today, number)
    else:
        since = next_due(here.today, counter.recall_months) if counter.recall_months and not next_type else here.today
    return kind, since


def _openings(here: Here, connection: Connection, sheet: Sheet, kind: Any, since: date) -> tuple[list[Opening], str]:
    """The best times from that day on, and why there are none."""
    wanted = Wanted(
        (Part(kind.id),),
        (sheet.visit.site_id,),
        since,
        since + AHEAD,
        patient_id=sheet.visit.patient_id,
        limit=OFFERED,
    )
    try:
        found = find_openings(connection, here.clinic, here.now, wanted)
    except Refused as error:
        return [], error.message
    return found, "" if found else f"No time for “{kind.name}” in the {AHEAD.days} days from then."


@router.post("/visits/{visit_id}/checkout")
def take_or_finish(request: Request, visit_id: int, form: Typed = Depends(typed_form)) -> Response:
    """One form for all of it: the next visit is booked first, since only that can be refused without harm; then the money, then the end."""
    here = enter(request, "payments")
    try:
        months = parse_interval(form["recall"]) if "recall" in form else None
        said = _book_next(here, visit_id, form) if form["do"] in {"finish", "pay-finish"} else ""
        said += _pay(here, visit_id, form) if form["do"] in {"pay", "pay-finish"} else ""
        if form["do"] in {"finish", "pay-finish"}:
            return _finish(here, visit_id, form, said, months)
    except OperationalError:
        return here.unsure(form["key"], f"/visits/{visit_id}/checkout")
    except Mendable as error:
        return checkout_page(here, visit_id, error.status, problems=error.problems, typed=form)
    return here.go(f"/visits/{visit_id}/checkout", said)


def _book_next(here: Here, visit_id: int, form: Typed) -> str:
    """Book the opening that was chosen; pressed twice it is still one visit. Without a choice nothing is booked."""
    chosen = form["opening"].split("|")
    if len(chosen) != 5:
        return ""
    day, start, provider, room, kind = chosen
    with here.read() as connection:
        visit = sheet_of(connection, here.clinic, here.now, visit_id).visit
    order = BookOrder(
        visit.site_id, date.fromisoformat(day), clock_words(int(start)), int(provider), kind, "", visit.patient_id, f"next-{form['key']}", room_id=int(room),
    )  # fmt: skip
    try:
        book_visit(here.desk, here.actor, order)
    except ZaxError as error:
        raise Refused(
            f"The next visit could not be booked: {error.message} Choose another time.", "opening"
        ) from error
    return f"Next visit booked for {order.day:%a} {order.day.day} {order.day:%b}. "


def _pay(here: Here, visit_id: int, form: Typed) -> str:
    """Take the payment; a card that is declined or unclear is said beside the tender and stops the finishing."""
    with here.read() as connection:
        patient_id = patient_of_visit(connection, visit_id)
    items = [
        Item(visit_id),
        *(Item(number) for number in form.numbers("also")),
        *(Item(None, number) for number in form.numbers("line")),
    ]
    pay = PayForm(tender_forms(form), items, form["key"], form["over"], site_id=here.site_id)
    taken = take_payment(here.desk, here.actor, here.shared.outside.terminal, patient_id, pay)
    if not taken.whole:
        for name in ("key", "amount", "number", "tender", "over"):  # the next press is a new payment
            form.pop(name, None)
            form.all.pop(name, None)
        raise Refused(taken.words, "tender")
    return taken.words


def _finish(here: Here, visit_id: int, form: Typed, said: str, months: int | None) -> Response:
    version = form.number("version") if not said else None
    stop = finish_checkout(here.desk, here.actor, visit_id, form["receipt"] or "none", version, months)
    words = "settled" if stop == Stop.SETTLED else "left; what is still open shows on the account"
    if form["receipt"] == "print":
        return here.go(
            f"/visits/{visit_id}/checkout?print=1", f"{said} Finished: {words}. The receipt is ready to print."
        )
    return here.go("/day", f"{said} Finished: {words}.")


@router.post("/visits/{visit_id}/credit")
def take_credit(request: Request, visit_id: int, form: Typed = Depends(typed_form)) -> Response:
    """Use the credit of another visit here."""
    here = enter(request, "payments")
    try:
        use_credit(here.desk, here.actor, form.number("from") or 0, visit_id)
    except Mendable as error:
        return checkout_page(here, visit_id, error.status, problems={"": error.message})
    return here.go(f"/visits/{visit_id}/checkout", "The credit is used here.")


@router.post("/visits/{visit_id}/walked-out")
def gone(request: Request, visit_id: int, form: Typed = Depends(typed_form)) -> Response:
    """The patient has left before the checkout; it waits among the jobs."""
    here = enter(request, "arrivals")
    walked_out(here.desk, here.actor, visit_id, form.number("version"))
    return here.go(form.back, "The checkout waits among the next jobs.")


PAPERS = {
    "receipt": visit_receipt_pdf,
    "itemised": itemised_pdf,
    "summary": summary_pdf,
    "attendance": attendance_pdf,
}


@router.get("/visits/{visit_id}/{paper}.pdf")
def paper_of_visit(request: Request, visit_id: int, paper: str) -> Response:
    """A paper of the visit as PDF; the same numbers whenever it is asked for."""
    here = enter(request, "payments")
    if paper not in PAPERS:
        raise NotFound("There is no such paper.")
    return pdf_answer(PAPERS[paper](here.desk, visit_id), f"{paper}-{visit_id}")
