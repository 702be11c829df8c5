"""Importing a list of patients with its dry run, progress and refused rows; exporting patients in open
formats.
"""

from __future__ import annotations

from collections.abc import Iterator

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response, StreamingResponse

from zax.core.errors import Mendable, NotFound, ZaxError
from zax.core.record.card import write_csv, write_vcard
from zax.core.record.fhir import bundle_lines
from zax.core.record.importing import AT_WORK, CAN_START, COLUMNS
from zax.desk.record import importing as acts
from zax.desk.record.exporting import cards_of, note_export
from zax.store.listing import Order
from zax.store.record import imports as stored
from zax.web.shell.listing import wanted_of
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
# A form has no more fields (shell/request_context).
MOST_COLUMNS = 600
SHOWN = 12


@router.get("/import")
def show_imports(request: Request) -> Response:
    return imports_page(enter(request, "merge"))


def imports_page(ctx: RequestContext, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        jobs = stored.listed_jobs(connection, wanted_of(ctx.request, Order.NEWEST))
    return ctx.page("record/imports.html", status, jobs=jobs, screen="patients", **more)


@router.post("/import")
def open_import(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "merge")
    try:
        job_id = acts.open_import(ctx.desk, ctx.actor, ctx.shared.files, form["file_name"], form.content)
    except ZaxError as error:
        return imports_page(ctx, error.status, problems=error.problems)
    return ctx.go(f"/import/{job_id}")


@router.get("/import/{job_id}")
def show_import(request: Request, job_id: int) -> Response:
    return import_page(enter(request, "merge"), job_id)


def import_page(ctx: RequestContext, job_id: int, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        job = acts.job_of(connection, job_id)
        refused = stored.rows_of(connection, job_id, "refused", SHOWN)
        known = stored.rows_of(connection, job_id, "known", SHOWN)
    sheet = acts.sheet_of(ctx.shared.files.get(job.digest))
    return ctx.page(
        "record/import.html",
        status,
        job=job,
        sheet=sheet,
        refused=refused,
        known=known,
        columns=COLUMNS,
        running=job.state in AT_WORK,
        may_start=job.state in CAN_START,
        screen="patients",
        **more,
    )


@router.post("/import/{job_id}")
def run_import(request: Request, job_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Dry run, import, or stop; columns come as 'column-0' = field."""
    ctx = enter(request, "merge")
    columns = {
        field: number for number in range(MOST_COLUMNS) if (field := form[f"column-{number}"]) in COLUMNS
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
        lines = acts.refused_lines(connection, ctx.shared.files, job_id)
    note_export(ctx.desk, ctx.actor, "refused rows", "csv")
    headers = {"Content-Disposition": f'attachment; filename="refused-{job_id}.csv"'}
    return StreamingResponse(lines, media_type="text/csv", headers=headers)


@router.get("/export/patients.{kind}")
def export_all(request: Request, kind: str) -> Response:
    """Everybody, as CSV, vCard or FHIR bundle; written while it is read, and on record."""
    ctx = enter(request, "export")
    answer = _export(ctx, kind, None, "patients")
    note_export(ctx.desk, ctx.actor, "all patients", kind)
    return answer


@router.get("/patients/{patient_id}/export.{kind}")
def export_one(request: Request, patient_id: int, kind: str) -> Response:
    ctx = enter(request, "export")
    return ctx.looked(_export(ctx, kind, [patient_id], f"patient-{patient_id}"), patient_id, "export")


def _export(ctx: RequestContext, kind: str, ids: list[int] | None, name: str) -> Response:
    kinds = {"csv": "text/csv", "vcf": "text/vcard", "json": "application/fhir+json"}
    if kind not in kinds:
        raise NotFound("Patients go out as csv, vcf or json.")
    headers = {"Content-Disposition": f'attachment; filename="{name}.{kind}"'}
    return StreamingResponse(_lines(ctx, kind, ids), media_type=kinds[kind], headers=headers)


def _lines(ctx: RequestContext, kind: str, ids: list[int] | None) -> Iterator[str]:
    with ctx.read() as connection:
        cards = cards_of(connection, ctx.clinic, ids, visits=kind == "json")
        if kind == "csv":
            yield from write_csv(cards)
        elif kind == "vcf":
            yield from (write_vcard(card) for card in cards)
        else:
            yield from bundle_lines(cards)
