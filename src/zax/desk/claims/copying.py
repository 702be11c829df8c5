"""An earlier claim again for other days: the same services at today's fees, with everything that still holds,
charged and billed in one act; once, or as a series such as every week.

Each copy is a visit entered afterwards. A day on which one of the services is charged already is refused, so
that nothing is billed twice; what did not carry over stands in the copy's life.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Annotated

from zax.core.book.series import series_days
from zax.core.book.track import Stop
from zax.core.claims.carried import carried_of
from zax.core.claims.copying import what_holds
from zax.core.errors import Refused
from zax.core.form import Form, Reference, a_day
from zax.core.wording import day_words, dollars
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.track import locked_visit, step
from zax.desk.charges.afterwards import start_afterwards
from zax.desk.claims.claims import add_event, locked_claim, visit_of
from zax.desk.claims.making import make_claims
from zax.desk.money.ledger import post_charges, settle_visit
from zax.desk.patients.details import locked_patient
from zax.store.book.records import Visit
from zax.store.charges import lines as charged
from zax.store.claims.claims import ClaimRow
from zax.store.coverage.queries import done_lines
from zax.store.money import queries as money
from zax.store.money.records import ClaimedLine


class CopyForm(Form):
    """The first day, and how often every so many weeks."""

    day: Annotated[date, a_day("On which day was it done again?")]
    every: Reference = 1
    times: Reference = 1


@dataclass(frozen=True, slots=True)
class Copied:
    """The claims that were made, and what did not carry over, in words; empty for nothing."""

    claims: tuple[int, ...]
    visits: tuple[int, ...]
    left_behind: tuple[str, ...]


@act("claims")
def copy_claim(tx: Transaction, claim_id: int, form: CopyForm) -> Copied:
    """Refused for a day to come, and for one that has one of the services already."""
    row = locked_claim(tx, claim_id)
    visit = visit_of(tx, row)
    locked_patient(tx, visit.patient_id)  # so that of two who copy to one day the second sees the first
    lines = money.claim_lines(tx.connection, row.id)
    days = series_days(form.day, form.every, "weeks", form.times)
    for day in days:
        _refuse_twice(tx, visit, lines, day)
    made = [_copy_to(tx, row, visit, lines, day) for day in days]
    return Copied(
        tuple(claim for each in made for claim in each.claims),
        tuple(number for each in made for number in each.visits),
        tuple(dict.fromkeys(words for each in made for words in each.left_behind)),
    )


def _refuse_twice(tx: Transaction, visit: Visit, lines: Sequence[ClaimedLine], day: date) -> None:
    dental = tx.clinic.types[visit.type_id].dental
    done = [each for each in done_lines(tx.connection, [visit.patient_id], dental, day, 0) if each.day == day]
    there = {(each.code, each.tooth, each.area) for each in done}
    for line in lines:
        code = tx.clinic.services[line.service_id].code
        if (code, line.tooth, line.area) in there:
            raise Refused(f"{code} is charged for {day_words(day, year=True)} already.", "day")


def _copy_to(
    tx: Transaction, row: ClaimRow, earlier: Visit, lines: Sequence[ClaimedLine], day: date
) -> Copied:
    provider = tx.clinic.providers[earlier.provider_id]
    visit_id = start_afterwards(tx, earlier.patient_id, earlier.site_id, provider, day)
    diagnoses = [each.code for each in money.visit_diagnoses(tx.connection, earlier.id)]
    charged.set_diagnoses(tx.connection, visit_id, diagnoses)
    numbers: dict[str, str] = {}
    left: list[str] = []
    for line in lines:
        service = tx.clinic.services[line.service_id]
        if not service.offered(day):
            left.append(f"{service.code}, which isn’t used anymore")
            continue
        if service.fee_cents != line.fee_cents:
            left.append(f"the earlier fee of {service.code}: it is {dollars(service.fee_cents)} now")
        numbers[f"L{line.id}"] = f"L{_copy_line(tx, visit_id, line, service.fee_cents)}"
    visit = locked_visit(tx, visit_id)
    bill = post_charges(tx, visit)
    step(tx, visit, Stop.LEFT)
    holds = what_holds(carried_of(row.carried), numbers)
    claims = make_claims(tx, visit, bill, holds.carried)
    settle_visit(tx, locked_visit(tx, visit_id))
    if not claims:
        left.append(f"the plan: none pays for {day_words(day, year=True)}")
    left += holds.left_behind
    for claim_id in claims:
        said = f"Copied from claim {row.number}"
        add_event(tx, claim_id, f"{said}. Not carried over: {'; '.join(left)}" if left else said)
    return Copied(tuple(claims), (visit_id,), tuple(left))


def _copy_line(tx: Transaction, visit_id: int, line: ClaimedLine, fee_cents: int) -> int:
    return charged.add_line(
        tx.connection,
        visit_id=visit_id,
        service_id=line.service_id,
        provider_id=line.provider_id,
        fee_cents=fee_cents,
        units=line.units,
        tooth=line.tooth,
        surfaces=line.surfaces,
        area=line.area,
        modifiers=line.modifiers,
        place=line.place,
        planned_id=None,
        at=tx.now,
        by_id=tx.actor.id,
        points_to=line.points_to,
        supervising_id=line.supervising_id,
    )
