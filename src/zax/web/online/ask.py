"""Asking for a time, one thing at a time: what, when, who, the code. Plain pages that need no script."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import date

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.clock import local
from zax.core.clinic.visit_types import VisitType
from zax.core.errors import Mendable, NotFound, Refused
from zax.core.messages.language import day_in
from zax.core.notices.calendar_file import FeedEvent, calendar_feed
from zax.core.reading import day_or_none, reference
from zax.core.wording import clock_words
from zax.desk.notices.mail import domain_of
from zax.desk.online.asking import (
    Typed,
    ask,
    asked,
    cancel_asked,
    confirm,
    move_asked,
    request_of,
)
from zax.desk.online.codes import Purpose, text_again
from zax.desk.online.habits import online_habits, types_shown
from zax.desk.online.times import PARTS, WEEK, Wanted, last_day, week_of
from zax.store.book.records import Visit
from zax.web.online.frame import Visitor, visitor
from zax.web.shell.request_context import PostedForm, open_form

router = APIRouter()


@dataclass(frozen=True, slots=True)
class Choice:
    """What is chosen above the times, as the address carries it."""

    site: str = ""
    provider: str = ""
    part: str = ""
    first: str = ""


@router.get("/ask")
def what(request: Request, who: str = "", wrong: str = "") -> Response:
    """What somebody needs, in a patient's words."""
    return _what(visitor(request), who != "new", bool(wrong))


def _what(at: Visitor, been_here: bool, wrong: bool = False, status: int = 200) -> Response:
    kinds = types_shown(at.desk.clinic, been_here) if online_habits(at.desk.clinic).runs else []
    groups = [
        (name, [each for each in kinds if each.dental == dental])
        for name, dental in (("dental", True), ("medical", False))
    ]
    return at.page(
        "online/what.html",
        status,
        been_here=been_here,
        groups=[(name, each) for name, each in groups if each],
        wrong=wrong,
    )


@router.get("/ask/times")
def times(
    request: Request,
    type: str = "",
    who: str = "",
    choice: Choice = Depends(Choice),
) -> Response:
    """The times of a week, and the soonest."""
    at = visitor(request)
    return _times(at, wanted_of(at, type, choice), who != "new")


def wanted_of(at: Visitor, type: str, choice: Choice) -> Wanted:
    clinic, site, provider = at.desk.clinic, reference(choice.site), reference(choice.provider)
    site_id = site if site in clinic.sites else clinic.first_site.id
    today = local(at.desk.clock.now(), clinic.sites[site_id].timezone).date()
    latest = last_day(clinic, site_id, at.desk.clock.now())
    day = day_or_none(choice.first) or today
    return Wanted(
        type_id=reference(type),
        site_id=site_id,
        provider_id=provider if provider in clinic.providers else 0,
        part=choice.part if choice.part in PARTS else "",
        first=min(max(day, today), latest),
    )


def _times(at: Visitor, wanted: Wanted, been_here: bool, wrong: str = "", status: int = 200) -> Response:
    clinic = at.desk.clinic
    kind = next((each for each in types_shown(clinic, been_here) if each.id == wanted.type_id), None)
    if kind is None or not online_habits(clinic).runs:
        return _what(at, been_here, True, 404 if status == 200 else status)
    return week_page(
        at,
        kind,
        wanted,
        {"type": wanted.type_id, "who": "" if been_here else "new"},
        status,
        wrong=wrong,
        times="/ask/times",
        take="/ask/who",
        back="/ask" if been_here else "/ask?who=new",
        moving=False,
    )


