"""Importing a list with its dry run, progress and refused rows."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response, StreamingResponse

from zax.core.errors import Mendable
from zax.core.moving.job import AT_WORK, CAN_START, Outcome
from zax.core.people.roles import may
from zax.core.table import table_lines
from zax.desk.moving import jobs as acts
from zax.desk.moving.archives import KEPT, archives_of
from zax.desk.moving.lists import LISTS, list_of
from zax.desk.moving.taking import ListIn
from zax.desk.record.exporting import note_export
from zax.store.listing import Order
from zax.store.moving import imports as stored
from zax.web.shell.listing import wanted_of
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
# A form has no more fields (shell/request_context).
MOST_COLUMNS = 600
SHOWN = 12


@router.get("/import")
def show_imports(request: Request) -> Response:
    return imports_page(enter(request, "merge"))


def lists_for(ctx: RequestContext) -> list[ListIn]:
    """Those that this person may bring."""
    return [each for each in LISTS.values() if may(ctx.actor.role, each.right)]


def imports_page(ctx: RequestContext, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        jobs = stored.listed_jobs(connection, wanted_of(ctx.request, Order.NEWEST))
        archives = archives_of(connection) if may(ctx.actor.role, "audit") else None
    return ctx.page(
        "moving/imports.html",
        status,
        jobs=jobs,
        kinds=lists_for(ctx),
        archives=archives,
        kept_days=KEPT.days,
        list_words={key: each.words for key, each in LISTS.items()},
        wanted=ctx.request.query_params.get("list", "patients"),
        screen="patients",
        **more,
    )


@router.post("/import")
def open_import(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "merge")
    kind = form["list"] or "patients"
    try:
        job_id = acts.open_import(
            ctx.desk, ctx.actor, ctx.shared.files, kind, form["file_name"], form.content
        )
    except Mendable as error:
        return imports_page(ctx, error.status, problems=error.problems, typed=form)
    return ctx.go(f"/import/{job_id}")


@router.get("/import/empty/{key}.csv")
def empty_table(request: Request, key: str) -> Response:
    """The heading of a list, to be filled in with a spreadsheet."""
    ctx = enter(request, "merge")
    heading = list_of(key).columns(ctx.clinic).words.values()
    headers = {"Content-Disposition": f'attachment; filename="{key}.csv"'}
    return StreamingResponse(table_lines(list(heading), []), media_type="text/csv", headers=headers)


@router.get("/import/{job_id}")
def show_import(request: Request, job_id: int) -> Response:
    return import_page(enter(request, "merge"), job_id)


def import_page(ctx: RequestContext, job_id: int, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        job = acts.job_of(connection, job_id)
        rows = {
            outcome: stored.rows_of(connection, job_id, outcome, SHOWN)
            for outcome in (Outcome.REFUSED, Outcome.CHANGED, Outcome.KNOWN)
        }
    wanted = list_of(job.kind)
    enter(ctx.request, wanted.right)
    return ctx.page(
        "moving/import.html",
        status,
        job=job,
        wanted=wanted,
        sheet=acts.sheet_of(ctx.shared.files, job, ctx.clinic),
        rows=rows,
        columns=wanted.columns(ctx.clinic).words,
        running=job.state in AT_WORK,
        may_start=job.state in CAN_START,
        screen="patients",
        **more,
    )


@router.post("/import/{job_id}")
def run_import(request: Request, job_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Dry run, import, or stop; columns come as 'column-0' = field."""
    ctx = enter(request, "merge")
    with ctx.read() as connection:
        known = list_of(acts.job_of(connection, job_id).kind).columns(ctx.clinic).words
    columns = {
        field: number for number in range(MOST_COLUMNS) if (field := form[f"column-{number}"]) in known
    }
    doubled = len([1 for name, field in form.items() if name.startswith("column-") and field]) != len(columns)
    try:
        if form["do"] == "stop":
            acts.drop_import(ctx.desk, ctx.actor, job_id)
        elif doubled:
            return import_page(
                ctx,
                job_id,
                422,
                problems={
                    "columns": "One field is chosen for two columns. Each field can come from only one."
                },
                typed=form,
            )
        else:
            acts.start_import(ctx.desk, ctx.actor, job_id, columns, form["do"] != "import")
    except Mendable as error:
        return import_page(ctx, job_id, error.status, problems=error.problems, typed=form)
    return ctx.go(f"/import/{job_id}")


@router.get("/import/{job_id}/refused.csv")
def refused(request: Request, job_id: int) -> Response:
    ctx = enter(request, "merge")
    with ctx.read() as connection:
        lines = acts.refused_lines(connection, ctx.shared.files, ctx.clinic, job_id)
    note_export(ctx.desk, ctx.actor, "refused rows", "csv")
    headers = {"Content-Disposition": f'attachment; filename="refused-{job_id}.csv"'}
    return StreamingResponse(lines, media_type="text/csv", headers=headers)
