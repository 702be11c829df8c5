"""Papers about one visit, and the list of a day."""

from __future__ import annotations

from datetime import date

from zax.clock import local
from zax.core.book.track import FREES_THE_TIME
from zax.core.charges.lines import LETTERS, PLACES, pointed
from zax.core.charges.teeth import AREAS
from zax.core.errors import NotFound, Refused
from zax.core.money.tender import PaymentState
from zax.desk.acts.transaction import Desk
from zax.desk.day.book_views import book_view
from zax.desk.day.visit_sheet import sheet_of
from zax.desk.money.posting import tender_words
from zax.store.engine import Connection
from zax.store.money import queries as money
from zax.store.money.payments import payments_for_visit
from zax.store.money.records import ServiceLine, VisitPayment
from zax.store.patients.patients import known_patient
from zax.web.shell.pdf import paper


def _of_visit(desk: Desk, visit_id: int, template: str, **more: object) -> bytes:
    """A paper about one visit. `payments` are those taken, each with what of it was for this
    visit (`here`).
    """
    with desk.engine.connect() as connection:
        sheet = sheet_of(connection, desk.clinic, desk.clock.now(), visit_id)
        payments = _paid_for(connection, visit_id)
        patient = known_patient(connection, sheet.visit.patient_id)
    site = desk.clinic.sites[sheet.visit.site_id]
    return paper(
        template,
        sheet=sheet,
        patient=patient,
        payments=payments,
        site=site,
        about=desk.clinic.about,
        tender_words=tender_words,
        clinic=desk.clinic,
        services=desk.clinic.services,
        printed=local(desk.clock.now(), site.timezone),
        areas=AREAS,
        **more,
    )


def _paid_for(connection: Connection, visit_id: int) -> list[VisitPayment]:
    return [each for each in payments_for_visit(connection, visit_id) if each.state == PaymentState.TAKEN]


def visit_receipt_pdf(desk: Desk, visit_id: int) -> bytes:
    """The receipt of a visit's payments; NotFound when nothing was paid."""
    with desk.engine.connect() as connection:
        if not _paid_for(connection, visit_id):
            raise NotFound("Nothing was paid for this visit yet, so there’s no receipt.")
    return _of_visit(desk, visit_id, "day/papers/visit_receipt.html")


def itemized_pdf(desk: Desk, visit_id: int) -> bytes:
    """The bill line by line: fee, what the contract forgives, what the plan should pay and why, what the
    patient pays.
    """
    return _of_visit(desk, visit_id, "day/papers/itemized.html")


def summary_pdf(desk: Desk, visit_id: int) -> bytes:
    """The visit for the patient's own insurer: diagnoses, codes, modifiers, place, who did it with NPI, the
    clinic's tax id.
    """
    with desk.engine.connect() as connection:
        diagnoses = money.visit_diagnoses(connection, visit_id)
    codes = [row.code for row in diagnoses]

    def letters(line: ServiceLine) -> str:
        return "".join(LETTERS[n - 1] for n in pointed(line.points_to, codes))

    return _of_visit(
        desk,
        visit_id,
        "day/papers/summary.html",
        letters=letters,
        names=LETTERS,
        places=PLACES,
        diagnoses=diagnoses,
    )


def attendance_pdf(desk: Desk, visit_id: int) -> bytes:
    """A letter that the patient was here from when to when; Refused for somebody who was not."""
    with desk.engine.connect() as connection:
        sheet = sheet_of(connection, desk.clinic, desk.clock.now(), visit_id)
    zone = desk.clinic.sites[sheet.visit.site_id].timezone
    times = {row.to_stop: local(row.at, zone) for row in sheet.history if row.to_stop in {"here", "checkout"}}
    if "here" not in times:
        raise Refused(
            f"{sheet.visit.first} {sheet.visit.last} wasn’t checked in, so there’s nothing to confirm."
        )
    until = times.get("checkout", local(desk.clock.now(), zone))
    return _of_visit(desk, visit_id, "day/papers/attendance.html", came=times["here"], until=until)


def day_list_pdf(desk: Desk, sites: tuple[int, ...], day: date) -> bytes:
    """Every visit of the day by provider and time, for the wall or for a day without power."""
    with desk.engine.connect() as connection:
        view = book_view(connection, desk.clinic, desk.clock.now(), sites, day, "provider")
    first = desk.clinic.sites[sites[0]]
    printed = local(desk.clock.now(), first.timezone)
    names = ", ".join(desk.clinic.sites[number].name for number in sites)
    return paper(
        "day/papers/day_list.html",
        view=view,
        site=first,
        names=names,
        about=desk.clinic.about,
        printed=printed,
        closed=FREES_THE_TIME,
    )
