"""The check-in tablet: one thing at a time, in large type. Every page forgets its person a minute after the
last touch, with or without script.
"""

from __future__ import annotations

import secrets
from dataclasses import dataclass

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.clock import local
from zax.core.arrivals.forms import RELATIONS
from zax.core.errors import Mendable, NotFound, Stale
from zax.core.reading import reference
from zax.core.tablet.shown import (
    DONE_SECONDS,
    FORGETS_AFTER,
    masked_email,
    masked_name,
    masked_phone,
    masked_street,
)
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.arrivals.forms import filled_blocks, record_words
from zax.desk.notices.facts import called
from zax.desk.tablet.arriving import (
    CARDS,
    COPAY,
    DETAILS,
    AtTablet,
    NobodyHere,
    at_tablet,
    change_details,
    details_right,
    find_oneself,
    finish,
    forget,
    leave_for_desk,
    pay_copay,
    photograph_card,
    sign_at_tablet,
)
from zax.desk.tablet.tablets import set_up, tablet_with
from zax.web.arrivals.documents import signed_paper
from zax.web.arrivals.forms import sign_of
from zax.web.online.frame import CardForm, Visitor, card_form, visitor
from zax.web.shell.request_context import PostedForm, open_form
from zax.web.tablet.words import words_in

router = APIRouter()
COOKIE = "zax_tablet"
YEAR = 365 * 24 * 3600


@dataclass(frozen=True, slots=True)
class Screen:
    """One request of a tablet."""

    at: Visitor
    secret: str

    def page(self, template: str, status: int = 200, **values: object) -> Response:
        desk = self.at.desk
        _ = self.at.device  # a session, so that photos may be sent
        tablet = in_transaction(desk, WORKER, lambda tx: tablet_with(tx, self.secret))
        site = desk.clinic.sites[tablet.site_id]
        return self.at.page(
            template,
            status,
            **(
                {
                    "words": words_in(self.at.language),
                    "site": site,
                    "wall": local(desk.clock.now(), site.timezone),
                    "here": None,
                    "stop": "",
                    "forgets": int(FORGETS_AFTER.total_seconds()),
                }
                | values
            ),
        )


def _screen(request: Request) -> Screen:
    return Screen(visitor(request), request.cookies.get(COOKIE, ""))


def _not_set_up(request: Request) -> Response:
    at = visitor(request)
    return at.page("tablet/not_set_up.html", 404, words=words_in(at.language))


@router.get("/tablet/set-up/{secret}")
def open_link(request: Request, secret: str) -> Response:
    """The manager's link, opened on the tablet: it is locked to its site from now on."""
    at = visitor(request)
    try:
        kept = set_up(at.desk, secret)
    except NotFound:
        return _not_set_up(request)
    answer = at.go("/tablet")
    answer.set_cookie(
        COOKIE,
        kept,
        max_age=YEAR,
        httponly=True,
        samesite="strict",
        secure=at.shared.settings.tls,
        path="/tablet",
    )
    return answer


@router.get("/tablet")
def find(request: Request) -> Response:
    """Nobody stands here: whoever stood here before is forgotten, with their language."""
    if "lang" not in request.query_params:
        request.session.pop("lang", None)
    screen = _screen(request)
    try:
        forget(screen.at.desk, screen.secret)
        return screen.page("tablet/find.html")
    except NotFound:
        return _not_set_up(request)


