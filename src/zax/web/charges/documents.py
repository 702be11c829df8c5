"""Planned work as paper: signed, or to take home."""

from __future__ import annotations

from zax.clock import local
from zax.core.charges.teeth import AREAS
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.forms import Signed
from zax.desk.charges.treatment_options import proposal_of
from zax.web.arrivals.documents import signed_document
from zax.web.shell.pdf import paper


def proposal_paper(signed: Signed) -> bytes:
    """The signed option of planned work with its costs on that day."""
    return signed_document("charges/papers/treatment_options.html", signed, areas=AREAS)


def plan_pdf(desk: Desk, proposal_id: int) -> bytes:
    """Planned work for the patient to take home: every option with its phases and costs."""
    with desk.engine.connect() as connection:
        shown = proposal_of(connection, desk.clinic, proposal_id, desk.clock.now())
    site = desk.clinic.first_site
    return paper(
        "charges/papers/treatment_options.html",
        s=None,
        paths=[],
        shown=shown,
        option=None,
        services=desk.clinic.services,
        about=desk.clinic.about,
        site=site,
        printed=local(desk.clock.now(), site.timezone),
        clinic=desk.clinic,
        areas=AREAS,
    )
