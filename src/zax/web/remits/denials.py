"""Denied and underpaid lines under what is to be done about each, and one of them open beside the list with
its next act drafted: the appeal letter, a corrected claim, the patient's bill, a write-off.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta
from itertools import groupby

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.clock import local
from zax.core.errors import NotFound, ZaxError
from zax.core.reading import reference
from zax.core.remits.grid import Place
from zax.core.remits.letters import written
from zax.core.remits.shortfalls import WORK_HINTS, WORK_WORDS, Work
from zax.core.wording import day_words
from zax.desk.claims.thread import correct_claim
from zax.desk.remits import denials
from zax.store.patients.files import files_of
from zax.store.patients.records import PatientFile
from zax.store.remits import shortfalls as stored
from zax.store.remits.shortfalls import OpenShortfall, ShortFilter
from zax.web.claims.claim_papers import as_pdf
from zax.web.shell.pdf import joined_pdf, paper
from zax.web.shell.request_context import PostedForm, RequestContext, enter, pdf_answer, posted_form

router = APIRouter()
SOON = 14
MOST = 500
AGES = {"30": "over 30 days old", "60": "over 60 days old", "90": "over 90 days old"}


@dataclass(frozen=True, slots=True)
class PayerShort:
    payer_id: int
    name: str
    number: int
    cents: int


@dataclass(frozen=True, slots=True)
class WorkGroup:
    work: Work
    rows: Sequence[OpenShortfall]

    @property
    def cents(self) -> int:
        return sum(each.cents for each in self.rows)

    @property
    def letters(self) -> list[PayerShort]:
        """The payers that one letter can ask for everything they left below their contracts."""
        if self.work != Work.UNDERPAID:
            return []
        asked = [each for each in self.rows if each.state == stored.OPEN]
        by_payer = groupby(sorted(asked, key=payer_of), key=payer_of)
        found = [
            PayerShort(payer_id, name, len(own := list(rows)), sum(each.cents for each in own))
            for (name, payer_id), rows in by_payer
        ]
        return sorted(found, key=lambda each: -each.cents)


def payer_of(row: OpenShortfall) -> tuple[str, int]:
    return row.payer_name, row.payer_id


@router.get("/claims/denied")
def show_denied(request: Request) -> Response:
    ctx = enter(request, "claims")
    return denied_page(ctx, reference(request.query_params.get("open", "")))


def denied_page(
    ctx: RequestContext, opened_id: int = 0, status: int = 200, letter: str | None = None, **more: object
) -> Response:
    """The list; `letter` is the one that was typed, None for the draft."""
    asked = ctx.request.query_params
    filters = _filters(ctx, asked)
    with ctx.read() as connection:
        rows = stored.open_shortfalls(connection, filters, MOST)
        opened = stored.shortfall_of(connection, opened_id) if opened_id else None
        drafted = denials.draft(connection, ctx.clinic, opened, ctx.today) if opened else ""
        files = files_of(connection, opened.patient_id) if opened else []
    reason = asked.get("reason", "")
    rows = [each for each in rows if not reason or reason in each.reasons]
    groups = [WorkGroup(work, own) for work in Work if (own := [each for each in rows if each.work == work])]
    page = ctx.page(
        "remits/denied.html",
        status,
        groups=groups,
        number=len(rows),
        held=sum(each.cents for each in rows if each.work != Work.ABOVE),
        soon=sum(
            1
            for each in rows
            if each.act_by and each.act_by <= ctx.today + timedelta(days=SOON)
            if each.state == stored.OPEN
        ),
        opened=opened,
        letter=drafted if letter is None else letter,
        files=files,
        words=WORK_WORDS,
        hints=WORK_HINTS,
        Work=Work,
        ages=AGES,
        asked=asked,
        screen="claims",
        **({"ticked": set()} | more),
    )
    return ctx.looked(page, opened.patient_id, "claim") if opened else page


def _filters(ctx: RequestContext, asked: Mapping[str, str]) -> ShortFilter:
    """What the address asks for; what is no number or class is left out."""
    days = asked.get("age", "")
    work = asked.get("work", "")
    return ShortFilter(
        payer_id=reference(asked.get("payer", "")),
        work=work if work in set(Work) else "",
        cents=min(reference(asked.get("from", "")), 1_000_000) * 100,
        before=ctx.now - timedelta(days=int(days)) if days in AGES else None,
    )


@router.post("/claims/denied/{shortfall_id}/letter.pdf")
def print_letter(request: Request, shortfall_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """The letter as it stands in the box, with the papers that go along."""
    ctx = enter(request, "claims")
    try:
        content = _letter(ctx, shortfall_id, form)
    except ZaxError as error:
        return _again(ctx, shortfall_id, error, form)
    return pdf_answer(content, f"appeal-{shortfall_id}")


@router.post("/claims/denied/{shortfall_id}/appeal")
def send_appeal(request: Request, shortfall_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "claims")
    try:
        content = _letter(ctx, shortfall_id, form)
        by = denials.send_appeal(ctx.desk, ctx.actor, ctx.shared.files, shortfall_id, content)
    except ZaxError as error:
        return _again(ctx, shortfall_id, error, form)
    return ctx.go(
        f"/claims/denied?open={shortfall_id}",
        f"Noted as sent. No answer by {day_words(by)}: it comes back to this list.",
    )


def _letter(ctx: RequestContext, shortfall_id: int, form: PostedForm) -> bytes:
    text = written(form["text"])
    chosen = form.ticked("file")
    with ctx.read() as connection:
        short = stored.shortfall_of(connection, shortfall_id)
        files = files_of(connection, short.patient_id) if short else []
    if short is None:
        raise NotFound("There is no such line to decide about.")
    site = ctx.clinic.first_site
    going: list[PatientFile] = [each for each in files if each.id in chosen]
    letter = paper(
        "remits/papers/appeal.html",
        short=short,
        text=text,
        going=going,
        about=ctx.clinic.about,
        site=site,
        clinic=ctx.clinic,
        printed=local(ctx.now, site.timezone),
    )
    pages = [letter, *(as_pdf(ctx.shared.files.get(each.digest), each) for each in going)]
    return joined_pdf(pages) if going else letter


@router.get("/claims/denied/{shortfall_id}/sent.pdf")
def sent_letter(request: Request, shortfall_id: int) -> Response:
    """The letter that went out, as it was."""
    ctx = enter(request, "claims")
    with ctx.read() as connection:
        short = stored.shortfall_of(connection, shortfall_id)
    if short is None or not short.letter:
        raise NotFound("No appeal was sent for this.")
    answer = pdf_answer(ctx.shared.files.get(short.letter), f"appeal-{shortfall_id}")
    return ctx.looked(answer, short.patient_id, "claim")


@router.post("/claims/denied/{shortfall_id}/decide")
def decide(request: Request, shortfall_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """To the patient, off, or off the list."""
    ctx = enter(request, "claims")
    try:
        if form["how"] == "leave":
            denials.leave_be(ctx.desk, ctx.actor, shortfall_id, form["why"])
        else:
            place = Place(form["how"]) if form["how"] in set(Place) else Place.WORK
            denials.decide(ctx.desk, ctx.actor, shortfall_id, place, form["why"])
    except ZaxError as error:
        return _again(ctx, shortfall_id, error, form)
    return ctx.go("/claims/denied", "Decided.")


@router.post("/claims/denied/{shortfall_id}/answered")
def answered(request: Request, shortfall_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "claims")
    won = form["won"] == "yes"
    denials.appeal_answered(ctx.desk, ctx.actor, shortfall_id, won, form["why"])
    return ctx.go(
        "/claims/denied", "Won: the claim waits for its money." if won else "Turned down: decide what’s next."
    )


@router.post("/claims/denied/{shortfall_id}/correct")
def correct(request: Request, shortfall_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "claims")
    with ctx.read() as connection:
        short = stored.shortfall_of(connection, shortfall_id)
    if short is None:
        raise NotFound("There is no such line to decide about.")
    made = correct_claim(ctx.desk, ctx.actor, short.claim_id)
    return ctx.go(f"/claims/{made}", "A corrected claim: change what was wrong, then send it.")


def _again(ctx: RequestContext, shortfall_id: int, error: ZaxError, form: PostedForm) -> Response:
    """The list with the line open, what was typed, and what is wrong."""
    if isinstance(error, NotFound):
        raise error
    return denied_page(
        ctx,
        shortfall_id,
        error.status,
        letter=form.get("text"),
        ticked=form.ticked("file"),
        problems=error.problems,
        typed=form,
    )
