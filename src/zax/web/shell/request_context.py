"""Where a request stands: who is signed in, at which site, what time it is; and how a form's content is taken
in safely.

The session is a signed cookie that ends after half an hour without use; what it names is kept in the
database, where it ends for good. How a form proves that it is ours stands in `form_token`.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import date, datetime
from ipaddress import ip_address
from typing import TypeVar, get_origin
from urllib.parse import parse_qs, urlsplit

from fastapi import Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from jinja2 import Environment
from starlette.background import BackgroundTask
from starlette.concurrency import run_in_threadpool

from zax.clock import local, system_now
from zax.core.clinic.places import Site
from zax.core.errors import NotFound, Problems
from zax.core.form import LONGEST_KEY, Form
from zax.core.people.roles import may, require
from zax.core.reading import reference
from zax.desk.acts.actor import Actor, Once
from zax.desk.acts.transaction import Desk
from zax.desk.clinic.clinic import Clinic
from zax.desk.people.sessions import Browser, mark_of, user_of_mark, who_is
from zax.desk.people.sign_in import note_looks
from zax.desk.people.switching import lock_minutes
from zax.outside.doors import Outside
from zax.settings import Settings
from zax.store.engine import Connection, Engine
from zax.store.files import FileStore
from zax.store.followup.hand_overs import count_for
from zax.store.inbox.inbox import count_waiting
from zax.store.keyring import KeyRing
from zax.store.patients.sealed import is_shut, sealed_name
from zax.store.vault import Vault
from zax.web.shell.form_token import NO_SESSION, FormKey, new_browser

MOST_BYTES = 26 * 1024 * 1024
FormT = TypeVar("FormT", bound=Form)


def pdf_answer(content: bytes, name: str) -> Response:
    """A paper, shown in the browser under its name."""
    return Response(
        content,
        media_type="application/pdf",
        headers={"Content-Disposition": f'inline; filename="{name}.pdf"'},
    )


class SignInNeeded(Exception):
    """Nobody is signed in; `kept` is the form that was sent, so that nothing need be typed again."""

    def __init__(self, kept: Mapping[str, str] | None = None) -> None:
        super().__init__("sign in")
        self.kept = kept


class Locked(Exception):
    """The desk is locked; `kept` is the form that was sent, as with `SignInNeeded`."""

    def __init__(self, kept: Mapping[str, str] | None = None) -> None:
        super().__init__("locked")
        self.kept = kept


class SecondNeeded(Exception):
    """The clinic asks a second factor of this person, who has none yet."""


class ForgedForm(Exception):
    """The form does not carry the token that this browser was given."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Shared:
    """What all requests of the process share, on `app.state.shared`."""

    desk: Desk
    reading: Engine  # one statement at a time
    pages: Engine  # all that a page reads is of one moment
    settings: Settings
    templates: Environment
    outside: Outside
    files: FileStore
    vault: Vault
    keys: KeyRing

    @property
    def secrets(self) -> tuple[bytes, ...]:
        """What signs forms and codes: the first makes, the others still hold."""
        return tuple(each.encode() for each in self.keys.texts)


@dataclass(frozen=True, slots=True)
class Rail:
    """How many rows the Inbox has, and how many of them are hand-overs to who is signed in."""

    waiting: int
    handed: int


