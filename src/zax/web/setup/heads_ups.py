"""Setup of heads-ups: the list, the editor with its groups of conditions, and trying one on a patient before
it is saved.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.arrivals.conditions import PLACE_WORDS, About, HeadsUpSetup, placeholders
from zax.core.errors import NotFound, Refused, ZaxError
from zax.core.form import Form, Reference
from zax.desk.arrivals.heads_ups import HeadsUpForm, Row, choices_of, groups_of, save_headsup, try_on
from zax.store.book import queries as visits
from zax.web.setup.frame import done, setup_page
from zax.web.shell.request_context import PostedForm, RequestContext, enter, form_in, posted_form

router = APIRouter()


class TryOn(Form):
    patient_id: Reference = 0


GROUPS, BLANK_ROWS = 3, 2


@router.get("/setup/headsups")
def show_headsups(request: Request, edit: int = -1) -> Response:
    """The list; `edit` opens one (0 a new one)."""
    return headsups_page(enter(request, "setup"), edit=edit)


def headsups_page(ctx: RequestContext, status: int = 200, edit: int = -1, **more: object) -> Response:
    found: HeadsUpSetup | None = ctx.clinic.headsups.get(edit)
    if edit > 0 and found is None:
        raise NotFound("There is no such heads-up.")
    typed = form_in(more)
    form = (
        form_of(typed)
        if typed is not None and "words" in typed
        else _kept(found)
        if found
        else HeadsUpForm(words="", todo="", places=("arrival",), groups=())
    )
    groups = [[*group, *[Row("")] * BLANK_ROWS] for group in form.groups]
    groups += [[Row("")] * BLANK_ROWS for _ in range(max(1, min(GROUPS, len(groups) + 1) - len(groups)))]
    return setup_page(
        ctx,
        "heads_ups",
        status,
        edit=edit,
        form=form,
        groups=groups,
        choices=choices_of(ctx.clinic),
        places=PLACE_WORDS,
        names=list(placeholders(About())),
        **({"tried": None} | more),
    )


def _kept(found: HeadsUpSetup) -> HeadsUpForm:
    groups, inner, outer = groups_of(found.condition)
    up = found.headsup
    return HeadsUpForm(
        words=up.words,
        todo=up.todo,
        places=tuple(sorted(up.places)),
        groups=groups,
        inner=inner,
        outer=outer,
        warns=up.warns,
        active=found.active,
        version=found.version,
    )


def form_of(form: PostedForm) -> HeadsUpForm:
    """The heads-up as typed; rows come as lists, each with its group's number."""
    get = form.all.get
    rows = zip(get("group", []), get("what", []), get("value", []), get("negated", []), strict=False)
    groups: dict[str, list[Row]] = {}
    for group, what, value, negated in rows:
        if what:
            groups.setdefault(group, []).append(Row(what, value, negated == "yes"))
    return form.read(
        HeadsUpForm, groups=[groups[number] for number in sorted(groups)], inner="all", outer="any"
    )


@router.post("/setup/headsups/{headsup_id}")
def store_headsup(request: Request, headsup_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Save it; or, with “try”, show what it would say for a patient."""
    ctx = enter(request, "setup")
    if form["do"] == "try":
        return _try(ctx, headsup_id, form)
    return done(
        ctx,
        form,
        lambda: save_headsup(ctx.desk, ctx.actor, headsup_id, form_of(form)),
        lambda status, more: headsups_page(ctx, status, headsup_id, **more),
        "/setup/headsups",
        "Heads-up saved.",
    )


def _try(ctx: RequestContext, headsup_id: int, form: PostedForm) -> Response:
    try:
        patient_id = form.read(TryOn).patient_id
        with ctx.read() as connection:
            person = visits.person(connection, patient_id)
            if person is None:
                raise Refused("Choose a patient to try it on.", "try")
            shown = try_on(connection, ctx.clinic, form_of(form), patient_id, ctx.today)
    except ZaxError as error:
        return headsups_page(ctx, error.status, headsup_id, typed=form, problems=error.problems)
    return headsups_page(ctx, 200, headsup_id, typed=form, tried={"person": person, "shown": shown})
