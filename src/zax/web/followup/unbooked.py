"""Who has no next visit: those already recalled hidden, and the others recalled from here, many at once. What
somebody is due for is also told on their visit's sheet.
"""

from __future__ import annotations

from urllib.parse import urlencode

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.book.calendar import step_months
from zax.core.errors import Mendable, Refused
from zax.core.followup.due import OPEN, STAND_WORDS
from zax.core.reading import reference
from zax.desk.followup.recalls import set_for_many
from zax.store.followup.recalls import recall_types, recalls_of
from zax.store.followup.returns import returns_of
from zax.store.followup.unbooked import UnbookedFilter, count_unbooked, unbooked
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
PAGE = 50
SEEN = {"6": "in the last six months", "12": "in the last year", "24": "in the last two years"}


@router.get("/followup/no-next-visit")
def show_unbooked(request: Request) -> Response:
    return _page(enter(request, "see"))


def _page(ctx: RequestContext, status: int = 200, **more: object) -> Response:
    sent = more.get("typed")
    asked = sent if isinstance(sent, PostedForm) else ctx.request.query_params
    seen = asked.get("seen", "12") if asked.get("seen") in SEEN else "12"
    wanted = UnbookedFilter(
        since=step_months(ctx.today, -int(seen)),
        provider_id=reference(asked.get("with", "")),
        all=asked.get("all") == "yes",
    )
    skip = reference(asked.get("after", ""))
    with ctx.read() as connection:
        rows = unbooked(connection, wanted, ctx.today, PAGE, skip)
        total = count_unbooked(connection, wanted, ctx.today)
        types = recall_types(connection)
    kept = {"seen": seen, "with": str(wanted.provider_id or ""), "all": "yes" if wanted.all else ""}
    page = ctx.page(
        "followup/unbooked.html",
        status,
        rows=rows,
        total=total,
        skip=skip,
        most=PAGE,
        wanted=wanted,
        seen=seen,
        seen_words=SEEN,
        kept=kept,
        shown_as=urlencode({name: value for name, value in kept.items() if value}),
        types=types,
        screen="followup",
        **more,
    )
    return ctx.looked_at(page, [row.id for row in rows], "recalls")


@router.post("/followup/no-next-visit")
def recall_them(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """The same recall for everybody who is ticked."""
    ctx = enter(request, "book")
    try:
        people = sorted(form.ticked("who"))
        if not people:
            raise Refused("Tick whom it is for.", "row")
        done = set_for_many(ctx.desk, ctx.actor, people, reference(form["recall_type_id"]), form["by_when"])
    except Mendable as error:
        return _page(ctx, error.status, problems=error.problems, typed=form)
    left = "; ".join(f"{count} skipped: {why}" for why, count in done.left_out.items())
    back = urlencode({name: form[name] for name in ("seen", "with", "all") if form[name]})
    return ctx.go(f"/followup/no-next-visit?{back}", f"Set for {done.set}. {left}".strip())


@router.get("/patients/{patient_id}/due")
def due_of_patient(request: Request, patient_id: int) -> Response:
    """What somebody is due for or asked back for, as a part of another page."""
    ctx = enter(request, "see")
    with ctx.read() as connection:
        recalls = recalls_of(connection, patient_id, ctx.today)
        returns = [each for each in returns_of(connection, patient_id) if each.ended_at is None]
    return ctx.page(
        "followup/parts/due.html",
        recalls=[(each, each.stand(ctx.today)) for each in recalls],
        returns=[(each, each.stand(ctx.today)) for each in returns],
        open_stands=OPEN,
        stand_words=STAND_WORDS,
    )
