"""A patient's own page: the next visit, what to do before, what they owe; their visits, confirmed and
changed.
"""

from __future__ import annotations

from urllib.parse import quote_plus

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.book.track import Stop
from zax.core.errors import Mendable, Refused
from zax.core.messages.language import day_in
from zax.core.reading import reference
from zax.core.wording import clock_words
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.money.payment_page import copay_of
from zax.desk.notices.facts import MAP, called
from zax.desk.notices.fill_in import registration_for
from zax.desk.online.registering import forms_for
from zax.desk.own.account import own_account
from zax.desk.own.visits import cancel_visit, confirm_visit, move_visit, visit_page, visits_of
from zax.store.money.payments import coming_visits
from zax.web.online.ask import Choice, calendar_of, chosen_time, moving_page
from zax.web.online.register import remember
from zax.web.own.frame import FOR, OwnPage, enter_own
from zax.web.shell.request_context import PostedForm, open_form

router = APIRouter()


@router.get("/my")
def home(request: Request) -> Response:
    page = enter_own(request)
    desk, clinic = page.at.desk, page.at.desk.clinic
    with desk.engine.connect() as connection:
        visits = visits_of(connection, page.person.id, page.today)
        coming = visits.coming[0] if visits.coming else None
        type_id = coming.type_id if coming else 0
        forms = forms_for(connection, clinic, page.person.id, type_id, page.today)
        account = own_account(connection, clinic, page.payer, page.today)
        ahead = coming_visits(connection, page.payer.household_id, page.today)
        mine = {each.id for each in page.own.people}
        copays = [
            (each, cents)
            for each in ahead
            if each.patient_id in mine and (cents := copay_of(connection, clinic, each)) > 0
        ]
    return page.page(
        "own/home.html",
        coming=coming,
        site=clinic.sites[coming.site_id] if coming else clinic.first_site,
        kind=clinic.types[coming.type_id] if coming else None,
        provider=clinic.providers[coming.provider_id] if coming else None,
        map_link=_map(page, coming.site_id) if coming else "",
        forms=forms,
        account=account,
        copays=copays[:2],
        name=called(page.person),
        day_words=lambda day: day_in(day, page.at.language),
        Stop=Stop,
    )


def _map(page: OwnPage, site_id: int) -> str:
    street, city, state, code = page.at.desk.clinic.sites[site_id].address
    return MAP + quote_plus(f"{street}, {city}, {state} {code[:5]}")


@router.post("/my/for")
def look_for(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    """For whom they look; NotFound for anybody they may not."""
    page = enter_own(request)
    request.session[FOR] = page.own.person(reference(form["person"])).id
    return page.go("/my")


@router.post("/my/fill-in")
def fill_in(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    """To the pages that they fill in; who is signed in has shown who they are."""
    page = enter_own(request)
    row = in_transaction(
        page.at.desk,
        WORKER,
        lambda tx: registration_for(tx, page.person.id, reference(form["visit"]) or None),
    )
    remember(page.at, row)
    return page.go(f"/register/{row.link}")


@router.get("/my/visits")
def all_visits(request: Request) -> Response:
    page = enter_own(request)
    with page.at.desk.engine.connect() as connection:
        visits = visits_of(connection, page.person.id, page.today)
    clinic = page.at.desk.clinic
    return page.page(
        "own/visits.html",
        visits=visits,
        types=clinic.types,
        providers=clinic.providers,
        day_words=lambda day: day_in(day, page.at.language),
        Stop=Stop,
    )


@router.get("/my/visits/{visit_id}")
def one_visit(request: Request, visit_id: int) -> Response:
    return _visit(enter_own(request), visit_id)


def _visit(page: OwnPage, visit_id: int, status: int = 200, **more: object) -> Response:
    found = visit_page(page.at.desk, page.own, visit_id)
    clinic, visit = page.at.desk.clinic, found.visit
    return page.page(
        "own/visit.html",
        status,
        visit=visit,
        may_change=found.may_change,
        when=f"{day_in(visit.day, page.at.language)}, {clock_words(visit.start_min)}",
        kind=clinic.types[visit.type_id],
        provider=clinic.providers[visit.provider_id],
        site=clinic.sites[visit.site_id],
        map_link=_map(page, visit.site_id),
        Stop=Stop,
        **more,
    )


@router.post("/my/visits/{visit_id}")
def change_visit(request: Request, visit_id: int, form: PostedForm = Depends(open_form)) -> Response:
    """Confirm or cancel it, as `do` says."""
    page = enter_own(request)
    try:
        if form["do"] == "confirm":
            confirm_visit(page.at.desk, page.own, visit_id)
        elif form["do"] == "cancel":
            cancel_visit(page.at.desk, page.own, visit_id)
    except Refused as error:
        return _visit(page, visit_id, error.status, problems=error.problems)
    return page.go(f"/my/visits/{visit_id}")


@router.get("/my/visits/{visit_id}/move")
def other_times(request: Request, visit_id: int, choice: Choice = Depends(Choice)) -> Response:
    return _times(enter_own(request), visit_id, choice)


def _times(page: OwnPage, visit_id: int, choice: Choice, status: int = 200, wrong: str = "") -> Response:
    found = visit_page(page.at.desk, page.own, visit_id)
    if not found.may_change:
        return _visit(page, visit_id, 422)
    back = f"/my/visits/{visit_id}"
    return moving_page(page.at, found.visit, choice, f"{back}/move", back, status=status, wrong=wrong)


@router.post("/my/visits/{visit_id}/move")
def take_other_time(request: Request, visit_id: int, form: PostedForm = Depends(open_form)) -> Response:
    page = enter_own(request)
    if not form["time"]:
        return _times(page, visit_id, Choice(), 422, "choose_time")
    site_id, day, start, provider_id = chosen_time(page.at, form)
    try:
        move_visit(page.at.desk, page.own, visit_id, site_id, day, start, provider_id)
    except Mendable:
        return _times(page, visit_id, Choice(str(site_id), first=day.isoformat()), 422, "taken")
    return page.go(f"/my/visits/{visit_id}")


@router.get("/my/visits/{visit_id}/visit.ics")
def calendar(request: Request, visit_id: int) -> Response:
    """The visit for a calendar program."""
    page = enter_own(request)
    visit = visit_page(page.at.desk, page.own, visit_id).visit
    return calendar_of(page.at, visit)
