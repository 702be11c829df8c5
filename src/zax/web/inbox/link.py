"""The page behind the link of a message, for a phone held in one hand: the visit, and two buttons. No
sign-in.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import HTMLResponse, Response

from zax.core.errors import NotFound, Refused
from zax.core.messages.language import Language, day_in
from zax.core.wording import clock_words, phone_words
from zax.desk.inbox.link import GONE, LinkPage, open_link, press
from zax.store.book.records import Visit
from zax.web.shell.request_context import PostedForm, Shared, csrf_of, open_form
from zax.web.shell.square_code import inline_code

router = APIRouter()
_WORDS = {
    Language.ENGLISH: {
        "yours": "Your visit",
        "with": "with",
        "yes": "I’ll be there",
        "no": "I can’t come: cancel it",
        "confirmed": "You’re confirmed. See you then!",
        "canceled": "It’s canceled. For another time please call us.",
        "change": "To change it, call",
        "gone": GONE,
        "code": "Checking in at our tablet? Hold this up to its reader.",
        "late": "It’s too close to your visit to cancel it here. Please call us.",
    },
    Language.SPANISH: {
        "yours": "Su cita",
        "with": "con",
        "yes": "Ahí estaré",
        "no": "No puedo ir: cancelarla",
        "confirmed": "Queda confirmada. ¡Nos vemos!",
        "canceled": "Queda cancelada. Para otra hora, por favor llámenos.",
        "change": "Para cambiarla, llame al",
        "gone": "Este enlace ya no funciona. Por favor llámenos.",
        "code": "¿Se registra en nuestra tableta? Acerque este código al lector.",
        "late": "Falta muy poco para su cita; no se puede cancelar aquí. Por favor llámenos.",
    },
}


def _page(request: Request, link: str, status: int = 200, said: str = "") -> Response:
    shared: Shared = request.app.state.shared
    clinic = shared.desk.clinic
    found: LinkPage | None = None
    try:
        found = open_link(shared.desk, link)
    except NotFound:
        status = status if said else 404
    language = Language(found.message.language) if found else Language.ENGLISH
    words = _WORDS[language]
    site = clinic.sites[found.visits[0].site_id] if found else clinic.first_site
    html = shared.templates.get_template("inbox/link.html").render(
        clinic_name=clinic.about["clinic_name"],
        phone=phone_words(site.phone),
        dial=site.phone,
        words=words,
        language=language,
        found=found,
        visits=[_shown(shared, visit, language) for visit in found.visits] if found else [],
        said=words.get(said, said) or ("" if found else words["gone"]),
        csrf=csrf_of(request),
        link=link,
        code=inline_code(str(request.url_for("visit_link", link=link))) if found and found.at_tablet else "",
        site=site,
    )
    return HTMLResponse(html, status)


def _shown(shared: Shared, visit: Visit, language: Language) -> dict[str, str]:
    site = shared.desk.clinic.sites[visit.site_id]
    return {
        "day": day_in(visit.day, language),
        "time": clock_words(visit.start_min),
        "who": shared.desk.clinic.providers[visit.provider_id].name,
        "first": visit.first,
        "where": f"{site.name}, {site.address[0]}",
    }


@router.get("/v/{link}", name="visit_link")
def show(request: Request, link: str) -> Response:
    return _page(request, link)


@router.post("/v/{link}")
def pressed(request: Request, link: str, form: PostedForm = Depends(open_form)) -> Response:
    shared: Shared = request.app.state.shared
    try:
        said = press(shared.desk, link, form["what"])
    except NotFound:
        return _page(request, link, 404)
    except Refused as error:
        return _page(request, link, error.status, "late" if form["what"] == "no" else error.message)
    return _page(request, link, 200, said)