@router.post("/tablet")
def find_me(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    screen = _screen(request)
    try:
        find_oneself(screen.at.desk, screen.secret, form["birth"], form["letters"], form["scanned"])
    except NotFound:
        return _not_set_up(request)
    except Mendable as error:
        return screen.page("tablet/find.html", error.status, problems=error.problems, typed=form)
    return screen.at.go("/tablet/next")


@router.get("/tablet/next")
def next_stop(request: Request, change: str = "") -> Response:
    """The stop they are at; checked in when they are through."""
    screen = _screen(request)
    try:
        here = at_tablet(screen.at.desk, screen.secret)
    except (NobodyHere, NotFound):
        return screen.at.go("/tablet")
    if not here.next_stop:
        return _finish(screen, here)
    return _stop(screen, here, here.next_stop, change=bool(change))


def _stop(screen: Screen, here: AtTablet, stop: str, status: int = 200, **more: object) -> Response:
    desk, patient = screen.at.desk, here.patient
    shown: dict[str, object] = {"here": here, "stop": stop, "name": called(patient), "change": False}
    if stop == DETAILS:
        covers = here.arrival.known.coverages
        shown |= {
            "details": {
                "address": masked_street(patient.street),
                "mobile": masked_phone(patient.phone),
                "email": masked_email(patient.email),
                "in_emergency": masked_name(patient.emergency_name),
                "insurance": covers[0].plan_name if covers else "",
            }
        }
    elif stop.startswith("form-"):
        form = desk.clinic.forms[int(stop.removeprefix("form-"))]
        with desk.engine.connect() as connection:
            words = record_words(connection, desk.clinic, patient, desk.clock.now(), here.visit.site_id)
        shown |= {
            "form": form,
            "blocks": filled_blocks(form.blocks, words),
            "fills": words,
            "relations": RELATIONS,
        }
    elif stop == COPAY:
        shown |= {"pay_key": secrets.token_urlsafe(12)}
    template = "form" if stop.startswith("form-") else stop
    return screen.page(f"tablet/{template}.html", status, **(shown | more))


def _finish(screen: Screen, here: AtTablet) -> Response:
    arrived = finish(screen.at.desk, screen.secret)
    return screen.page(
        "tablet/done.html",
        here=here,
        left=arrived.left,
        provider=screen.at.desk.clinic.providers[arrived.visit.provider_id],
        forgets=DONE_SECONDS,
    )


@router.post("/tablet/next")
def go_on(request: Request, form: CardForm = Depends(card_form)) -> Response:
    """What was said about the stop: `do` is right, change, later, photos, sign, pay or card-N."""
    screen = _screen(request)
    stop, do = form.fields["stop"], form.fields["do"]
    try:
        here = at_tablet(screen.at.desk, screen.secret)
    except (NobodyHere, NotFound):
        return screen.at.go("/tablet")
    if stop != here.next_stop:
        return screen.at.go("/tablet/next")
    try:
        _do(screen, stop, do, form)
    except NotFound:
        return screen.at.go("/tablet")
    except Mendable as error:
        if isinstance(error, Stale):
            form.fields["strokes"] = ""
        shown = {"problems": error.problems, "typed": form.fields, "change": do == "change"}
        return _stop(screen, here, stop, error.status, **shown)
    return screen.at.go("/tablet/next")


def _do(screen: Screen, stop: str, do: str, form: CardForm) -> None:
    desk, shared, secret = screen.at.desk, screen.at.shared, screen.secret
    if do == "later":
        leave_for_desk(desk, secret, stop)
    elif stop == DETAILS and do == "change":
        change_details(desk, secret, form.fields)
    elif stop == DETAILS:
        details_right(desk, secret)
    elif stop == CARDS:
        photograph_card(desk, secret, shared.files, form.photos)
    elif stop == COPAY:
        card_id = reference(do.removeprefix("card-")) if do.startswith("card-") else 0
        pay_copay(desk, secret, shared.outside.terminal, form.fields["pay_key"], card_id)
    else:
        number = int(stop.removeprefix("form-"))
        sign_at_tablet(desk, secret, shared.files, signed_paper, number, sign_of(form.fields))


@router.post("/tablet/touch")
def touch(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    """Somebody is still there."""
    screen = _screen(request)
    try:
        at_tablet(screen.at.desk, screen.secret)
    except (NobodyHere, NotFound):
        return Response(status_code=410)
    return Response(status_code=204)
