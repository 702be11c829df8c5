"""Statements on the screen: one from the account, or a run with its rule, the list before it is made, its progress, and every one kept."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response
from sqlalchemy import select

from zax.core.errors import Mendable, NotFound
from zax.core.money.statement import Rule, check_rule
from zax.desk.statements import make_statement, preview, run_of, runs, start_run, stop_run
from zax.store import schema
from zax.web.here import Here, Typed, enter, pdf_answer, typed_form
from zax.web.papers import joined_pdf, statement_pdfs

router = APIRouter()
SHOWN = 200


@router.post("/accounts/{patient_id}/statement")
def one(request: Request, patient_id: int, form: Typed = Depends(typed_form)) -> Response:
    """A statement now, for the household or (`who` one) this person; its PDF."""
    here = enter(request, "payments")
    with here.read() as connection:
        row = connection.execute(
            select(schema.patient.c.household_id).where(schema.patient.c.id == patient_id)
        ).first()
    if row is None:
        raise NotFound("There is no such patient.")
    number = make_statement(
        here.desk, here.actor, statement_pdfs, here.shared.files, row.household_id, patient_id if form["who"] == "one" else None
    )  # fmt: skip
    return here.go(f"/statements/{number}.pdf")


@router.get("/statements/runs/{run_id}.pdf")
def run_paper(request: Request, run_id: int) -> Response:
    """All statements of a run in one file, for the printer."""
    here = enter(request, "statements")
    with here.read() as connection:
        _, rows, _ = run_of(connection, run_id)
    made = [here.shared.files.get(row.digest) for row in rows if row.state == "made"]
    if not made:
        raise NotFound("Nothing of this run is made yet.")
    return pdf_answer(joined_pdf(made), f"statements-{run_id}")


@router.get("/statements/{number}.pdf")
def paper(request: Request, number: int) -> Response:
    """A statement as it was made."""
    here = enter(request, "payments")
    with here.read() as connection:
        row = connection.execute(
            select(schema.statement).where(schema.statement.c.id == number, schema.statement.c.state == "made")
        ).first()
    if row is None:
        raise NotFound("There is no such statement.")
    return pdf_answer(here.shared.files.get(row.digest), f"statement-{number}")


@router.get("/statements")
def show(request: Request) -> Response:
    return statements_page(enter(request, "statements"))


def statements_page(here: Here, status: int = 200, rule: Rule | None = None, **more: Any) -> Response:
    """`rule` None shows the runs that were made; otherwise the list of whom the rule picks."""
    with here.read() as connection:
        found = preview(connection, rule, here.today) if rule is not None else None
        made = runs(connection)
    return here.page(
        "statements.html", status, rule=rule or Rule(), found=found, runs=made, shown=SHOWN, screen="money", **more
    )


@router.post("/statements")
def choose(request: Request, form: Typed = Depends(typed_form)) -> Response:
    """Look at whom a rule picks (`do` look), or make them."""
    here = enter(request, "statements")
    try:
        rule = check_rule(
            form["minimum"],
            form["days"],
            form.numbers("without"),
            form["answered"] == "yes",
            form["interest"] == "yes",
        )
        if form["do"] != "make":
            return statements_page(here, rule=rule, typed=form)
        run_id = start_run(here.desk, here.actor, rule)
    except Mendable as error:
        return statements_page(here, error.status, problems=error.problems, typed=form)
    return here.go(f"/statements/runs/{run_id}")


@router.get("/statements/runs/{run_id}")
def show_run(request: Request, run_id: int) -> Response:
    """A run's progress and its statements."""
    here = enter(request, "statements")
    with here.read() as connection:
        run, rows, rule = run_of(connection, run_id)
    return here.page("statement_run.html", run=run, rows=rows, rule=rule, shown=SHOWN, screen="money")


@router.post("/statements/runs/{run_id}/stop")
def stop(request: Request, run_id: int, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "statements")
    stop_run(here.desk, here.actor, run_id)
    return here.go(f"/statements/runs/{run_id}", "Stopped. What was made is kept.")
