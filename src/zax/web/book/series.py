"""Several visits in one go: a series, or the members of a household. The plan is shown first, each visit with
its conflict and other times.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response
from pydantic import Field

from zax.core.book.hours import Span
from zax.core.clinic.visit_types import VisitType
from zax.core.errors import Mendable, Refused, ZaxError
from zax.core.form import Form, Reference, References, a_number, a_number_or
from zax.desk.book.booking import BookOrder, book_many
from zax.desk.book.placing import Spot, nearest_anywhere
from zax.desk.book.series import Member, Planned, plan_household, plan_series
from zax.store.book import queries as visits
from zax.store.engine import Connection
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
MOST_ROWS = 40


class Series(Form):
    """How often, and how far apart."""

    times: Annotated[int, a_number(2, 26)]
    every: Annotated[int, a_number_or(1, 1, 26)]
    unit: str = "weeks"


class Household(Form):
    """Who of the household comes as well, and whether side by side or one after the other."""

    member: References = ()
    how: str = ""

    @property
    def together(self) -> bool:
        return self.how == "together"


class MemberWish(Form):
    """What one of them comes for, and with whom; without a lead somebody who is free is chosen."""

    type: Reference = 0
    lead: Reference = Field(default=0, validation_alias="with")


class PlanRows(Form):
    rows: Annotated[int, a_number_or(0, 0, MOST_ROWS)] = 0


def wants_plan(form: PostedForm) -> bool:
    """Whether the booking form asks for more than one visit."""
    return form["times"].strip() not in {"", "1"} or bool(form.all.get("member"))


def plan_page(
    ctx: RequestContext, form: PostedForm, order: BookOrder, status: int = 200, **more: object
) -> Response:
    """The plan of what the form asks for; raises what is wrong with it."""
    if order.patient_id is None:
        raise Refused(
            "Find the patient first: a series or a household is booked for patients on file.", "patient"
        )
    now = ctx.local_now
    moment = (ctx.today.isoformat(), now.hour * 60 + now.minute)
    with ctx.read() as connection:
        person = visits.person(connection, order.patient_id)
        if person is None:
            raise Refused("This patient can’t be booked. Find the patient again.", "patient")
        name = f"{person.first} {person.last}"
        if form.all.get("member"):
            rows = plan_household(
                connection,
                ctx.clinic,
                moment,
                order,
                _members(ctx, connection, form, order, name),
                form.read(Household).together,
            )
            title = f"{name} and household"
        else:
            asked = form.read(Series)
            rows = plan_series(
                connection, ctx.clinic, moment, order, name, asked.every, asked.unit, asked.times
            )
            title = f"{name}, {asked.times} visits"
    return ctx.page(
        "book/series.html", status, rows=rows, order=order, title=title, form=form, screen="book", **more
    )


def _members(
    ctx: RequestContext, connection: Connection, form: PostedForm, order: BookOrder, name: str
) -> list[Member]:
    """The patient first, then those ticked; somebody who does it and is free is chosen where nobody was
    named.
    """
    assert order.patient_id is not None
    asked = form.read(Household)
    members = [Member(order.patient_id, name, order.type_id, order.provider_id)]
    busy = {order.provider_id} if asked.together else set()
    for number in asked.member:
        wish = form.read(MemberWish, "member_", f"-{number}")
        person, kind = visits.person(connection, number), ctx.clinic.types.get(wish.type)
        if person is None or kind is None:
            raise Refused("Choose what each of them is coming in for.", "members")
        lead = wish.lead or _free_lead(ctx, connection, order, kind, busy)
        if ctx.clinic.providers[lead].role != kind.role:
            raise Refused(
                f"{ctx.clinic.providers[lead].name} does not do “{kind.name}”. Choose someone else for"
                f" {person.first}.",
                "members",
            )
        busy |= {lead} if asked.together else set()
        members.append(Member(number, f"{person.first} {person.last}", kind.id, lead))
    return members


def _free_lead(
    ctx: RequestContext, connection: Connection, order: BookOrder, kind: VisitType, busy: set[int]
) -> int:
    """Whoever of the type's people is nearest to free then; the one named first where that is the same."""
    leads = [
        p for p in ctx.clinic.hours.leads(kind, order.site_id) if p.id not in busy
    ] or ctx.clinic.hours.leads(kind, order.site_id)
    if not leads:
        raise Refused(f"No one here does “{kind.name}”.", "members")
    own = next((p for p in leads if p.id == order.provider_id), leads[0])
    spot = Spot(
        site_id=order.site_id,
        day=order.day,
        span=Span(order.at, order.at + kind.minutes),
        provider=own,
        kind=kind,
    )
    found = nearest_anywhere(connection, ctx.clinic, spot, 0)
    return found[0].id if found and found[0].id not in busy else own.id


@router.post("/book/plan")
def book_plan(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """Book every row of the plan that is kept, in one act: all of them or none, and which one is
    in the way.
    """
    ctx = enter(request, "book")
    orders: list[BookOrder] = []
    try:
        rows = range(form.read(PlanRows).rows)
        orders = [order for number in rows if (order := _row(form, number)) is not None]
        if not orders:
            return ctx.go(form.back, "Nothing was booked: every row was skipped.")
        made = book_many(ctx.desk, ctx.actor, orders)
    except Mendable as error:
        return _again(ctx, form, orders, error) if orders else ctx.go(form.back, error.message)
    return ctx.go(f"/book?day={orders[0].day}&visit={made[0]}", f"{len(made)} visits booked.")


def _row(form: PostedForm, number: int) -> BookOrder | None:
    """One row as chosen: its place is 'day time provider', or empty when it is left out."""
    where = form[f"place-{number}"].split()
    if len(where) != 3:
        return None
    given = {name: form[f"{name}-{number}"] for name in ("type_id", "minutes", "patient_id", "key")}
    day, at, provider = where
    given |= {"day": day, "at": at, "provider_id": provider, "site_id": form["site_id"], "note": form["note"]}
    sent = PostedForm(given)
    sent.all = {name: form.all.get(f"{name}-{number}", []) for name in ("planned", "also")}
    return sent.read(BookOrder)


def _again(ctx: RequestContext, form: PostedForm, orders: list[BookOrder], error: ZaxError) -> Response:
    """Somebody took a time meanwhile: the plan once more, as it stands now."""
    now = ctx.local_now
    rows: list[Planned] = []
    with ctx.read() as connection:
        for order in orders:
            person = visits.person(connection, order.patient_id or 0)
            name = f"{person.first} {person.last}" if person else "patient"
            moment = (ctx.today.isoformat(), now.hour * 60 + now.minute)
            first = plan_series(connection, ctx.clinic, moment, order, name, 1, "weeks", 1)[0]
            rows.append(replace(first, order=order))
    return ctx.page(
        "book/series.html",
        error.status,
        rows=rows,
        order=orders[0],
        title="The plan as it stands now",
        form=form,
        screen="book",
        problems=error.problems,
    )
