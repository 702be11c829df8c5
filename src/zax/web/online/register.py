"""Filling in before the visit, a page at a time: plain pages that need no script; with it, every page saves
as it is typed.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from zax.clock import local
from zax.core.arrivals.forms import RELATIONS
from zax.core.errors import Mendable, NotFound, Refused
from zax.core.messages.language import Language, day_in
from zax.core.online.registration import BACK, FRONT, Page
from zax.core.wording import clock_words
from zax.desk.arrivals.forms import filled_blocks
from zax.desk.notices.facts import called
from zax.desk.online.codes import Purpose, text_again
from zax.desk.online.habits import online_habits
from zax.desk.online.newcomers import NewcomerTyped, announce, arrive, code_of
from zax.desk.online.registering import (
    Filling,
    drop_photo,
    filling,
    keep_photo,
    link_is_open,
    open_registration,
    photo_of,
    save_page,
    send_registration,
)
from zax.store.book.queries import one_visit
from zax.store.online.registrations import Registration
from zax.store.patients.patients import known_patient
from zax.web.arrivals.documents import signed_paper
from zax.web.online.frame import CardForm, Visitor, card_form, visitor
from zax.web.shell.request_context import PostedForm, open_form

router = APIRouter()
OPENED = "opened"
MOST_OPENED = 6  # people of one household on one phone
PART = "x-part"


@router.get("/register")
def start(request: Request) -> Response:
    return _start(visitor(request))


def _start(at: Visitor, status: int = 200, **more: object) -> Response:
    return at.page("online/register_start.html", status, runs=online_habits(at.desk.clinic).runs, **more)


@router.post("/register")
def announce_oneself(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    """Name, birth date and phone; a code is texted."""
    at = visitor(request)
    typed = NewcomerTyped(
        first=form["first"],
        last=form["last"],
        birth=form["birth"],
        phone=form["phone"],
        language=at.language,
    )
    try:
        number = announce(at.desk, at.browser, typed)
    except Mendable as error:
        return _start(at, error.status, problems=error.problems, typed=form)
    return at.go(f"/register/code/{number}")


@router.get("/register/code/{number}")
def show_code(request: Request, number: int, again: str = "") -> Response:
    return _code(visitor(request), number, said="sent_again" if again else "")


def _code(at: Visitor, number: int, status: int = 200, **more: object) -> Response:
    try:
        row = code_of(at.desk, at.browser, number)
    except NotFound:
        return _gone(at)
    return at.page("online/register_code.html", status, row=row, **({"said": ""} | more))


@router.post("/register/code/{number}")
def type_code(request: Request, number: int, form: PostedForm = Depends(open_form)) -> Response:
    at = visitor(request)
    try:
        if form["do"] == "again":
            text_again(at.desk, at.browser, Purpose.REGISTER, number)
            return at.go(f"/register/code/{number}?again=1")
        row = arrive(at.desk, at.browser, number, form["code"])
    except NotFound:
        return _gone(at)
    except Mendable as error:
        return _code(at, number, error.status, problems=error.problems, typed=form)
    remember(at, row)
    return at.go(f"/register/{row.link}")


def _gone(at: Visitor) -> Response:
    return at.page("online/register_gone.html", 404)


def remember(at: Visitor, row: Registration) -> None:
    """This browser has shown both facts."""
    opened = [number for number in _opened(at) if number != row.id]
    at.request.session[OPENED] = [*opened, row.id][-MOST_OPENED:]


def _opened(at: Visitor) -> list[int]:
    kept = at.request.session.get(OPENED)
    return [each for each in kept if isinstance(each, int)] if isinstance(kept, list) else []


@router.get("/register/{link}")
def enter_by_link(request: Request, link: str) -> Response:
    """The page to go on with; the birth date first in a browser that hasn't given it."""
    at = visitor(request)
    try:
        row = link_is_open(at.desk, link)
    except NotFound:
        return _gone(at)
    if row.id not in _opened(at):
        return _birth(at, row)
    now = filling(at.desk, row.id)
    if now.row.state == "sent":
        return _sent(at, now)
    page = now.next_page or now.pages[-1]
    return at.go(f"/register/{link}/{page.key}")


def _birth(at: Visitor, row: Registration, status: int = 200, **more: object) -> Response:
    with at.desk.engine.connect() as connection:
        initial = called(known_patient(connection, row.patient_id))[:1]
    spoken = at if "lang" in at.request.session else at.speaking(Language(row.language))
    return spoken.page("online/register_birth.html", status, row=row, first=f"{initial}.", **more)


@router.post("/register/{link}")
def give_birth_date(request: Request, link: str, form: PostedForm = Depends(open_form)) -> Response:
    at = visitor(request)
    try:
        row = open_registration(at.desk, link, form["birth"])
    except NotFound:
        return _gone(at)
    except Mendable as error:
        try:
            return _birth(at, link_is_open(at.desk, link), error.status, problems=error.problems, typed=form)
        except NotFound:
            return _gone(at)
    if "lang" not in request.session:
        request.session["lang"] = row.language
    remember(at, row)
    return at.go(f"/register/{link}")