@dataclass(frozen=True, slots=True)
class RequestContext:
    """One signed-in request."""

    request: Request
    shared: Shared
    actor: Actor
    site_id: int

    @property
    def desk(self) -> Desk:
        return self.shared.desk

    @property
    def clinic(self) -> Clinic:
        return self.shared.desk.clinic

    @property
    def site(self) -> Site:
        return self.clinic.sites[self.site_id]

    @property
    def now(self) -> datetime:
        return self.shared.desk.clock.now()

    @property
    def local_now(self) -> datetime:
        return local(self.now, self.site.timezone)

    @property
    def today(self) -> date:
        return self.local_now.date()

    def may(self, right: str) -> bool:
        return may(self.actor.role, right)

    @property
    def lock_minutes(self) -> int:
        return lock_minutes(self.clinic.about)

    @property
    def mine(self) -> bool:
        """Whether this is a provider who doesn’t work at the desk: their day begins with their own
        patients.
        """
        return self.actor.provider_id is not None and not self.may("book")

    @property
    def rail(self) -> Rail:
        """What the rail of every page counts."""
        with self.shared.reading.connect() as connection:
            handed = count_for(connection, self.actor.id or 0, self.actor.role.key)
            return Rail(count_waiting(connection, self.site_id) + handed, handed)

    def read(self) -> Connection:
        """A connection on which everything read is of one moment; it closes itself as a context manager."""
        return self.shared.pages.connect()

    def page(self, template: str, status: int = 200, **values: object) -> HTMLResponse:
        """The template with what every page shows besides."""
        said = (
            self.request.session.pop("said", None)
            if status == 200 and self.request.session.get("said")
            else None
        )
        html = self.shared.templates.get_template(template).render(
            ctx=self,
            area=template.partition("/")[0],
            actor=self.actor,
            site=self.site,
            clinic=self.clinic,
            now=self.now,
            today=self.today,
            csrf=csrf_of(self.request),
            url=url_of(self.request),
            said=said,
            **({"problems": {}, "typed": PostedForm()} | values),
        )
        return HTMLResponse(html, status)

    def unsure(self, key: str, back: str) -> HTMLResponse:
        """The database went away while money was taken: a page that reads nothing and, later, asks by the
        form's key what became of it.
        """
        return HTMLResponse(
            self.shared.templates.get_template("shell/unsure.html").render(key_of_form=key, back=back), 503
        )

    def looked(self, page: Response, patient_id: int, screen: str) -> Response:
        """The page, and once it is sent the note of who looked at whom. A screen that refreshes itself is no
        new look. A sealed record asks why first.
        """
        if self._is_shut(patient_id):
            return self.sealed_page(patient_id, url_of(self.request), 403)
        return self.looked_at(page, [patient_id], screen)

    def _is_shut(self, patient_id: int) -> bool:
        with self.shared.reading.connect() as connection:
            return is_shut(connection, patient_id, self.actor.id or 0, self.now)

    def sealed_page(self, patient_id: int, to: str, status: int = 200, **more: object) -> Response:
        """What stands in place of a sealed record; a part of a page gets a sentence with the way there."""
        with self.shared.reading.connect() as connection:
            record = sealed_name(connection, patient_id)
        if record is None:
            raise NotFound("This record isn’t sealed.")
        part = "hx-request" in self.request.headers and "hx-boosted" not in self.request.headers
        if part or "x-live" in self.request.headers:
            html = self.shared.templates.get_template("people/sealed_part.html").render(record=record)
            return HTMLResponse(html, 200)
        return self.page("people/sealed.html", status, record=record, to=to, screen="patients", **more)

    def looked_at(self, page: Response, patient_ids: Iterable[int], screen: str) -> Response:
        """The same for a paper that is about several."""
        if "x-live" not in self.request.headers and self.actor.id is not None:
            page.background = BackgroundTask(
                note_looks, self.desk.engine, self.now, self.actor.id, list(patient_ids), screen
            )
        return page

    def go(self, to: str, said: str = "") -> Response:
        """On to another page, with a word about what was done."""
        if said:
            self.request.session["said"] = said
        return RedirectResponse(to, 303)


def url_of(request: Request) -> str:
    return request.url.path + (f"?{request.url.query}" if request.url.query else "")


def enter(request: Request, right: str = "see") -> RequestContext:
    """The signed-in person, or SignInNeeded, Locked or SecondNeeded; NotAllowed when the role lacks the
    right.
    """
    ctx = enter_self(request)
    if ctx.actor.owes_second:
        raise SecondNeeded
    require(ctx.actor.role, right, ctx.clinic.roles.values())
    return ctx


def enter_self(request: Request) -> RequestContext:
    """The signed-in person on the pages of their own sign-in, for which no right is needed and where a second
    factor may still be missing.
    """
    shared: Shared = request.app.state.shared
    actor = signed_in_actor(request)
    if actor.locked:
        raise Locked(getattr(request.state, "posted", None))
    _note_use(request)
    return RequestContext(
        request, shared, replace(actor, once=_once_of(request)), _site_of(request, shared, actor)
    )


def signed_in_actor(request: Request) -> Actor:
    """Whoever this session is of, even while it is locked; SignInNeeded for none."""
    shared: Shared = request.app.state.shared
    secret = session_of(request)
    if not secret:
        raise SignInNeeded
    with shared.reading.connect() as connection:
        actor = who_is(connection, secret, shared.desk.clinic.roles)
    if actor is None:
        request.session.clear()
        raise SignInNeeded
    return actor


def _site_of(request: Request, shared: Shared, actor: Actor) -> int:
    """The site they chose, or the first of those they work at."""
    sites = [each for each in shared.desk.clinic.sites if actor.works_at(each)]
    chosen = request.session.get("site", 0)
    if chosen in sites:
        return int(chosen)
    return sites[0] if sites else shared.desk.clinic.first_site.id


def has_name(request: Request) -> bool:
    """Whether we are reached by a name, for which passkeys can be made; for a number none can."""
    try:
        ip_address(request.url.hostname or "")
    except ValueError:
        return True
    return False


def browser_of(request: Request) -> Browser:
    """Where somebody signs in."""
    mark = form_key(request).browser
    device = hashlib.sha256(mark.encode()).hexdigest()[:16] if mark else ""
    return Browser(request.client.host if request.client else "", device)


def _once_of(request: Request) -> Once | None:
    """The key of the form that was sent; None where its act has one of its own and answers with what became
    of it the first time.
    """
    form = getattr(request.state, "posted", None)
    return Once(form["once"][:LONGEST_KEY]) if form and form["once"] and not form["key"] else None


