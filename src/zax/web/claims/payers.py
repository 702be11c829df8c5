"""What the biller knows of payers: in how many days each answers, and what it wants of its claims besides the
guides.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.claims.payer_rules import CONDITION_WORDS, FIELD_WORDS
from zax.core.claims.stock.printing import FORM_NAMES
from zax.core.claims.worklist import USUAL_DAYS
from zax.core.errors import ZaxError
from zax.core.reading import reference
from zax.desk.claims.habits import ClaimHabitsForm, claim_habits, save_claim_habits
from zax.desk.claims.norms import set_norm
from zax.desk.claims.rule_trial import try_rule
from zax.desk.claims.rules import read_rule, save_rule
from zax.store.claims.rules import rule, rules
from zax.store.claims.worklist import norms
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
STRENGTHS = {"stop": "stops the claim", "odd": "looks odd"}


@router.get("/claims/payers")
def show_payers(request: Request) -> Response:
    return payers_page(enter(request, "claims"), reference(request.query_params.get("rule", "")))


def payers_page(ctx: RequestContext, rule_id: int = 0, status: int = 200, **more: object) -> Response:
    """`rule_id` is the rule whose boxes are open; 0 a new one."""
    with ctx.read() as connection:
        known, every, open_rule = norms(connection), rules(connection), rule(connection, rule_id)
    return ctx.page(
        "claims/payers.html",
        status,
        norms=known,
        rules=every,
        open_rule=open_rule,
        fields=FIELD_WORDS,
        conditions=CONDITION_WORDS,
        strengths=STRENGTHS,
        usual=USUAL_DAYS,
        habits=claim_habits(ctx.clinic),
        form_names=FORM_NAMES,
        screen="claims",
        **more,
    )


@router.post("/claims/habits")
def store_habits(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "claims")
    try:
        save_claim_habits(ctx.desk, ctx.actor, form.read(ClaimHabitsForm))
    except ZaxError as error:
        if not error.problems:
            raise
        return payers_page(ctx, 0, error.status, problems=error.problems, typed=form)
    return ctx.go("/claims/payers", "Saved.")


@router.post("/claims/payers/{payer_id}/norm")
def store_norm(request: Request, payer_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "claims")
    try:
        set_norm(ctx.desk, ctx.actor, payer_id, form["days"])
    except ZaxError as error:
        if not error.problems:
            raise
        return payers_page(ctx, 0, error.status, problems=error.problems, typed=form, about=payer_id)
    return ctx.go("/claims/payers", "Saved.")


@router.post("/claims/rules/{rule_id}")
def store_rule(request: Request, rule_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Saved, or only tried on a claim first."""
    ctx = enter(request, "claims")
    try:
        if form["do"] == "try":
            with ctx.read() as connection:
                found = try_rule(connection, ctx.clinic, read_rule(form), form["claim"], ctx.today)
            return payers_page(ctx, rule_id, typed=form, tried=found)
        save_rule(ctx.desk, ctx.actor, rule_id, form)
    except ZaxError as error:
        if not error.problems:
            raise
        return payers_page(ctx, rule_id, error.status, problems=error.problems, typed=form)
    return ctx.go("/claims/payers", "Rule saved. Claims are checked by it from now on.")
