"""The frame of the patients' own pages: the clinic's letterhead, their language, the secret of their
browser.
"""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from dataclasses import dataclass, replace
from urllib.parse import urlencode

from fastapi import Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from zax.core.messages.language import Language
from zax.core.wording import phone_words
from zax.desk.acts.transaction import Desk
from zax.desk.online.codes import Browser
from zax.web.online.words import words_in
from zax.web.shell.request_context import MOST_BYTES, PostedForm, Shared, csrf_of, open_form

DEVICE = "device"


@dataclass(frozen=True, slots=True)
class Visitor:
    """Somebody at a page without signing in."""

    request: Request
    shared: Shared
    language: Language

    @property
    def desk(self) -> Desk:
        return self.shared.desk

    @property
    def device(self) -> str:
        """The secret of this browser, made when it is first needed."""
        session = self.request.session
        if DEVICE not in session:
            session[DEVICE] = secrets.token_urlsafe(18)
        return str(session[DEVICE])

    @property
    def address(self) -> str:
        """Where they come from, as the server sees it."""
        return self.request.client.host if self.request.client else ""

    @property
    def base(self) -> str:
        """Our own address, as this browser reached it."""
        url = self.request.url
        return f"{'https' if self.shared.settings.tls else url.scheme}://{url.netloc}"

    @property
    def browser(self) -> Browser:
        """What a code is bound to."""
        return Browser(self.shared.secrets, self.device, self.address)

    @property
    def words(self) -> dict[str, str]:
        return words_in(self.language)

    def speaking(self, language: Language) -> Visitor:
        """The same in another language, where they haven't chosen one."""
        return replace(self, language=language)

    def page(self, template: str, status: int = 200, **values: object) -> Response:
        clinic = self.desk.clinic
        site = values.pop("site", None) or clinic.first_site
        html = self.shared.templates.get_template(template).render(
            clinic=clinic,
            clinic_name=clinic.about["clinic_name"],
            site=site,
            language=self.language,
            other=self.other(),
            csrf=csrf_of(self.request),
            **({"problems": {}, "typed": {}, "words": self.words} | values),
        )
        return HTMLResponse(html, status)

    def other(self) -> str:
        """This page in the other language."""
        query = dict(self.request.query_params)
        query["lang"] = "en" if self.language is Language.SPANISH else "es"
        return f"{self.request.url.path}?{urlencode(query)}"

    def go(self, to: str) -> Response:
        return RedirectResponse(to, 303)

    @property
    def phone(self) -> str:
        return phone_words(self.desk.clinic.first_site.phone)


@dataclass(frozen=True, slots=True)
class CardForm:
    """A page's form with the photos that came along, by field."""

    fields: PostedForm
    photos: Mapping[str, bytes]


async def card_form(request: Request) -> CardForm:
    """Like `open_form`, with up to two files."""
    form = await request.form(max_files=2, max_fields=200)
    photos = {
        name: await value.read(MOST_BYTES + 1)
        for name, value in form.multi_items()
        if not isinstance(value, str) and value.filename
    }
    return CardForm(await open_form(request), photos)


def visitor(request: Request) -> Visitor:
    """Their language is the one chosen last, else the browser's first."""
    shared: Shared = request.app.state.shared
    chosen = request.query_params.get("lang", "")
    if chosen in list(Language):
        request.session["lang"] = chosen
    kept = str(request.session.get("lang", ""))
    spoken = request.headers.get("accept-language", "")[:2].lower()
    language = next((each for each in (kept, spoken) if each in list(Language)), Language.ENGLISH)
    return Visitor(request, shared, Language(language))
