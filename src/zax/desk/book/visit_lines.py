"""The services a booked visit starts with: planned ones that were chosen, the type's own, and what was added
on the form.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from zax.core.book.also import Also, read_also
from zax.core.book.booking import Placed
from zax.core.charges.lines import MOST_DIAGNOSES, TypedLine, check_line
from zax.core.clinic.services import Service
from zax.core.errors import Refused
from zax.desk.acts.transaction import Transaction
from zax.desk.book.fitting_codes import fitting_service, is_new_patient
from zax.desk.book.placing import Spot
from zax.store.book import planned as plans
from zax.store.book.planned import planned_for
from zax.store.book.records import NewLine
from zax.store.charges.lines import add_diagnosis
from zax.store.engine import Connection
from zax.store.money.queries import visit_diagnoses


@dataclass(frozen=True, slots=True)
class _Visit:
    """What every line of a visit shares; `helper` does what is diagnostic."""

    tx: Transaction
    spot: Spot
    helper: int
    new: bool

    def line(
        self,
        service_id: int,
        tooth: str = "",
        surfaces: str = "",
        area: str = "",
        planned_id: int | None = None,
    ) -> NewLine:
        clinic = self.tx.clinic
        number = fitting_service(clinic, service_id, self.new, self.spot.day)
        service = clinic.services[number]
        return NewLine(
            service_id=number,
            tooth=tooth,
            surfaces=surfaces,
            area=area,
            planned_id=planned_id,
            place=clinic.sites[self.spot.site_id].place,
            fee_cents=service.fee_cents,
            provider_id=self.helper if service.category == "diagnostic" else self.spot.provider.id,
            units=service.usual.units,
            modifiers=" ".join(service.usual.modifiers),
            points_to=(service.usual.diagnosis,) if service.usual.diagnosis else (),
        )


def write_lines(
    tx: Transaction,
    visit_id: int,
    patient_id: int,
    spot: Spot,
    placed: Placed,
    planned: Sequence[int],
    also: Sequence[str] = (),
) -> None:
    """A planned service stands for the type's own of the same code, and nothing without a tooth comes
    twice.
    """
    chosen = [row for row in planned_for(tx.connection, patient_id) if row.id in set(planned)]
    planned_ids = {row.service_id for row in chosen}
    helper = next((slot.provider_id for slot in placed.staff if slot.words), spot.provider.id)
    visit = _Visit(tx, spot, helper, is_new_patient(tx.connection, patient_id, spot.kind.dental, spot.day))
    lines = [visit.line(row.service_id, row.tooth, row.surfaces, row.area, row.id) for row in chosen]
    lines += [
        visit.line(number)
        for number in spot.kind.services
        if number not in planned_ids and tx.clinic.services[number].offered(spot.day)
    ]
    for line in _added(visit, also):
        same = [each for each in lines if each.service_id == line.service_id]
        if not any((each.tooth, each.area) == (line.tooth, line.area) for each in same):
            lines.append(line)
    brought = bring_diagnoses(tx.connection, visit_id, [code for line in lines for code in line.points_to])
    lines = [replace(line, points_to=tuple(c for c in line.points_to if c in brought)) for line in lines]
    plans.add_lines(tx.connection, visit_id, lines, tx.now, tx.actor.id)
    if chosen:
        plans.give_planned(tx.connection, [row.id for row in chosen], visit_id)


def bring_diagnoses(connection: Connection, visit_id: int, codes: Sequence[str]) -> list[str]:
    """The diagnoses that services usually come with, on the visit unless it has as many as a claim carries;
    those of them that are on it now.
    """
    wanted = list(dict.fromkeys(filter(None, codes)))
    if not wanted:
        return []
    rows = visit_diagnoses(connection, visit_id)
    there, last = {row.code for row in rows}, max((row.position for row in rows), default=0)
    for code in wanted:
        if code not in there and len(there) < MOST_DIAGNOSES:
            there.add(code)
            last += 1
            add_diagnosis(connection, visit_id, last, code)
    return [code for code in wanted if code in there]


def _added(visit: _Visit, also: Sequence[str]) -> Iterator[NewLine]:
    """What was added on the form, checked as a charge would be; Refused beside it."""
    clinic = visit.tx.clinic
    for added in map(read_also, also):
        if not added.set_id:
            yield _checked(visit, added)
            continue
        chosen = clinic.sets.get(added.set_id)
        if chosen is None or not chosen.active:
            raise Refused("This set isn’t used anymore. Remove it from the visit.", "also")
        for number in chosen.services:
            yield _checked(visit, Also(service_id=number))


def _checked(visit: _Visit, added: Also) -> NewLine:
    service = visit.tx.clinic.find_service(added.service_id)
    _check_kind(visit, service)
    typed = TypedLine("1", added.tooth, added.surfaces, added.area, "")
    try:
        detail = check_line(service.rule.of_what_is_given(typed), typed)
    except Refused as error:
        raise Refused(error.message, "also") from None
    return visit.line(service.id, detail.tooth, detail.surfaces, detail.area)


def _check_kind(visit: _Visit, service: Service) -> None:
    kind = visit.spot.kind
    if service.dental != kind.dental:
        care = "dental" if service.dental else "medical"
        raise Refused(
            f"{service.words} is {care} care, and “{kind.name}” isn’t. Book it as a visit of its own.", "also"
        )
    if not service.offered(visit.spot.day):
        raise Refused(f"{service.words} ({service.code}) isn’t offered on that day anymore.", "also")
