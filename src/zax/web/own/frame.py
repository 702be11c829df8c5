"""Who is signed in on a patient's own page, for whom they look, and how its pages are made."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from fastapi import Request
from fastapi.responses import Response

from zax.clock import local
from zax.desk.own.signing_in import Own, signed_in
from zax.store.patients.records import Patient
from zax.web.online.frame import Visitor, visitor
from zax.web.own.words import words_in

SECRET, FOR = "own", "own_for"


class OwnSignInNeeded(Exception):
    """Nobody is signed in on their own page."""


@dataclass(frozen=True, slots=True)
class OwnPage:
    """One request of somebody who is signed in; `person` is for whom they look."""

    at: Visitor
    own: Own
    person: Patient

    @property
    def words(self) -> dict[str, str]:
        return words_in(self.at.language)

    @property
    def today(self) -> date:
        desk = self.at.desk
        return local(desk.clock.now(), desk.clinic.first_site.timezone).date()

    @property
    def payer(self) -> Patient:
        """Whose account is shown: money is always theirs who is signed in."""
        return self.own.patient

    def page(self, template: str, status: int = 200, **values: object) -> Response:
        said = self.at.request.session.pop("own_said", None) if status == 200 else None
        return self.at.page(
            template,
            status,
            **(
                {
                    "words": self.words,
                    "own": self.own,
                    "person": self.person,
                    "said": said,
                    "today": self.today,
                }
                | values
            ),
        )

    def go(self, to: str, said: str = "") -> Response:
        if said:
            self.at.request.session["own_said"] = said
        return self.at.go(to)


def enter_own(request: Request) -> OwnPage:
    """Whoever is signed in; everybody else goes to the sign-in first."""
    at = visitor(request)
    secret = request.session.get(SECRET)
    own = signed_in(at.desk, at.browser, secret) if isinstance(secret, str) else None
    if own is None:
        request.session.pop(SECRET, None)
        request.session.pop(FOR, None)
        raise OwnSignInNeeded
    chosen = request.session.get(FOR)
    person = next((each for each in own.people if each.id == chosen), own.patient)
    return OwnPage(at, own, person)


def own_page(at: Visitor, template: str, status: int = 200, **values: object) -> Response:
    """A page of the sign-in, for whoever isn't yet."""
    more: Mapping[str, object] = {"words": words_in(at.language), "own": None, "said": None} | values
    return at.page(template, status, **more)
