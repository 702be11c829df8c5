"""Patients on their way out, in open formats: everybody, or one."""

from __future__ import annotations

from collections.abc import Iterator

from fastapi import APIRouter, Request
from fastapi.responses import Response, StreamingResponse

from zax.core.errors import NotFound
from zax.core.record.card import write_csv, write_vcard
from zax.core.record.fhir import bundle_lines
from zax.desk.record.exporting import cards_of, note_export, own_names
from zax.web.shell.request_context import RequestContext, enter

router = APIRouter()


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
            yield from write_csv(cards, own_names(ctx.clinic))
        elif kind == "vcf":
            yield from (write_vcard(card) for card in cards)
        else:
            yield from bundle_lines(cards)
