"""Compare: what a patient typed beside what is on file, taken field by field, one person after the other."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound
from zax.core.online.comparing import AS_TYPED, LATER
from zax.core.reading import reference
from zax.desk.online.comparing import comparison
from zax.desk.online.taking import accept_registration, is_them, refuse_registration, undo_accepting
from zax.desk.patients.duplicates import call_two
from zax.store.book.queries import one_visit
from zax.store.online.registrations import registration_of, waiting_registrations
from zax.store.patients.patients import known_patient
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
MOST_IN_LINE = 8


@router.get("/compare")
def show_first(request: Request, done: int = 0) -> Response:
    """The one whose visit is soonest; a word where nobody waits."""
    ctx = enter(request, "patients")
    with ctx.read() as connection:
        line = waiting_registrations(connection, ctx.today)
        if line:
            return ctx.go(f"/compare/{line[0].id}" + (f"?done={done}" if done else ""))
        before = _done_before(ctx, done)
    return ctx.page("online/compare_none.html", before=before, screen="inbox")


@router.get("/compare/{number}")
def show(request: Request, number: int, done: int = 0) -> Response:
    return _page(enter(request, "patients"), number, done=done)


def _page(ctx: RequestContext, number: int, status: int = 200, *, done: int = 0, **more: object) -> Response:
    with ctx.read() as connection:
        found = comparison(connection, ctx.clinic, number, ctx.today)
        line = waiting_registrations(connection, ctx.today)
        visit_id = next((each.visit_id for each in line if each.id == number), found.row.visit_id)
        visit = one_visit(connection, visit_id) if visit_id else None
        before = _done_before(ctx, done)
    after = next((each for each in line if each.id != number), None)
    page = ctx.page(
        "online/compare.html" if found.row.state == "sent" else "online/compare_done.html",
        status,
        found=found,
        p=found.patient,
        taken=sum(1 for row in found.rows if row.take),
        visit=visit,
        line=line[:MOST_IN_LINE],
        more_in_line=max(0, len(line) - MOST_IN_LINE),
        after=after,
        before=before,
        AS_TYPED=AS_TYPED,
        LATER=LATER,
        screen="inbox",
        **more,
    )
    return ctx.looked(page, found.patient.id, "compare")


def _done_before(ctx: RequestContext, number: int) -> dict[str, object] | None:
    """Who was just taken over, for undoing it; None when it can't be."""
    with ctx.read() as connection:
        row = registration_of(connection, number) if number else None
        if row is None or row.state != "accepted" or row.done_by != ctx.actor.id:
            return None
        patient = known_patient(connection, row.patient_id)
    return {"id": row.id, "name": f"{patient.first} {patient.last}"}


@router.post("/compare/{number}")
def answer(request: Request, number: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Take it over as chosen, or turn it down."""
    ctx = enter(request, "patients")
    version = reference(form["version"])
    try:
        if form["do"] == "refuse":
            refuse_registration(ctx.desk, ctx.actor, number, version)
            return ctx.go("/compare", "Turned down. No one is told.")
        taken = accept_registration(ctx.desk, ctx.actor, ctx.shared.files, number, form, version)
    except Mendable as error:
        return _page(ctx, number, error.status, problems=error.problems, typed=form)
    return ctx.go(
        f"/compare?done={number}", f"{taken} taken over." if taken else "Nothing was taken; it’s done."
    )


@router.post("/compare/{number}/undo")
def undo(request: Request, number: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "patients")
    try:
        stayed = undo_accepting(ctx.desk, ctx.actor, number)
    except Mendable as error:
        return ctx.go("/compare", error.message)
    said = "Undone."
    if stayed:
        said += f" Changed again since, so left as it is: {', '.join(stayed).lower()}."
    return ctx.go(f"/compare/{number}", said)


@router.post("/compare/{number}/who")
def who(request: Request, number: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Somebody on file, or not them: `them` or `two` is the other record's number."""
    ctx = enter(request, "patients")
    them, two = reference(form["them"]), reference(form["two"])
    try:
        if them:
            is_them(ctx.desk, ctx.actor, number, them)
            return ctx.go(f"/compare/{number}", "One record now. Compare what they typed.")
        with ctx.read() as connection:
            row = registration_of(connection, number)
        if row is None or not two:
            raise NotFound("There is no such registration.")
        call_two(ctx.desk, ctx.actor, row.patient_id, two)
    except Mendable as error:
        return _page(ctx, number, error.status, problems=error.problems, typed=form)
    return ctx.go(f"/compare/{number}", "Noted: two people.")


@router.get("/compare/{number}/photo/{name}")
def photo(request: Request, number: int, name: str) -> Response:
    """The photo of a card."""
    ctx = enter(request, "patients")
    with ctx.read() as connection:
        row = registration_of(connection, number)
    if row is None or name not in row.photos:
        raise NotFound("There is no such photo.")
    kept = row.photos[name]
    answer = Response(ctx.shared.files.get(kept["digest"]), media_type=kept["media"])
    return ctx.looked(answer, row.patient_id, "compare")
