"""The web application: sessions, security headers, error pages and the routes of every area."""

from __future__ import annotations

from urllib.parse import urlsplit

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import HTTPException, RequestValidationError
from fastapi.responses import HTMLResponse, JSONResponse, PlainTextResponse, RedirectResponse, Response
from jinja2 import Environment
from starlette.datastructures import MutableHeaders
from starlette.exceptions import HTTPException as StarletteHTTPException
from starlette.middleware.gzip import GZipMiddleware
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.staticfiles import StaticFiles
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from zax.clock import system_now
from zax.core.errors import DoneBefore, NotFound, ZaxError
from zax.desk.acts.transaction import Desk
from zax.desk.setup.keys import session_ring
from zax.desk.worker.backing_up import backup_hours
from zax.logs import Seldom
from zax.outside.doors import Outside
from zax.settings import Settings
from zax.store.engine import TROUBLE, UNREACHABLE, out_of_room, reader, snapshots
from zax.store.files import FileStore
from zax.store.vault import Vault
from zax.store.worker.beats import last_beat
from zax.web.arrivals import check_in, forms
from zax.web.book import bars, days, series, waitlist
from zax.web.charges import charges, new_service, tooth_history, treatment_options
from zax.web.claims import batches, bill_ready, by_hand, claim_page, claim_papers, claims, stock
from zax.web.claims import payers as claims_payers
from zax.web.claims import worklist as claims_worklist
from zax.web.coverage import approvals, eligibility, payer_list, plans
from zax.web.day import (
    book,
    book_acts,
    booking_form,
    checkout,
    clinician_day,
    corridor,
    live_day,
    steps,
    walk_in,
)
from zax.web.followup import (
    calls,
    calls_setup,
    hand_overs,
    many,
    offers,
    offers_setup,
    ready_notes,
    recalls,
    recalls_setup,
    returns,
    unbooked,
)
from zax.web.followup import setup as returns_setup
from zax.web.inbox import callbacks, inbox, link, patient_messages, replies_setup
from zax.web.money import account, day_close, payment_page, payment_plans, receipts, statements
from zax.web.moving import archives, imports
from zax.web.notices import providers as provider_mail
from zax.web.notices import setup as messages_setup
from zax.web.notices import words as words_setup
from zax.web.online import ask as ask_online
from zax.web.online import compare as compare_online
from zax.web.online import doctors as doctors_elsewhere
from zax.web.online import invite as invite_online
from zax.web.online import register as register_online
from zax.web.online import setup as online_setup
from zax.web.own import account as own_account
from zax.web.own import deposit as own_deposit
from zax.web.own import desk as own_desk
from zax.web.own import home as own_home
from zax.web.own import records as own_records
from zax.web.own import settings as own_settings
from zax.web.own import sign_in as own_sign_in
from zax.web.own import talk as own_talk
from zax.web.own.frame import OwnSignInNeeded
from zax.web.papers import link as paper_link
from zax.web.papers import send as send_paper
from zax.web.patients import duplicates, files, finding, new_patient
from zax.web.people import join, me, passkeys, sign_in, switch
from zax.web.record import exporting, record
from zax.web.remits import below_contract, denials, payer_accounts, pictures, posting, sums
from zax.web.remits import rules as adjustment_setup
from zax.web.setup import arrival as arrival_setup
from zax.web.setup import backups as backup_setup
from zax.web.setup import changes as setup_changes
from zax.web.setup import clinic as clinic_setup
from zax.web.setup import closures as closure_setup
from zax.web.setup import doors as doors_setup
from zax.web.setup import first_days, looking_back, opening
from zax.web.setup import flags as flag_setup
from zax.web.setup import heads_ups as heads_up_setup
from zax.web.setup import home as setup_home
from zax.web.setup import hours as hours_setup
from zax.web.setup import money as money_setup
from zax.web.setup import own_fields as own_field_setup
from zax.web.setup import people as people_setup
from zax.web.setup import providers as provider_setup
from zax.web.setup import sealed as sealed_setup
from zax.web.setup import services as service_setup
from zax.web.setup import signed_in as signed_in_setup
from zax.web.setup import sites as site_setup
from zax.web.setup import visit_types as type_setup
from zax.web.shell import live, signs, well_known
from zax.web.shell.body_limit import BodyLimit
from zax.web.shell.desk_first import DeskFirst
from zax.web.shell.not_open import NotOpen
from zax.web.shell.rendering import areas_with, template_environment
from zax.web.shell.request_context import (
    ForgedForm,
    Locked,
    RequestContext,
    SecondNeeded,
    Shared,
    SignInNeeded,
    csrf_of,
    enter,
    form_cookie,
    url_of,
)
from zax.web.shell.request_log import UNKNOWN, RequestLog
from zax.web.shell.sessions import Sessions
from zax.web.tablet import setup as tablet_setup
from zax.web.tablet import tablet
from zax.web.worker import set_aside

