"""The page behind a paper's link, without signing in: it asks for the birth date, then shows the paper."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import HTMLResponse, Response

from zax.core.errors import Mendable, NotFound
from zax.core.messages.language import Language
from zax.core.wording import phone_words
from zax.desk.papers.opening import GONE, Behind, behind, open_paper
from zax.web.shell.request_context import PostedForm, Shared, csrf_of, open_form, pdf_answer

router = APIRouter()
_WORDS = {
    Language.ENGLISH: {
        "head": "A paper for you",
        "birth": "Birth date of {first}",
        "hint": "month/day/year",
        "open": "Open it",
        "call": "Questions? Call",
        "gone": GONE,
        "wrong": "",
    },
    Language.SPANISH: {
        "head": "Un documento para usted",
        "birth": "Fecha de nacimiento de {first}",
        "hint": "mes/día/año",
        "open": "Abrirlo",
        "call": "¿Preguntas? Llame al",
        "gone": "Este enlace ya no funciona. Por favor llámenos.",
        "wrong": "Esa no es la fecha que tenemos. Por favor revísela.",
    },
}


@router.get("/p/{link}")
def show(request: Request, link: str) -> Response:
    return _page(request, link)


@router.post("/p/{link}")
def open_it(request: Request, link: str, form: PostedForm = Depends(open_form)) -> Response:
    shared: Shared = request.app.state.shared
    try:
        name, content = open_paper(shared.desk, shared.files, link, form["birth"])
    except NotFound:
        return _page(request, link, 404)
    except Mendable as error:
        return _page(request, link, error.status, error.message, form["birth"])
    return pdf_answer(content, "-".join(name.lower().split()))


def _page(request: Request, link: str, status: int = 200, wrong: str = "", typed: str = "") -> Response:
    shared: Shared = request.app.state.shared
    clinic, found = shared.desk.clinic, None
    try:
        found = behind(shared.desk, link)
    except NotFound:
        status = 404
    words = _WORDS[_language(found)]
    html = shared.templates.get_template("papers/open.html").render(
        clinic_name=clinic.about["clinic_name"],
        phone=phone_words(clinic.first_site.phone),
        dial=clinic.first_site.phone,
        words=words,
        language=_language(found),
        found=found,
        wrong=(words["wrong"] or wrong) if wrong else "",
        typed=typed,
        csrf=csrf_of(request),
        link=link,
    )
    return HTMLResponse(html, status)


def _language(found: Behind | None) -> Language:
    return Language(found.message.language) if found else Language.ENGLISH
