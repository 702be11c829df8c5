"""Statements on the screen: one from the account, or a run with its rule, the list before it is made, its
progress, and every one kept.
"""

from __future__ import annotations

from dataclasses import astuple

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound
from zax.core.money.statement import PAPER, Rule, RuleForm, StatementState
from zax.desk.money.statements import make_statement, preview, run_of, start_run, stop_run
from zax.desk.own.statements import print_waiting
from zax.store.listing import Order
from zax.store.money.statements import listed_runs, members_of, statement_of, to_print
from zax.store.patients.patients import household_of
from zax.web.money.documents import statement_pdfs
from zax.web.shell.listing import wanted_of
from zax.web.shell.pdf import joined_pdf
from zax.web.shell.request_context import PostedForm, RequestContext, enter, pdf_answer, posted_form

router = APIRouter()
SHOWN = 200
CHANGED = "You changed who gets one, so here is who it is now. Make them if that’s right."


@router.post("/accounts/{patient_id}/statement")
def one(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """A statement now, for the household or (`who` one) this person; its PDF."""
    ctx = enter(request, "payments")
    with ctx.read() as connection:
        household_id = household_of(connection, patient_id)
    if household_id is None:
        raise NotFound("There is no such patient.")
    number = make_statement(
        ctx.desk,
        ctx.actor,
        statement_pdfs,
        ctx.shared.files,
        household_id,
        patient_id if form["who"] == "one" else None,
    )
    return ctx.go(f"/statements/{number}.pdf")


@router.get("/statements/runs/{run_id}.pdf")
def run_paper(request: Request, run_id: int) -> Response:
    """All statements of a run in one file, for the printer."""
    ctx = enter(request, "statements")
    with ctx.read() as connection:
        _, rows, _ = run_of(connection, run_id)
        people = members_of(connection, {row.household_id for row in rows})
    made = [
        ctx.shared.files.get(row.digest)
        for row in rows
        if row.state == StatementState.MADE and row.way == PAPER
    ]
    if not made:
        raise NotFound("Nothing of this run is to be printed.")
    return ctx.looked_at(pdf_answer(joined_pdf(made), f"statements-{run_id}"), people, "statement")


@router.post("/statements/print")
def print_all(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """What goes on paper and wasn't printed yet, in one file; noted as printed."""
    ctx = enter(request, "statements")
    rows = print_waiting(ctx.desk, ctx.actor)
    if not rows:
        return ctx.go("/statements", "Nothing is to be printed.")
    with ctx.read() as connection:
        people = members_of(connection, {row.household_id for row in rows})
    made = joined_pdf([ctx.shared.files.get(row.digest) for row in rows])
    return ctx.looked_at(pdf_answer(made, "statements-to-print"), people, "statement")


@router.get("/statements/{number}.pdf")
def paper(request: Request, number: int) -> Response:
    """A statement as it was made."""
    ctx = enter(request, "payments")
    with ctx.read() as connection:
        row = statement_of(connection, number)
        if row is None or row.state != StatementState.MADE:
            raise NotFound("There is no such statement.")
        people = [row.patient_id] if row.patient_id else members_of(connection, [row.household_id])
    made = pdf_answer(ctx.shared.files.get(row.digest), f"statement-{number}")
    return ctx.looked_at(made, people, "statement")


@router.get("/statements")
def show(request: Request) -> Response:
    return statements_page(enter(request, "statements"))


def statements_page(
    ctx: RequestContext, status: int = 200, rule: Rule | None = None, **more: object
) -> Response:
    """`rule` None shows the runs that were made; otherwise the list of whom the rule picks."""
    with ctx.read() as connection:
        found = preview(connection, rule, ctx.today) if rule is not None else None
        made = listed_runs(connection, wanted_of(ctx.request, Order.NEWEST))
        waiting = to_print(connection)
    return ctx.page(
        "money/statements.html",
        status,
        rule=rule or Rule(),
        mark=mark_of(rule) if rule else "",
        found=found,
        runs=made,
        waiting=waiting,
        shown=SHOWN,
        screen="money",
        **more,
    )


def mark_of(rule: Rule) -> str:
    """What a rule is known by on the page that shows whom it picks."""
    return " ".join(str(value) for value in astuple(rule))


@router.post("/statements")
def choose(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """Look at whom a rule picks (`do` look), or make them: by the rule that was looked at, none other."""
    ctx = enter(request, "statements")
    try:
        rule = form.read(RuleForm).rule
        if form["do"] != "make":
            return statements_page(ctx, rule=rule, typed=form)
        if form["mark"] != mark_of(rule):
            return statements_page(ctx, 409, rule=rule, typed=form, problems={"": CHANGED})
        run_id = start_run(ctx.desk, ctx.actor, rule)
    except Mendable as error:
        return statements_page(ctx, error.status, problems=error.problems, typed=form)
    return ctx.go(f"/statements/runs/{run_id}")


@router.get("/statements/runs/{run_id}")
def show_run(request: Request, run_id: int) -> Response:
    """A run's progress and its statements."""
    ctx = enter(request, "statements")
    with ctx.read() as connection:
        run, rows, rule = run_of(connection, run_id)
    return ctx.page("money/statement_run.html", run=run, rows=rows, rule=rule, shown=SHOWN, screen="money")


@router.post("/statements/runs/{run_id}/stop")
def stop(request: Request, run_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "statements")
    stop_run(ctx.desk, ctx.actor, run_id)
    return ctx.go(f"/statements/runs/{run_id}", "Stopped. Finished statements are kept.")
