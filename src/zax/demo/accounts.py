"""Money in the demo beyond what the visits bring: a deposit, a rest the plan left, a product, a card on file,
a payment plan, yesterday closed.
"""

from __future__ import annotations

from datetime import date, datetime, timedelta

from sqlalchemy import select, text

from zax.clock import ShiftedClock, to_utc
from zax.core.money.drawer import PIECES
from zax.core.money.tender import TenderForm
from zax.core.people.roles import RECEPTIONIST
from zax.demo.world import ZONE
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk
from zax.desk.money.corrections import ShiftForm, shift_part
from zax.desk.money.day_close import CloseForm, close_day, closing_of
from zax.desk.money.dues import open_items
from zax.desk.money.payment_plans import PaymentPlanForm, make_plan
from zax.desk.money.payments import Item, PayForm, take_payment
from zax.desk.money.products import ProductSale
from zax.outside.doors import Terminal
from zax.store import schema

RAVI = Actor(2, "Ravi Teller", RECEPTIONIST, "RT")
TOKEN = "card-helen"
CARD = {"ending": "4417", "expires": "08/29"}
_OWING = text(
    "SELECT p.household_id, MIN(p.id) AS patient_id, SUM(j.patient_cents) AS cents FROM journal j JOIN"
    " patient p ON p.id = j.patient_id GROUP BY p.household_id HAVING cents BETWEEN 20000 AND 90000 AND"
    " SUM(j.insurer_cents) = 0 ORDER BY cents DESC, p.household_id LIMIT 1"
)
_LAST_DAY = text("SELECT MAX(day) FROM payment WHERE site_id = :site_id AND day < :day")


def add_money(desk: Desk, clock: ShiftedClock, terminal: Terminal, day: date) -> None:
    """Played on the clock of each act; the clock is left where it was."""
    now = clock.now()
    _plan_of_somebody(desk, clock, day)
    for site_id in desk.clinic.sites:
        _close(desk, clock, site_id, day)
    clock.set_to(_moment(day, 9, 22))
    _vasquez(desk, terminal)
    clock.set_to(now)


def _moment(day: date, hour: int, minute: int) -> datetime:
    return to_utc(datetime(day.year, day.month, day.day, hour, minute), ZONE)


def _vasquez(desk: Desk, terminal: Terminal) -> None:
    """Helen paid 20.00 ahead and has a card on file; Mateo's plan paid less; a toothbrush was sold."""
    p, c = schema.patient, schema.card_on_file
    with desk.engine.begin() as connection:
        people = connection.execute(
            select(p.c.id, p.c.first).where(
                p.c.last_key == "vasquez", p.c.first.in_(("Helen", "Mateo", "Rafael"))
            )
        ).all()
        made = {row.first: row.id for row in people}
        connection.execute(
            c.insert().values(
                patient_id=made["Helen"],
                token=TOKEN,
                ending=CARD["ending"],
                expires=CARD["expires"],
                made_at=desk.clock.now(),
                by_id=RAVI.id,
            )
        )
        rest = connection.execute(
            text(
                "SELECT line_id FROM journal WHERE patient_id = :id AND line_id IS NOT NULL GROUP BY line_id"
                " HAVING SUM(insurer_cents) >= 3840 ORDER BY line_id DESC LIMIT 1"
            ),
            {"id": made["Mateo"]},
        ).scalar()
    if rest:
        why = "the plan pays 80 percent, not 100"
        shift_part(desk, RAVI, ShiftForm(line_id=rest, to="patient", amount=3840, why=why))
    take_payment(
        desk,
        RAVI,
        terminal,
        made["Helen"],
        PayForm(tenders=[TenderForm("cash", "20")], items=[Item()], key="demo-deposit", site_id=1),
    )
    brush = PayForm(
        tenders=[TenderForm("card", "4.88")], items=[], key="demo-brush", site_id=1, sales=[ProductSale(1, 1)]
    )
    take_payment(desk, RAVI, terminal, made["Rafael"], brush)


def _plan_of_somebody(desk: Desk, clock: ShiftedClock, day: date) -> None:
    """A household with an old rest pays it in installments at the desk; one of them is overdue."""
    with desk.engine.connect() as connection:
        row = connection.execute(_OWING).first()
        if row is None:
            return
        items = open_items(connection, desk.clinic, row.household_id)
    clock.set_to(_moment(day - timedelta(days=40), 10, 0))
    make_plan(
        desk,
        RAVI,
        row.patient_id,
        PaymentPlanForm(
            lines=tuple(each.line_id for each in items.lines),
            amount=items.due,
            count=6,
            first=day - timedelta(days=36),
            every="month",
        ),
    )


def _close(desk: Desk, clock: ShiftedClock, site_id: int, day: date) -> None:
    """The last working day is closed, its drawer counted to the cent."""
    with desk.engine.connect() as connection:
        last = connection.execute(_LAST_DAY, {"site_id": site_id, "day": day}).scalar()
        if last is None:
            return
        found = closing_of(connection, desk.clinic, site_id, last, last)
    clock.set_to(_moment(last, 17, 58))
    drawer = desk.clinic.money.float_cents + found.expected["cash"]
    pieces = {}
    for value in PIECES:
        number, drawer = divmod(drawer, value)
        pieces[value] = str(number)
    checks = tuple(each.id for each in found.checks)
    close_day(
        desk,
        RAVI,
        site_id,
        last,
        CloseForm(pieces=pieces, counted={}, checks=checks, mark=found.mark, anyway=True),
    )