def _mine(at: Visitor, link: str) -> Filling | None:
    """What this browser has opened; None where the birth date is asked first. NotFound for no such link."""
    row = link_is_open(at.desk, link)
    return filling(at.desk, row.id) if row.id in _opened(at) else None


@router.get("/register/{link}/{key}")
def show_page(request: Request, link: str, key: str, look: str = "") -> Response:
    at = visitor(request)
    try:
        now = _mine(at, link)
        if now is None or now.row.state != "open":
            return at.go(f"/register/{link}")
        return _page(at, now, now.page(key), look=bool(look))
    except NotFound:
        return _gone(at)


def _page(at: Visitor, now: Filling, page: Page, status: int = 200, **more: object) -> Response:
    number = now.pages.index(page)
    after = now.pages[number + 1] if number + 1 < len(now.pages) else None
    blocks = filled_blocks(page.form.blocks, now.fills) if page.form else []
    return at.page(
        "online/register_form.html" if page.form else "online/register_page.html",
        status,
        now=now,
        page=page,
        title=_title(at, page),
        number=number + 1,
        before=now.pages[number - 1] if number else None,
        after=after,
        after_title=_title(at, after) if after else "",
        blocks=blocks,
        relations=RELATIONS,
        photos=now.photos(page),
        saved=_saved(at, now),
        **({"typed": now.typed(page), "look": False} | more),
    )


def _title(at: Visitor, page: Page) -> str:
    return page.form.name if page.form else at.words[f"page_{page.key}"]


def _saved(at: Visitor, now: Filling) -> str:
    if now.row.saved_at is None:
        return at.words["saving"]
    moment = local(now.row.saved_at, at.desk.clinic.first_site.timezone)
    return at.words["saved_at"].format(time=clock_words(moment.hour * 60 + moment.minute))


@router.post("/register/{link}/{key}")
def keep_page(request: Request, link: str, key: str, form: CardForm = Depends(card_form)) -> Response:
    """A page as it was typed; `do` is draft (only kept), drop-front, drop-back, or empty to go on."""
    at = visitor(request)
    try:
        now = _mine(at, link)
        if now is None or now.row.state != "open":
            return at.go(f"/register/{link}")
        return _keep(at, now, now.page(key), form)
    except NotFound:
        return _gone(at)


def _keep(at: Visitor, now: Filling, page: Page, form: CardForm) -> Response:
    do, number = form.fields["do"], now.row.id
    wrong: dict[str, str] = {}
    for side, content in form.photos.items():
        try:
            keep_photo(at.desk, at.shared.files, number, f"{page.key}-{side}", content)
        except Refused as error:
            wrong[side] = error.message
    if do in {f"drop-{FRONT}", f"drop-{BACK}"}:
        drop_photo(at.desk, number, f"{page.key}-{do.removeprefix('drop-')}")
    try:
        now = save_page(at.desk, number, page.key, form.fields, done=do == "" and not wrong)
    except Mendable as error:
        wrong |= error.problems
        now = filling(at.desk, number)
    if do == "draft" and PART in at.request.headers:
        return at.page(
            "online/parts/saved.html",
            now=now,
            page=page,
            photos=now.photos(page),
            saved=_saved(at, now),
            problems=wrong,
        )
    if wrong:
        return _page(at, now, page, 422, problems=_in_words(at, wrong))
    if do:
        return at.go(f"/register/{now.row.link}/{page.key}")
    return _onward(at, now, page)


def _in_words(at: Visitor, wrong: dict[str, str]) -> dict[str, str]:
    """What is wrong, in their language."""
    if at.language is Language.ENGLISH:
        return wrong
    return dict.fromkeys(wrong, at.words["wrong_field"])


def _onward(at: Visitor, now: Filling, page: Page) -> Response:
    at_number = now.pages.index(page)
    if at_number + 1 < len(now.pages):
        return at.go(f"/register/{now.row.link}/{now.pages[at_number + 1].key}")
    try:
        send_registration(at.desk, at.shared.files, signed_paper, now.row.id)
    except Refused as error:
        return at.go(f"/register/{now.row.link}/{error.problems.get('page', page.key)}?look=1")
    return at.go(f"/register/{now.row.link}")


def _sent(at: Visitor, now: Filling) -> Response:
    with at.desk.engine.connect() as connection:
        visit = one_visit(connection, now.row.visit_id) if now.row.visit_id else None
    when = f"{day_in(visit.day, at.language)}, {clock_words(visit.start_min)}" if visit else ""
    return at.page("online/register_sent.html", now=now, first=called(now.patient), when=when)


@router.get("/register/{link}/photo/{name}")
def show_photo(request: Request, link: str, name: str) -> Response:
    """A photo that was taken, for who took it."""
    at = visitor(request)
    try:
        now = _mine(at, link)
        if now is None:
            return RedirectResponse(f"/register/{link}", 303)
        media, content = photo_of(at.desk, at.shared.files, now.row.id, name)
    except NotFound:
        return HTMLResponse("", 404)
    return Response(content, media_type=media)