def _note_use(request: Request) -> None:
    """A live screen that refreshes itself does not keep the session open; a person does."""
    minute = int(system_now().timestamp() // 60)
    if request.session.get("used") != minute and "x-live" not in request.headers:
        request.session["used"] = minute


def session_of(request: Request) -> str:
    """The secret of the session that this browser holds; empty for none."""
    secret = request.session.get("session")
    return secret if isinstance(secret, str) else ""


def form_cookie(settings: Settings) -> str:
    """The cookie that tells this browser from others; over TLS no other host can set it."""
    return "__Host-zax_form" if settings.tls else "zax_form"


def form_key(request: Request) -> FormKey:
    shared: Shared = request.app.state.shared
    browser = request.cookies.get(form_cookie(shared.settings)) or getattr(request.state, "new_browser", "")
    return FormKey(shared.secrets, str(browser))


def csrf_of(request: Request) -> str:
    """The token for the forms of this page; a browser that has no cookie yet gets one with the answer."""
    if not form_key(request).browser:
        request.state.new_browser = new_browser()
    secret = session_of(request)
    return form_key(request).token(mark_of(secret) if secret else NO_SESSION)


def check_token(request: Request, token: str) -> None:
    """Raises ForgedForm for a form that was not made for this browser, or for somebody else's session."""
    mark, secret = form_key(request).mark_in(token), session_of(request)
    if mark is None:
        raise ForgedForm
    if not secret or mark == mark_of(secret):
        return
    shared: Shared = request.app.state.shared
    with shared.reading.connect() as connection:
        now, then = who_is(connection, secret, shared.desk.clinic.roles), user_of_mark(connection, mark)
    if now is not None and now.id != then:
        raise ForgedForm


class PostedForm(dict[str, str]):
    """A form's fields as typed, whitespace kept; a missing field reads as empty. `all` has every value of
    fields that come several times, `content` the bytes of a file that came along.
    """

    def __init__(self, given: Mapping[str, str] | None = None, /, **fields: str) -> None:
        super().__init__(given or {}, **fields)
        self.all: dict[str, list[str]] = {}
        self.content = b""

    def __missing__(self, key: str) -> str:
        return ""

    def read(self, shape: type[FormT], before: str = "", after: str = "", **usual: object) -> FormT:
        """The fields as `shape` has them, `usual` for what was left empty; raises Problems beside the wrong
        ones. Rows of one shape come under names of their own: `before` "need_" and `after` "-3" read
        "minutes" from "need_minutes-3".
        """
        given: dict[str, object] = dict(usual)
        sent_as = {
            name: f"{before}{field.validation_alias or name}{after}"
            for name, field in shape.model_fields.items()
        }
        for name, field in shape.model_fields.items():
            sent = sent_as[name]
            if get_origin(field.annotation) is tuple:
                given[name] = self.all.get(sent, [])
            elif field.annotation is bool:
                given[name] = self[sent]  # a box that is not ticked is not sent
            elif self[sent] or name not in given and (sent in self or field.is_required()):
                given[name] = self[sent]
        try:
            return shape(**given)
        except Problems as wrong:
            told = {sent_as.get(name, name): message for name, message in wrong.problems.items()}
            raise Problems(told) from None

    def ticked(self, name: str) -> set[int]:
        """The rows that are ticked, to show a form again as it was sent, whatever is wrong in it."""
        return {reference(text) for text in self.all.get(name, [])} - {0}

    @property
    def back(self) -> str:
        """Where to go afterwards; only ever a page of ours."""
        to = self["back"]
        parts = urlsplit(to)
        return (
            to
            if to.startswith("/") and not to.startswith("//") and not parts.netloc and "\\" not in to
            else "/day"
        )

    @property
    def back_query(self) -> dict[str, str]:
        """The parts of the address the form came from."""
        return {name: values[0] for name, values in parse_qs(urlsplit(self.back).query).items()}


def form_in(more: Mapping[str, object]) -> PostedForm | None:
    """The form that a page is shown again with, among what its route hands on."""
    found = more.get("typed")
    return found if isinstance(found, PostedForm) else None


async def open_form(request: Request) -> PostedForm:
    """A form for whoever isn't signed in: a token of this browser is needed, a session is not."""
    form = PostedForm(
        {name: value for name, value in (await request.form()).items() if isinstance(value, str)}
    )
    if form_key(request).mark_in(form["csrf"]) is None:
        raise ForgedForm
    return form


async def posted_form(request: Request) -> PostedForm:
    """The posted form, once its token is checked and somebody is signed in."""
    form = await request.form(max_files=1, max_fields=600)
    fields = PostedForm()
    for name, value in form.multi_items():
        if isinstance(value, str):
            fields[name] = value
            fields.all.setdefault(name, []).append(value)
        else:
            fields.content = await value.read(MOST_BYTES + 1)
            fields[name] = fields.content[: 8 * 1024 * 1024].decode("utf-8", errors="replace")
            fields[f"{name}_name"] = value.filename or ""
    await run_in_threadpool(check_token, request, fields.pop("csrf", ""))
    if not session_of(request):
        raise SignInNeeded(fields)
    request.state.posted = fields
    return fields