def week_page(
    at: Visitor, kind: VisitType, wanted: Wanted, kept: Mapping[str, object], status: int, **more: object
) -> Response:
    """The times of a week to choose from; `kept` goes along, `times` is the page itself, `take` where a
    chosen one goes.
    """
    clinic, now = at.desk.clinic, at.desk.clock.now()
    with at.desk.engine.connect() as connection:
        week = week_of(connection, clinic, wanted, now)
    today = local(now, clinic.sites[wanted.site_id].timezone).date()
    base = {**kept, "site": wanted.site_id, "provider": wanted.provider_id or "", "part": wanted.part}
    return at.page(
        "online/times.html",
        status,
        kind=kind,
        wanted=wanted,
        week=week,
        kept=kept,
        base=base,
        providers=clinic.hours.leads(kind, wanted.site_id),
        parts=[name for name in PARTS if name],
        earlier=max(today, wanted.first - WEEK) if wanted.first > today else None,
        later=wanted.first + WEEK if wanted.first + WEEK <= last_day(clinic, wanted.site_id, now) else None,
        day_words=lambda day: day_in(day, at.language),
        last=max(week.days, default=wanted.first),
        site=clinic.sites[wanted.site_id],
        **more,
    )


def chosen_time(at: Visitor, given: Mapping[str, str]) -> tuple[int, date, int, int]:
    """Site, day, minute and provider of 'site|day|minute|provider'. NotFound for what is no time."""
    parts = given.get("time", "").split("|")
    day = day_or_none(parts[1]) if len(parts) == 4 else None
    if day is None or not parts[2].isdecimal() or len(parts[2]) > 4:
        raise NotFound("There is no such time.")
    site_id, provider_id = reference(parts[0]), reference(parts[3])
    if site_id not in at.desk.clinic.sites or provider_id not in at.desk.clinic.providers:
        raise NotFound("There is no such time.")
    return site_id, day, int(parts[2]), provider_id


@router.get("/ask/who")
def who_for(request: Request, type: str = "", who: str = "", time: str = "") -> Response:
    at = visitor(request)
    if not time:
        return _times(at, wanted_of(at, type, Choice()), who != "new", "choose_time", 422)
    return _who(at, {"type": type, "who": who, "time": time})


def _who(at: Visitor, given: Mapping[str, str], status: int = 200, **more: object) -> Response:
    site_id, day, start, provider_id = chosen_time(at, given)
    kind = at.desk.clinic.types.get(reference(given.get("type", "")))
    if kind is None:
        raise NotFound("There is no such time.")
    return at.page(
        "online/who.html",
        status,
        kind=kind,
        given=given,
        when=f"{day_in(day, at.language)}, {clock_words(start)}",
        provider=at.desk.clinic.providers[provider_id],
        site=at.desk.clinic.sites[site_id],
        **more,
    )


