"""At the desk: payments made online, applied as they are suggested or as somebody says; and who may see whose
page.
"""

from __future__ import annotations

from collections.abc import Sequence

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable
from zax.core.reading import reference
from zax.core.wording import dollars
from zax.desk.money.dues import OpenLine, open_items
from zax.desk.own.allowing import allow, end_permission, sign_out_patient
from zax.desk.own.paying import accept_proposal, suggest_again
from zax.desk.record.record import number_of
from zax.store.own.logins import login_of, who_may_see
from zax.store.own.payments import NamedOwnPayment, proposals
from zax.store.patients.patients import known_patient, members_of
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
HERE = "/money/online"


@router.get(HERE)
def show_payments(request: Request) -> Response:
    return _payments(enter(request, "payments"))


def _payments(ctx: RequestContext, wrong: int = 0, status: int = 200, **more: object) -> Response:
    """`wrong` is the payment whose form has a problem."""
    with ctx.read() as connection:
        rows = proposals(connection)
        open_by_home = {
            home: open_items(connection, ctx.clinic, home).lines
            for home in {each.household_id for each in rows}
        }
    page = ctx.page(
        "own/desk_payments.html",
        status,
        rows=[(row, _lines(row, open_by_home[row.household_id])) for row in rows],
        total=sum(row.cents for row in rows),
        wrong=wrong,
        screen="money",
        **more,
    )
    return ctx.looked_at(page, sorted({row.patient_id for row in rows}), "online payments")


def _lines(row: NamedOwnPayment, lines: Sequence[OpenLine]) -> list[tuple[OpenLine, int]]:
    """Every open charge of the household with what the payment is suggested to pay on it (cents)."""
    wanted = {int(line): int(cents) for line, cents in row.lines}
    return [(each, wanted.get(each.line_id, 0)) for each in lines]


@router.post(HERE + "/{number}")
def apply(request: Request, number: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Accept one as suggested, or as typed by line; or have it suggested anew."""
    ctx = enter(request, "payments")
    typed = {
        reference(name.removeprefix("line-")): text
        for name, text in form.items()
        if name.startswith("line-") and form["do"] == "typed"
    }
    try:
        if form["do"] == "again":
            suggest_again(ctx.desk, ctx.actor, number)
            return ctx.go(HERE, "Suggested again.")
        cents = accept_proposal(ctx.desk, ctx.actor, number, typed)
    except Mendable as error:
        return _payments(ctx, number, error.status, problems=error.problems, typed=form)
    return ctx.go(HERE, f"{dollars(cents)} applied." if cents else "Kept as credit.")


@router.post(HERE)
def apply_all(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """All as they are suggested; one that can't be stays, with the others done."""
    ctx = enter(request, "payments")
    with ctx.read() as connection:
        rows = proposals(connection)
    done, stuck = 0, 0
    for row in rows:
        try:
            accept_proposal(ctx.desk, ctx.actor, row.id, {})
            done += 1
        except Mendable:
            stuck += 1
    said = f"{done} applied." + (
        f" {stuck} must be looked at: something was paid meanwhile." if stuck else ""
    )
    return ctx.go(HERE, said)


@router.get("/patients/{patient_id}/own-page")
def show_access(request: Request, patient_id: int) -> Response:
    return _access(enter(request, "patients"), patient_id)


def _access(ctx: RequestContext, patient_id: int, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        patient = known_patient(connection, number_of(connection, patient_id))
        allowed = who_may_see(connection, patient.id)
        members = [each for each in members_of(connection, patient.household_id) if each.id != patient.id]
        login = login_of(connection, patient.id)
    page = ctx.page(
        "own/desk_access.html",
        status,
        p=patient,
        allowed=allowed,
        members=members,
        has_password=login is not None,
        screen="patients",
        **more,
    )
    return ctx.looked(page, patient.id, "own page")


@router.post("/patients/{patient_id}/own-page")
def change_access(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Allow somebody, end it, or sign the patient out everywhere, as `do` says."""
    ctx = enter(request, "patients")
    here = f"/patients/{patient_id}/own-page"
    try:
        if form["do"] == "end":
            end_permission(ctx.desk, ctx.actor, patient_id, reference(form["number"]))
            return ctx.go(here, "Ended.")
        if form["do"] == "out":
            ended = sign_out_patient(ctx.desk, ctx.actor, patient_id)
            return ctx.go(here, f"Signed out of {ended} {'place' if ended == 1 else 'places'}.")
        allow(ctx.desk, ctx.actor, reference(form["who"]), patient_id, form["proof"])
    except Mendable as error:
        return _access(ctx, patient_id, error.status, problems=error.problems, typed=form)
    return ctx.go(here, "Allowed.")
