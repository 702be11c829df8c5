"""A patient's files and photo: taken in, listed, shown in the browser. Content is sent as what it was
recognized as, never as what it was named.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound, Refused
from zax.core.form import Form, Reference
from zax.core.patients.uploads import KINDS, Cut, as_png
from zax.desk.patients import files as acts
from zax.store.engine import Connection
from zax.store.patients.files import files_of
from zax.store.patients.patients import patient_of
from zax.store.patients.records import Patient
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


class NewFile(Form):
    kind: str = ""
    coverage_id: Reference = 0


class CutForm(Form):
    """Quarter turns, and the square to cut out in thousandths of the picture."""

    turns: Reference = 0
    left: Reference = 0
    top: Reference = 0
    side: Reference = 0


# A file is shown by the browser's own viewer and may do nothing else.
SHOWN = {
    "Content-Security-Policy": "default-src 'none'; img-src 'self'; object-src 'self'; frame-ancestors 'self'"
}


@router.get("/patients/{patient_id}/files")
def show_files(request: Request, patient_id: int, coverage: int = 0) -> Response:
    return files_page(enter(request), patient_id, coverage_id=coverage)


def files_page(
    ctx: RequestContext, patient_id: int, status: int = 200, coverage_id: int = 0, **more: object
) -> Response:
    with ctx.read() as connection:
        patient = _patient(connection, patient_id)
        found = files_of(connection, patient_id)
    page = ctx.page(
        "patients/files.html",
        status,
        p=patient,
        files=found,
        kinds=KINDS,
        coverage_id=coverage_id,
        screen="patients",
        **more,
    )
    return ctx.looked(page, patient_id, "files")


def _patient(connection: Connection, patient_id: int) -> Patient:
    row = patient_of(connection, patient_id)
    if row is None:
        raise NotFound("There is no such patient.")
    return row


@router.post("/patients/{patient_id}/files")
def take_in(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "patients")
    sent = form.read(NewFile)
    try:
        acts.keep_file(
            ctx.desk,
            ctx.actor,
            ctx.shared.files,
            patient_id,
            sent.kind,
            form["file_name"],
            form.content,
            sent.coverage_id or None,
        )
    except Mendable as error:
        return files_page(
            ctx, patient_id, error.status, sent.coverage_id, problems=error.problems, typed=form
        )
    return ctx.go(f"/patients/{patient_id}/files", "Saved.")


@router.post("/patients/{patient_id}/files/{file_id}/end")
def take_away(
    request: Request, patient_id: int, file_id: int, form: PostedForm = Depends(posted_form)
) -> Response:
    ctx = enter(request, "patients")
    acts.end_file(ctx.desk, ctx.actor, patient_id, file_id)
    return ctx.go(f"/patients/{patient_id}/files", f"Removed from the list.|{file_id}")


@router.post("/patients/{patient_id}/files/{file_id}/back")
def bring_back(
    request: Request, patient_id: int, file_id: int, form: PostedForm = Depends(posted_form)
) -> Response:
    ctx = enter(request, "patients")
    acts.put_file_back(ctx.desk, ctx.actor, patient_id, file_id)
    return ctx.go(f"/patients/{patient_id}/files", "Back on the list.")


@router.get("/papers/{file_id}")
def show_file(request: Request, file_id: int) -> Response:
    """The file as it is; a TIFF, which browsers do not show, as PNG of its first page."""
    ctx = enter(request)
    with ctx.read() as connection:
        row = acts.one_file(connection, file_id)
    content = ctx.shared.files.get(row.digest)
    media = row.media
    if media == "image/tiff":
        content, media = as_png(content), "image/png"
    ending = media.split("/")[1].replace("jpeg", "jpg")
    headers = SHOWN | {"Content-Disposition": f'inline; filename="file-{row.id}.{ending}"'}
    return ctx.looked(Response(content, media_type=media, headers=headers), row.patient_id, "file")


@router.get("/patients/{patient_id}/photo/{digest}")
def show_photo(request: Request, patient_id: int, digest: str) -> Response:
    """The portrait. Its address changes with it, so a browser may keep it."""
    ctx = enter(request)
    with ctx.read() as connection:
        patient = _patient(connection, patient_id)
    if not patient.photo or not patient.photo.startswith(digest):
        raise NotFound("There is no such photo.")
    headers = SHOWN | {"Cache-Control": "private, max-age=86400"}
    return Response(ctx.shared.files.get(patient.photo), media_type="image/jpeg", headers=headers)


@router.get("/patients/{patient_id}/photo")
def photo_form(request: Request, patient_id: int) -> Response:
    return photo_page(enter(request, "patients"), patient_id)


def photo_page(ctx: RequestContext, patient_id: int, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        patient = _patient(connection, patient_id)
    return ctx.page("patients/photo.html", status, p=patient, screen="patients", **more)


@router.post("/patients/{patient_id}/photo")
def take_photo(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "patients")
    try:
        if not form.content:
            raise Refused("Choose a picture, or take one with the camera.", "photo")
        chosen = form.read(CutForm)
        cut = Cut(turns=chosen.turns, left=chosen.left, top=chosen.top, side=chosen.side or 1000)
        acts.set_photo(ctx.desk, ctx.actor, ctx.shared.files, patient_id, form.content, cut)
    except Mendable as error:
        return photo_page(ctx, patient_id, error.status, problems=error.problems, typed=form)
    return ctx.go(f"/patients/{patient_id}", "Photo saved.")
