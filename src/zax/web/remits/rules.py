"""What each adjustment of an insurer's answer does: the clinic's own rules before those that ship, each tried
on the last hundred answers before it is kept; and the texts of the letters to payers.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import NotFound, ZaxError
from zax.core.reading import reference
from zax.core.remits.reasons import REASONS
from zax.core.remits.rules import DOES_WORDS, GROUPS, SHIPPED_RULES, AdjustmentRule
from zax.desk.remits import letters, rules
from zax.store.remits.rules import own_rules
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


@router.get("/setup/adjustments")
def show_rules(request: Request) -> Response:
    ctx = enter(request, "setup")
    return _page(ctx, reference(request.query_params.get("rule", "")))


def _page(ctx: RequestContext, rule_id: int = 0, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        own = own_rules(connection)
    opened = next((each for each in own if each.id == rule_id), None)
    if rule_id and opened is None:
        raise NotFound("There is no such rule.")
    return ctx.page(
        "remits/rules.html",
        status,
        own=own,
        opened=opened,
        shipped=SHIPPED_RULES,
        reasons=REASONS,
        groups=GROUPS,
        does_words=DOES_WORDS,
        letters=[(letter, letters.letter_text(ctx.clinic, letter)) for letter in letters.LETTERS.values()],
        screen="setup",
        **({"trial": None, "typing": ""} | more),
    )


@router.post("/setup/adjustments/{rule_id}")
def save_rule(request: Request, rule_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Try it, keep it, or end it."""
    ctx = enter(request, "setup")
    version = reference(form["version"])
    try:
        if form["do"] == "end":
            rules.end_rule(ctx.desk, ctx.actor, rule_id, version)
            return ctx.go("/setup/adjustments", "Back to what ships.")
        rule = _typed(form, rule_id)
        if form["do"] == "try":
            with ctx.read() as connection:
                trial = rules.try_rule(connection, rule)
            return _page(ctx, rule_id, typed=form, trial=trial)
        rules.keep_rule(ctx.desk, ctx.actor, rule_id, version, rule)
    except ZaxError as error:
        if not error.problems:
            raise
        return _page(ctx, rule_id, error.status, problems=error.problems, typed=form)
    return ctx.go("/setup/adjustments", "Saved. It counts from the next answer on.")


def _typed(form: PostedForm, rule_id: int) -> AdjustmentRule:
    return rules.rule_typed(
        rule_id,
        group=form["group"],
        reason=form["reason"].strip(),
        remark=form["remark"].strip(),
        payer_id=reference(form["payer_id"]),
        modifier=form["modifier"].strip(),
        later=form["later"] == "yes",
        does=form["does"],
        asks=form["asks"] == "yes",
    )


@router.post("/setup/letters/{name}")
def save_letter(request: Request, name: str, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    try:
        letters.keep_letter(ctx.desk, ctx.actor, name, form["text"])
    except ZaxError as error:
        if not error.problems:
            raise
        return _page(ctx, 0, error.status, problems=error.problems, typed=form, typing=name)
    return ctx.go("/setup/adjustments", "The letter is saved.")