log = structlog.get_logger()
DOWN = Seldom("database.down")
# A request tries them in turn, so those that are asked all day come first.
ROOMS = (
    *(finding, live_day, book, booking_form, live),
    *(steps, book_acts, checkout, clinician_day, corridor, walk_in),
    *(check_in, forms),
    *(charges, new_service, tooth_history, treatment_options),
    *(new_patient, record, files, duplicates, exporting, imports, archives),
    *(account, payment_page, receipts, payment_plans, statements, day_close),
    *(series, waitlist, days),
    *(posting, sums, denials, below_contract, pictures, payer_accounts),
    *(calls, calls_setup, hand_overs, recalls, recalls_setup, returns, returns_setup, unbooked),
    *(callbacks, inbox, patient_messages, link, messages_setup, words_setup, provider_mail, replies_setup),
    *(send_paper, paper_link),
    *(ask_online, register_online, compare_online, invite_online, doctors_elsewhere, online_setup),
    *(tablet, tablet_setup),
    *(own_sign_in, own_home, own_account, own_talk, own_settings, own_records, own_desk, own_deposit),
    *(many, offers, offers_setup, ready_notes),
    *(claims_worklist, batches, claims_payers, by_hand, bill_ready, claim_papers, stock, claims, claim_page),
    *(approvals, payer_list, plans, eligibility),
    *(
        setup_home,
        first_days,
        setup_changes,
        clinic_setup,
        provider_setup,
        service_setup,
        hours_setup,
        closure_setup,
        type_setup,
        site_setup,
    ),
    adjustment_setup,
    *(money_setup, flag_setup, own_field_setup, arrival_setup, heads_up_setup),
    *(people_setup, signed_in_setup, sealed_setup, looking_back, doors_setup, backup_setup),
    *(sign_in, passkeys, switch, me, join),
    opening,
    well_known,
    set_aside,
)
HEADERS = {
    "Content-Security-Policy": (
        "default-src 'self'; script-src 'self'; style-src 'self'; img-src 'self' data: blob:; media-src"
        " 'self' blob:; font-src 'self'; connect-src 'self'; object-src 'none'; base-uri 'none'; form-action"
        " 'self'; frame-ancestors 'none'"
    ),
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Permissions-Policy": "geolocation=(), microphone=(), payment=(), camera=(self)",
}


class SecurityHeaders:
    """Adds the headers to every answer, keeps pages out of caches, and sets the form cookie where one was
    made.
    """

    def __init__(self, app: ASGIApp, settings: Settings) -> None:
        self.app, self.settings = app, settings

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return

        async def send_with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers.setdefault(name, value)
                if self.settings.tls:
                    headers.setdefault("Strict-Transport-Security", "max-age=31536000")
                if not scope["path"].startswith("/static/"):
                    headers.setdefault("Cache-Control", "no-store")
                browser = scope.get("state", {}).get("new_browser")
                if browser:
                    secure = "; Secure" if self.settings.tls else ""
                    kept = f"{form_cookie(self.settings)}={browser}; Path=/; HttpOnly; SameSite=Strict"
                    headers.append("Set-Cookie", f"{kept}; Max-Age=2592000{secure}")
            await send(message)

        await self.app(scope, receive, send_with_headers)


def create_app(desk: Desk, outside: Outside, settings: Settings) -> FastAPI:
    app = FastAPI(docs_url=None, redoc_url=None, openapi_url=None, lifespan=live.lifespan)
    keys = session_ring(settings.var)
    app.state.shared = Shared(
        desk=desk,
        reading=reader(desk.engine),
        pages=snapshots(desk.engine),
        settings=settings,
        templates=_environment(),
        outside=outside,
        files=FileStore(settings.var),
        vault=Vault(settings.var),
        keys=keys,
    )
    app.add_middleware(
        Sessions,
        keys=keys,
        session_cookie="__Host-zax_session" if settings.tls else "zax_session",
        max_age=settings.idle_minutes * 60,
        same_site="lax",
        https_only=settings.tls,
    )
    app.add_middleware(GZipMiddleware, minimum_size=2000, compresslevel=1)
    app.add_middleware(BodyLimit)
    app.add_middleware(DeskFirst)
    app.add_middleware(NotOpen, desk=desk)
    app.add_middleware(SecurityHeaders, settings=settings)
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=list(settings.hosts), www_redirect=False)
    app.add_middleware(RequestLog)
    for room in ROOMS:
        app.include_router(room.router)
    app.add_api_route("/healthz", healthz, methods=["GET"])
    app.add_api_route("/static/shell/minutes.css", _minutes, methods=["GET"])
    for area in areas_with("static"):
        app.mount(f"/static/{area.name}", StaticFiles(directory=area / "static"))
    _error_pages(app)
    return app


def _environment() -> Environment:
    """What the templates of the areas need beyond the shell's own."""
    made = template_environment()
    made.globals |= {
        "bar_html": bars.bar_html,
        "gap_html": bars.gap_html,
        "offers_html": bars.offers_html,
        "strap_html": bars.strap_html,
    }
    return made


