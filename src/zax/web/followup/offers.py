"""Offering an opening, on screen: whom it would suit, the waves as they go out, and what people answer."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from datetime import date, timedelta

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.clock import local
from zax.core.errors import Conflict, Mendable, NotFound, Refused, ZaxError
from zax.core.followup.offer import Place, Stand, ends_at
from zax.core.reading import parse_clock, reference
from zax.desk.book.day_columns import day_bars, provider_column
from zax.desk.followup import offer_answers, offers
from zax.desk.followup.candidates import candidates_for
from zax.desk.followup.offers import Opening, gap_of, rules_of
from zax.desk.messages.quiet_hours import quiet_hours
from zax.store.book import queries as visits
from zax.store.engine import Connection
from zax.store.followup import offers as stored
from zax.store.followup.offers import Offer
from zax.web.followup.offer_axis import WIDTH
from zax.web.followup.offer_view import OfferView, before, running
from zax.web.shell.address import day_in, number_in
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
LATELY = timedelta(days=14)
STAND_WORDS = {
    Stand.OPEN: "being offered",
    Stand.TAKEN: "taken",
    Stand.GONE: "booked otherwise",
    Stand.STOPPED: "stopped",
    Stand.OVER: "no one took it",
}


@router.get("/offers")
def show_offers(request: Request) -> Response:
    return _list(enter(request, "see"))


def _list(ctx: RequestContext, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        lines = stored.offer_lines(connection, ctx.site_id, ctx.today - LATELY)
    return ctx.page(
        "followup/offers.html",
        status,
        lines=lines,
        stands=STAND_WORDS,
        Stand=Stand,
        screen="followup",
        **more,
    )


@router.get("/offers/new")
def show_new(request: Request) -> Response:
    """The opening as the Book says it: provider, day, minute; or that of a canceled visit."""
    ctx = enter(request, "book")
    return _new(ctx, _opening(ctx, dict(request.query_params)))


def _opening(ctx: RequestContext, query: Mapping[str, str]) -> Opening:
    if query.get("visit"):
        with ctx.read() as connection:
            visit = visits.one_visit(connection, number_in(query, "visit"))
        if visit is None:
            raise NotFound("There is no such visit.")
        return Opening(
            site_id=visit.site_id,
            provider_id=visit.provider_id,
            day=visit.day,
            start=visit.start_min,
            minutes=visit.minutes,
            from_visit=visit.id,
        )
    return Opening(
        site_id=number_in(query, "site_id") or ctx.site_id,
        provider_id=number_in(query, "provider"),
        day=day_in(query.get("day", ""), ctx.today, "That isn’t a day. Pick an opening on the Book."),
        start=_minute(query.get("at", "")),
        minutes=number_in(query, "minutes"),
    )


def _minute(text: str) -> int:
    try:
        return parse_clock(text)
    except Refused:
        raise NotFound("That isn’t a time. Pick an opening on the Book.") from None


def _new(ctx: RequestContext, opening: Opening, status: int = 200, **more: object) -> Response:
    rules = rules_of(ctx.clinic)
    try:
        with ctx.read() as connection:
            known = stored.open_offer_at(connection, opening.provider_id, opening.day, opening.start)
            if known is not None and "problems" not in more:
                return ctx.go(f"/offers/{known.id}")
            gap = gap_of(connection, ctx.clinic, opening, ctx.now)
            found = candidates_for(connection, ctx.clinic, gap, ctx.now, rules)
            view = before(ctx.clinic, gap, found, ctx.now, rules)
            more = _around(ctx, connection, view) | more
    except Conflict as error:
        return _list(ctx, error.status, problems=error.problems)
    ends = ends_at(offers.begins_at(ctx.clinic, gap.site_id, gap.day, gap.start), ctx.now, rules)
    page = ctx.page(
        "followup/offer.html",
        status,
        shown=view,
        opening=opening,
        until=ends,
        **more,
    )
    return ctx.looked_at(page, [row.patient_id for row in view.rows], "offers")


def _around(ctx: RequestContext, connection: Connection, view: OfferView) -> dict[str, object]:
    """What every offer's page shows besides: the provider's day, and names."""
    gap = view.gap
    site = ctx.clinic.sites[gap.site_id]
    provider = ctx.clinic.providers[gap.provider_id]
    bars = day_bars(connection, ctx.clinic, ctx.now, gap.site_id, gap.day)
    wall = local(ctx.now, site.timezone)
    minute = wall.hour * 60 + wall.minute if wall.date() == gap.day else None
    return {
        "provider": provider,
        "at_site": site,
        "day_column": provider_column(provider, bars, (), ctx.clinic, site, gap.day, minute),
        "Place": Place,
        "Stand": Stand,
        "stands": STAND_WORDS,
        "line_width": WIDTH,
        "rules": rules_of(ctx.clinic),
        "begins_at": quiet_hours(ctx.clinic).over_at(wall),
        "quiet": quiet_hours(ctx.clinic).is_quiet(wall),
        "screen": "followup",
    }


@router.post("/offers")
def begin(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """Offer it to those who are still ticked."""
    ctx = enter(request, "book")
    opening = _opening(ctx, form)
    ticked, shown = ({reference(each) for each in form.all.get(name, [])} for name in ("with", "shown"))
    try:
        chosen = replace(opening, without=frozenset(shown - ticked))
        offer_id = offers.make_offer(ctx.desk, ctx.actor, chosen)
    except Mendable as error:
        return _new(ctx, opening, error.status, problems=error.problems, typed=form)
    return ctx.go(f"/offers/{offer_id}")


@router.get("/offers/{offer_id}")
def show_offer(request: Request, offer_id: int) -> Response:
    return _page(enter(request, "see"), offer_id)


def _page(ctx: RequestContext, offer_id: int, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        offer = stored.one_offer(connection, offer_id)
        if offer is None:
            raise NotFound("There is no such offer.")
        people = stored.people_of(connection, offer_id)
        view = running(ctx.clinic, offer, people, ctx.now)
        more = _around(ctx, connection, view) | more
        left_by = visits.one_visit(connection, offer.from_visit_id) if offer.from_visit_id else None
    page = ctx.page(
        "followup/offer.html",
        status,
        shown=view,
        opening=None,
        until=offer.until_at,
        left_by=left_by,
        freed=_freed(offer),
        **more,
    )
    return ctx.looked_at(page, [row.patient_id for row in view.rows], "offers")


def _freed(offer: Offer) -> Opening | None:
    """Where the visit stood that the taker left for this time."""
    left = offer.freed
    if not left:
        return None
    return Opening(
        site_id=left["site"],
        provider_id=left["provider"],
        day=date.fromisoformat(left["day"]),
        start=left["start"],
        minutes=left["minutes"],
    )


@router.post("/offers/{offer_id}/next")
def text_next(request: Request, offer_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    return _act(request, offer_id, lambda ctx: offers.text_next(ctx.desk, ctx.actor, offer_id), "")


@router.post("/offers/{offer_id}/stop")
def stop(request: Request, offer_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    return _act(
        request,
        offer_id,
        lambda ctx: offers.stop_offering(ctx.desk, ctx.actor, offer_id),
        "Not offered anymore. Whoever was texted is told.",
    )


@router.post("/offers/{offer_id}/people/{person_id}/{what}")
def answer(
    request: Request, offer_id: int, person_id: int, what: str, form: PostedForm = Depends(posted_form)
) -> Response:
    """What somebody said to a person, or what a person does with somebody."""
    acts: dict[str, tuple[Callable[[RequestContext], object], str]] = {
        "yes": (lambda ctx: offer_answers.said_yes(ctx.desk, ctx.actor, person_id), "Booked."),
        "no": (lambda ctx: offer_answers.said_no(ctx.desk, ctx.actor, person_id), "Noted."),
        "none": (lambda ctx: offer_answers.no_answer(ctx.desk, ctx.actor, person_id), "Noted: no answer."),
        "join": (lambda ctx: offers.let_join(ctx.desk, ctx.actor, person_id), "Next in line."),
        "skip": (lambda ctx: offers.pass_over(ctx.desk, ctx.actor, person_id), "Skipped."),
        "write": (
            lambda ctx: offer_answers.write_back(ctx.desk, ctx.actor, person_id, form["words"]),
            "Sent.",
        ),
    }
    if what not in acts:
        raise NotFound("There is no such thing to do with an offer.")
    act, said = acts[what]
    return _act(request, offer_id, act, said, typed=form, about=person_id)


def _act(
    request: Request, offer_id: int, act: Callable[[RequestContext], object], said: str, **more: object
) -> Response:
    ctx = enter(request, "book")
    try:
        act(ctx)
    except ZaxError as error:
        if not isinstance(error, Mendable):
            raise
        return _page(ctx, offer_id, error.status, problems=error.problems, **more)
    return ctx.go(f"/offers/{offer_id}", said)
