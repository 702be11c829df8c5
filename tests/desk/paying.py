"""What tests of money share: paying in a line, what is open, and a recount that finds nothing wrong."""

from typing import Any

from sqlalchemy import text

from tests.conftest import JUNO, add_patient, scalar
from tests.fakes import FakeTerminal
from zax.core.book.track import CHARGED
from zax.core.money.tender import TenderForm
from zax.desk.acts.transaction import Desk
from zax.desk.money.dues import OpenItems, open_items
from zax.desk.money.ledger import due_now
from zax.desk.money.ledger_audit import recount
from zax.desk.money.payments import Item, PayForm, Taken, take_payment
from zax.store import schema


def rows(*tenders: tuple[str, ...]) -> list[TenderForm]:
    """('cash', '40'), ('check', '21', '1042')."""
    return [TenderForm(*each) for each in tenders]


def pay(
    desk: Desk,
    patient: int,
    items: list[Item],
    *tenders: tuple[str, ...],
    key: str = "key",
    terminal: FakeTerminal | None = None,
    actor: Any = JUNO,
    **more: Any,
) -> Taken:
    return take_payment(
        desk,
        actor,
        terminal or FakeTerminal(),
        patient,
        PayForm(tenders=rows(*tenders), items=items, key=key, **more),
    )


def items_of(desk: Desk, patient: int) -> OpenItems:
    household = scalar(desk, "SELECT household_id FROM patient WHERE id = :id", id=patient)
    with desk.engine.connect() as connection:
        return open_items(connection, desk.clinic, household)


def all_lines(desk: Desk, patient: int) -> list[Item]:
    return [Item(each.visit_id, each.line_id) for each in items_of(desk, patient).lines]


def relative(desk: Desk, patient: int, **changes: Any) -> int:
    """Somebody else of the patient's household."""
    made = add_patient(desk, **({"first": "Rafael"} | changes))
    with desk.engine.begin() as connection:
        household = (
            connection.execute(schema.patient.select().where(schema.patient.c.id == patient))
            .one()
            .household_id
        )
        connection.execute(
            schema.patient.update()
            .where(schema.patient.c.id == made)
            .values(household_id=household, guarantor=False)
        )
    return made


def agrees(desk: Desk) -> bool:
    """No fault in the journal; and what is open line by line is what is open visit by visit."""
    found = recount(desk.engine)
    assert found.faults == [], found.faults
    with desk.engine.connect() as connection:
        for household in connection.execute(text("SELECT id FROM household")).scalars().all():
            items = open_items(connection, desk.clinic, household)
            by_visit = {each.visit_id: each.cents for each in items.elsewhere(0)}
            for visit_id, visit in items.visits.items():
                if visit.state in CHARGED:
                    assert by_visit.get(visit_id, 0) == max(0, due_now(connection, visit_id)), visit_id
    return found.entries > 0


def line_of(desk: Desk, patient: int) -> int:
    return items_of(desk, patient).lines[0].line_id


def picked(desk: Desk, patient: int, visit: int, **more: Any) -> dict[str, Any]:
    """The form of the payment page with the one open line ticked."""
    line = line_of(desk, patient)
    return {
        "pick": f"line-{line}",
        f"for-line-{line}": "286.00",
        f"of-line-{line}": visit,
        "tender": "cash",
        "amount": "286",
        "key": "k",
        "do": "pay",
    } | more