def _minutes() -> Response:
    return Response(signs.minutes_css(), media_type="text/css", headers={"Cache-Control": "max-age=3600"})


def healthz(request: Request) -> JSONResponse:
    """Whether the database answers, when the worker was last alive and how old the last backup is; 503 unless
    the first two are well.
    """
    shared: Shared = request.app.state.shared
    try:
        with shared.reading.connect() as connection:
            beat = last_beat(connection)
            hours = backup_hours(connection)
        database = "up"
    except TROUBLE:
        beat, database, hours = None, "down", None
    age = (system_now() - beat.at).total_seconds() if beat else None
    worker = "up" if age is not None and age < 20 else "never started" if age is None else "silent"
    well = database == "up" and worker == "up"
    return JSONResponse(
        {
            "database": database,
            "worker": worker,
            "worker_seconds_ago": age and round(age, 1),
            "backup_hours_ago": hours and round(hours, 1),
        },
        200 if well else 503,
    )


def _error_pages(app: FastAPI) -> None:
    app.add_exception_handler(SignInNeeded, sign_in.ask_to_sign_in)  # type: ignore[arg-type]
    app.add_exception_handler(Locked, sign_in.ask_to_unlock)  # type: ignore[arg-type]
    app.add_exception_handler(SecondNeeded, sign_in.ask_for_second)  # type: ignore[arg-type]
    app.add_exception_handler(OwnSignInNeeded, own_sign_in.ask_to_sign_in)  # type: ignore[arg-type]
    app.add_exception_handler(DoneBefore, _done_before)  # type: ignore[arg-type]
    app.add_exception_handler(ZaxError, _refused)  # type: ignore[arg-type]
    app.add_exception_handler(StarletteHTTPException, _http_error)  # type: ignore[arg-type]
    app.add_exception_handler(RequestValidationError, _bad_address)  # type: ignore[arg-type]
    app.add_exception_handler(ForgedForm, _forged)  # type: ignore[arg-type]
    for kind in UNREACHABLE:
        app.add_exception_handler(kind, _database_down)
    app.add_exception_handler(Exception, _defect)


def _refused(request: Request, error: ZaxError) -> Response:
    """A refusal that no page caught: a page of its own, with the way back."""
    if request.url.path.startswith("/my/"):
        return own_sign_in.not_there(request, error.status)
    try:
        ctx: RequestContext = enter(request)
    except (SignInNeeded, Locked, SecondNeeded, ZaxError):
        return PlainTextResponse(error.message, error.status)
    return ctx.page(
        "shell/refused.html", error.status, message=error.message, back=request.headers.get("referer", "/day")
    )


def _done_before(request: Request, error: DoneBefore) -> Response:
    """A form pressed twice: back to the page it came from, as it is now."""
    request.session["said"] = error.message
    came_from = urlsplit(request.headers.get("referer", ""))
    ours = came_from.netloc == request.url.netloc and came_from.path.startswith("/")
    query = f"?{came_from.query}" if came_from.query else ""
    return RedirectResponse(f"{came_from.path}{query}" if ours else "/day", 303)


def _http_error(request: Request, error: HTTPException) -> Response:
    if error.status_code == 404:
        return _refused(request, NotFound("That page doesn’t exist. Find it with / or go back to Day."))
    return PlainTextResponse(str(error.detail), error.status_code)


def _bad_address(request: Request, _: RequestValidationError) -> Response:
    return _refused(request, NotFound("That address doesn’t exist. Find it with / or go back to Day."))


def _forged(request: Request, _: ForgedForm) -> Response:
    return PlainTextResponse(
        "This form wasn’t opened in this browser. Reload the page it came from and send it again.", 403
    )


def _database_down(request: Request, error: Exception) -> Response:
    """Says so, or that the disk is full, and keeps what was typed: a page that sent a form by itself stays as
    it is, any other form is shown ready to be sent again. Every form has a key, so that sent twice it is done
    once.
    """
    DOWN.warn(why=type(error).__name__)
    if "hx-request" in request.headers:
        return Response(status_code=503, headers={"HX-Reswap": "none", "HX-Trigger": "zax-down"})
    template = request.app.state.shared.templates.get_template("shell/down.html")
    fields = getattr(request.state, "posted", None)
    html = template.render(to=url_of(request), fields=fields, csrf=csrf_of(request), full=out_of_room(error))
    return HTMLResponse(html, 503, headers={"Retry-After": "5"})


def _defect(request: Request, error: Exception) -> Response:
    number = getattr(request.state, "number", UNKNOWN)
    log.error(
        "defect", request=number, route=getattr(request.scope.get("route"), "path", UNKNOWN), exc_info=error
    )
    template = request.app.state.shared.templates.get_template("shell/defect.html")
    headers = HEADERS | {"Cache-Control": "no-store", "X-Request-ID": number}
    return HTMLResponse(template.render(number=number), 500, headers=headers)