@router.post("/ask/who")
def ask_for(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    """The request is written down and a code texted."""
    at = visitor(request)
    site_id, day, start, provider_id = chosen_time(at, form)
    typed = Typed(
        type_id=reference(form["type"]),
        site_id=site_id,
        provider_id=provider_id,
        day=day,
        start=start,
        been_here=form["who"] != "new",
        first=form["first"],
        last=form["last"],
        birth=form["birth"],
        phone=form["phone"],
        message=form["message"],
        language=at.language,
    )
    try:
        number = ask(at.desk, at.browser, typed)
    except Mendable as error:
        return _who(at, form, error.status, problems=error.problems, typed=form)
    return at.go(f"/ask/code/{number}")


@router.get("/ask/code/{number}")
def code(request: Request, number: int, again: str = "") -> Response:
    return _code(visitor(request), number, said="sent_again" if again else "")


def _code(at: Visitor, number: int, status: int = 200, **more: object) -> Response:
    try:
        row = request_of(at.desk, at.browser, number)
    except NotFound:
        return _lost(at)
    kind = at.desk.clinic.types[row.type_id]
    return at.page(
        "online/code.html",
        status,
        number=number,
        row=row,
        kind=kind,
        when=f"{day_in(row.day, at.language)}, {clock_words(row.start_min)}",
        provider=at.desk.clinic.providers[row.provider_id],
        site=at.desk.clinic.sites[row.site_id],
        **({"said": ""} | more),
    )


def _lost(at: Visitor) -> Response:
    return at.page("online/lost.html", 404)


@router.post("/ask/code/{number}")
def type_code(request: Request, number: int, form: PostedForm = Depends(open_form)) -> Response:
    at = visitor(request)
    try:
        if form["do"] == "again":
            text_again(at.desk, at.browser, Purpose.ASK, number)
            return at.go(f"/ask/code/{number}?again=1")
        return at.go(f"/ask/done/{confirm(at.desk, at.browser, number, form['code'])}")
    except NotFound:
        return _lost(at)
    except Mendable as error:
        return _code(at, number, error.status, problems=error.problems, typed=form)


@router.get("/ask/done/{link}")
def done(request: Request, link: str) -> Response:
    return _done(visitor(request), link)


def _done(at: Visitor, link: str, status: int = 200, **more: object) -> Response:
    try:
        found = asked(at.desk, link)
    except NotFound:
        return _lost(at)
    visit, clinic = found.visit, at.desk.clinic
    return at.page(
        "online/done.html",
        status,
        found=found,
        link=link,
        kind=clinic.types[visit.type_id],
        when=f"{day_in(visit.day, at.language)}, {clock_words(visit.start_min)}",
        provider=clinic.providers[visit.provider_id],
        site=clinic.sites[visit.site_id],
        **more,
    )


@router.post("/ask/done/{link}")
def cancel(request: Request, link: str, form: PostedForm = Depends(open_form)) -> Response:
    at = visitor(request)
    try:
        cancel_asked(at.desk, link)
    except NotFound:
        return _lost(at)
    except Refused as error:
        return _done(at, link, error.status, problems=error.problems)
    return at.go(f"/ask/done/{link}")


@router.get("/ask/move/{link}")
def other_times(request: Request, link: str, choice: Choice = Depends(Choice)) -> Response:
    """Other times for a visit that stands; it stays theirs until they have the new one."""
    return _moving(visitor(request), link, choice)


def _moving(at: Visitor, link: str, choice: Choice, status: int = 200, wrong: str = "") -> Response:
    try:
        found = asked(at.desk, link)
    except NotFound:
        return _lost(at)
    if not found.may_cancel:
        return _done(at, link, 422)
    return moving_page(
        at, found.visit, choice, f"/ask/move/{link}", f"/ask/done/{link}", status=status, wrong=wrong
    )


def moving_page(
    at: Visitor, visit: Visit, choice: Choice, here: str, back: str, *, status: int, wrong: str
) -> Response:
    """Other times for a visit, at its own site unless another is chosen; `here` takes the one chosen."""
    kind = at.desk.clinic.types[visit.type_id]
    wanted = wanted_of(at, str(kind.id), replace(choice, site=choice.site or str(visit.site_id)))
    return week_page(at, kind, wanted, {}, status, wrong=wrong, times=here, take=here, back=back, moving=True)


@router.post("/ask/move/{link}")
def move_to(request: Request, link: str, form: PostedForm = Depends(open_form)) -> Response:
    at = visitor(request)
    if not form["time"]:
        return _moving(at, link, Choice(), 422, "choose_time")
    site_id, day, start, provider_id = chosen_time(at, form)
    try:
        move_asked(at.desk, link, site_id, day, start, provider_id)
    except NotFound:
        return _lost(at)
    except Mendable:
        return _moving(at, link, Choice(str(site_id), first=day.isoformat()), 422, "taken")
    return at.go(f"/ask/done/{link}")


@router.get("/ask/done/{link}/visit.ics")
def calendar(request: Request, link: str) -> Response:
    """The visit for a calendar program."""
    at = visitor(request)
    try:
        return calendar_of(at, asked(at.desk, link).visit)
    except NotFound:
        return _lost(at)


def calendar_of(at: Visitor, visit: Visit) -> Response:
    """A visit as a calendar file."""
    clinic = at.desk.clinic
    site = clinic.sites[visit.site_id]
    name = str(clinic.about["clinic_name"])
    event = FeedEvent(
        visit_id=visit.id,
        sequence=visit.version,
        day=visit.day,
        start=visit.start_min,
        minutes=visit.minutes,
        timezone=site.timezone,
        summary=f"{name}, {clinic.providers[visit.provider_id].short}",
        where=f"{site.name}, {', '.join(site.address[:3])}",
    )
    file = calendar_feed([event], name, domain_of(clinic), at.desk.clock.now())
    headers = {"Content-Disposition": 'attachment; filename="visit.ics"'}
    return Response(file, media_type="text/calendar; charset=utf-8", headers=headers)
