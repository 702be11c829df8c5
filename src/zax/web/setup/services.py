"""Setup of services: the clinic’s own list with its fees, each with what a line of it must name."""

from __future__ import annotations

from datetime import date

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.charges.new_service import DONE_ON, MOST_SURFACES
from zax.core.charges.teeth import TEETH_WORDS
from zax.core.charges.usual import DRUG_UNITS, TypedUsual, Usual
from zax.core.claims.procedures import is_lab
from zax.core.clinic.identity import PROVIDER_TAXONOMIES
from zax.core.coverage.benefits import CATEGORY_WORDS, DENTAL_CATEGORIES, MEDICAL_CATEGORIES
from zax.core.errors import Mendable, NotFound
from zax.core.reading import optional_day, reference
from zax.core.wording import day_words
from zax.desk.setup.planned_fees import drop_planned, plan_fees, planned_by_day
from zax.desk.setup.services import ServiceForm, save_service, set_fees
from zax.web.setup.frame import setup_page
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
PAGE = "/setup/services"


@router.get(PAGE)
def show_services(request: Request, one: int = 0, add: int = 0) -> Response:
    return _page(enter(request, "plans"), one, bool(add))


def _page(
    ctx: RequestContext, one: int = 0, adding: bool = False, status: int = 200, **more: object
) -> Response:
    chosen = ctx.clinic.services.get(one)
    if one and chosen is None:
        raise NotFound("There is no such service.")
    with ctx.read() as connection:
        planned = planned_by_day(connection)
    rows = sorted(
        ctx.clinic.services.values(), key=lambda s: (not s.dental, not s.offered(ctx.today), s.code)
    )
    return setup_page(
        ctx,
        "services",
        status,
        services=rows,
        chosen=chosen,
        planned=planned,
        adding=adding,
        category_words=CATEGORY_WORDS,
        dental_categories=DENTAL_CATEGORIES,
        medical_categories=MEDICAL_CATEGORIES,
        done_on=DONE_ON,
        most_surfaces=MOST_SURFACES,
        teeth_words=TEETH_WORDS,
        usual=TypedUsual.of(chosen.usual if chosen else Usual()),
        drug_units=DRUG_UNITS,
        taxonomies=PROVIDER_TAXONOMIES,
        lab_by_code=chosen is not None and is_lab(chosen.code),
        **({"form": ""} | more),
    )


@router.post(f"{PAGE}/fees")
def store_fees(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "plans")
    fees = {
        reference(name.removeprefix("fee-")): text for name, text in form.items() if name.startswith("fee-")
    }
    try:
        day = optional_day(form["from_day"], "from_day", "That isn’t a day.")
        changed = plan_fees(ctx.desk, ctx.actor, fees, day) if day else set_fees(ctx.desk, ctx.actor, fees)
    except Mendable as error:
        return _page(ctx, status=error.status, problems=error.problems, typed=form, form="fees")
    count = f"{changed} fee{'s' if changed > 1 else ''}"
    said = f"{count} will change on {day_words(day, year=True)}." if day else f"{count} changed."
    return ctx.go(PAGE, said if changed else "No fee was changed.")


@router.post(f"{PAGE}/planned/{{day}}")
def drop_fees(request: Request, day: date, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "plans")
    count = drop_planned(ctx.desk, ctx.actor, day)
    return ctx.go(PAGE, f"Dropped: {count} fee{'s stay' if count > 1 else ' stays'} as before.")


@router.post(f"{PAGE}/{{one}}")
def store_service(request: Request, one: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "plans")
    try:
        save_service(ctx.desk, ctx.actor, one, form.read(ServiceForm))
    except Mendable as error:
        return _page(ctx, one, not one, error.status, problems=error.problems, typed=form, form="service")
    return ctx.go(PAGE, "Saved.")
