"""Leaving: what there is to say and to pay at the counter; then the claim is made, recalls are set, the
receipt goes out, and the visit is settled or waits for the money still open. A patient who walks out can be
finished later.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime

from zax.core.book.track import Stop
from zax.core.day.open_points import Due, Leaving, OpenPoint, due_now, open_points
from zax.core.errors import Conflict, Refused
from zax.core.followup.recall import Interval, NextRecall
from zax.core.money.journal import LOWERS, unreversed
from zax.core.money.tender import OPEN_STATES, PaymentState
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.arrivals.check_in import Arrival, arrival_of
from zax.desk.book.track import locked_visit, step
from zax.desk.claims.content import ComingClaim, coming_claim
from zax.desk.claims.habits import claim_habits
from zax.desk.claims.making import make_claims, withdraw_claims
from zax.desk.clinic.clinic import Clinic
from zax.desk.day.visit_sheet import Sheet
from zax.desk.followup.recalls import recalls_after, take_back_recalls, write_recalls
from zax.desk.money.dues import Credit, OpenLine, OpenVisit, open_items
from zax.desk.money.ledger import post_charges, settle_visit
from zax.desk.money.payment_page import last_ways
from zax.store.book.changes import save_visit
from zax.store.book.planned import planned_for
from zax.store.book.queries import has_coming
from zax.store.book.records import PlannedService, Visit
from zax.store.engine import Connection
from zax.store.money import payments as stored
from zax.store.money import queries as money
from zax.store.money.records import CardOnFile, VisitPayment


@dataclass(frozen=True, slots=True, kw_only=True)
class CheckoutView:
    """What the checkout page shows besides the visit's sheet; cents. `earlier` is owed from other visits,
    `loose` for no visit, `credits` can be used up, `taken_off` are this visit's discounts and write-offs,
    `claim` is what finishing will send and `recalls` what it will set, while it lies ahead; `need_booked`
    whether what comes next has its visit.
    """

    payments: Sequence[VisitPayment]
    owed: int
    asked: int
    earlier: Sequence[OpenVisit]
    loose: Sequence[OpenLine]
    credits: Sequence[Credit]
    cards: Sequence[CardOnFile]
    last_tender: str
    arrival: Arrival
    claim: ComingClaim | None
    recalls: Sequence[NextRecall]
    planned: Sequence[PlannedService]
    need_booked: bool = False
    taken_off: int = 0
    ticked: Sequence[OpenVisit] = field(default_factory=tuple)
    ticked_lines: Sequence[OpenLine] = field(default_factory=tuple)

    @property
    def earlier_due(self) -> int:
        return sum(each.cents for each in self.ticked) + sum(each.cents for each in self.ticked_lines)

    @property
    def due(self) -> Due:
        return due_now(self.owed, self.asked, self.earlier_due)

    @property
    def taken(self) -> list[VisitPayment]:
        """What was paid, without what went back."""
        return [each for each in self.payments if each.state == PaymentState.TAKEN and each.kind == "payment"]

    @property
    def clarifying(self) -> bool:
        """Whether a card waits for an answer."""
        return any(each.state in OPEN_STATES for each in self.payments)


def checkout_view(
    connection: Connection,
    clinic: Clinic,
    sheet: Sheet,
    now: datetime,
    untick: Sequence[int] = (),
    untick_lines: Sequence[int] = (),
) -> CheckoutView:
    """Read what there is to pay besides and what comes next. `untick` are earlier visits (and lines without
    one) the patient does not pay today.
    """
    visit = sheet.visit
    payments = stored.payments_for_visit(connection, visit.id)
    asked = money.pending_payments(connection, visit.id)
    items = open_items(connection, clinic, visit.household_id)
    earlier = items.elsewhere(visit.id)
    loose = [each for each in items.lines if each.visit_id is None]
    credits = [each for each in items.credits if not each.coming and each.visit_id != visit.id]
    codes = {clinic.services[each.service_id].code for each in sheet.bill.lines}
    recalls = recalls_after(connection, visit, codes, sheet.today).next if sheet.stop == Stop.CHECKOUT else ()
    return CheckoutView(
        payments=payments,
        owed=sheet.due,
        asked=asked,
        earlier=earlier,
        loose=loose,
        credits=credits,
        cards=stored.cards_of(connection, visit.household_id),
        last_tender=last_ways(connection, visit.household_id).tender,
        arrival=arrival_of(connection, clinic, now, visit, sheet.known, sheet.bill),
        claim=coming_claim(connection, clinic, visit, sheet.bill, sheet.today)
        if sheet.stop == Stop.CHECKOUT
        else None,
        recalls=recalls,
        planned=planned_for(connection, visit.patient_id),
        need_booked=has_coming(connection, visit.patient_id, recalls[0].kind.type_id, visit.day)
        if recalls
        else sheet.next_visit is not None,
        taken_off=_taken_off(connection, visit.id),
        ticked=[each for each in earlier if each.visit_id not in untick],
        ticked_lines=[each for each in loose if each.line_id not in untick_lines],
    )


def _taken_off(connection: Connection, visit_id: int) -> int:
    """What discounts and write-offs took off the patient's part of a visit, those that stand."""
    return -sum(
        e.patient_cents for e in unreversed(money.visit_entries(connection, visit_id)) if e.kind in LOWERS
    )


def what_stays_open(clinic: Clinic, sheet: Sheet, view: CheckoutView) -> list[OpenPoint]:
    """What finishing leaves open if everything asked for is paid."""
    due = max(0, view.due.here)
    stops = [found.message for found in view.claim.findings] if view.claim else []
    needed = {
        s.step.template_id
        for s in view.arrival.stands
        if s.step.template_id and s.state in {"open", "skipped"}
    }
    skipped = [
        s.step.words for s in view.arrival.stands if s.state == "skipped" and s.step.template_id is None
    ]
    payer = sheet.bill.coverage.payer_name if sheet.bill.coverage else ""
    return open_points(
        Leaving(
            due=due,
            paying=due,
            pending=view.asked,
            plan=sheet.bill.insurer,
            payer=payer,
            earlier=sum(e.cents for e in view.earlier) + sum(e.cents for e in view.loose) - view.earlier_due,
            credit=sum(each.cents for each in view.credits),
            stops=stops,
            skipped=skipped,
            unsigned=[clinic.forms[n].name for n in sorted(needed) if n in clinic.forms],
        )
    )


@act("payments")
def finish_checkout(
    tx: Transaction,
    visit_id: int,
    receipt: str = "none",
    version: int | None = None,
    recalls: Mapping[int, Interval | None] | None = None,
) -> str:
    """The patient leaves, and what they are due for next is set. `recalls` are other intervals than their
    own, by recall type: None for no more of it.

    Returns the visit's new stop; twice gives the same answer.
    """
    visit = locked_visit(tx, visit_id)
    if visit.state in {Stop.LEFT, Stop.SETTLED}:
        return str(visit.state)
    if version is not None:
        locked_visit(tx, visit_id, version)
    bill = post_charges(tx, visit)
    step(tx, visit, Stop.LEFT, after=replace(visit, gone_at=None))
    # The evening looks at the last days' visits; what was entered afterwards may be of any day.
    if claim_habits(tx.clinic).made == "checkout" or not visit.minutes:
        make_claims(tx, visit, bill)
    codes = {tx.clinic.services[each.service_id].code for each in bill.lines}
    write_recalls(tx, visit, codes, recalls)
    if receipt == "email":
        _email_receipt(tx, visit)
    tx.audit("visit.finished", patient_id=visit.patient_id, visit_id=visit.id, receipt=receipt)
    settle_visit(tx, locked_visit(tx, visit_id))
    return str(locked_visit(tx, visit_id).state)


@act("arrivals")
def walked_out(tx: Transaction, visit_id: int, version: int | None = None) -> None:
    """The patient has gone before the checkout: nobody waits anymore, the checkout stays on the list of
    jobs. Again takes it back.
    """
    visit = locked_visit(tx, visit_id, version)
    if visit.state != Stop.CHECKOUT:
        raise Conflict("Only someone at checkout can be marked as walked out.")
    gone = None if visit.gone_at else tx.now
    save_visit(tx.connection, visit, replace(visit, gone_at=gone))
    tx.audit("visit.gone" if gone else "visit.not_gone", patient_id=visit.patient_id, visit_id=visit.id)
    tx.tell("visit", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)


def _email_receipt(tx: Transaction, visit: Visit) -> None:
    """One mail a finished checkout."""
    if not visit.email:
        raise Refused("No email address on file. Print the receipt, or enter the address first.", "receipt")
    payments = [each for each in stored.payments_for_visit(tx.connection, visit.id) if each.kind == "payment"]
    asking = [each for each in payments if each.state in OPEN_STATES]
    if asking:  # the terminal is silent: the receipt goes out once it has answered
        stored.mail_later(tx.connection, asking[-1].receipt_id, visit.email)
        return
    paid = [each for each in payments if each.state == PaymentState.TAKEN]
    if not paid:
        raise Refused("Nothing was paid, so there’s no receipt to send.", "receipt")
    key = f"receipt-{visit.id}-{visit.version}"
    tx.send("receipt_mail", key, {"receipt_id": paid[-1].receipt_id, "to": visit.email})


@act("payments")
def take_checkout_back(tx: Transaction, visit_id: int, reason: str, version: int | None = None) -> None:
    """Undo a finished checkout while its claim has not left the clinic."""
    _take_back(tx, locked_visit(tx, visit_id, version), reason, replacing=False)


@act("claims")
def change_what_was_billed(tx: Transaction, visit_id: int) -> None:
    """Undo a checkout whose claim the payer has, so that its charges may be changed; finishing again makes
    the corrected claim.
    """
    _take_back(tx, locked_visit(tx, visit_id), "to correct its claim", replacing=True)


def _take_back(tx: Transaction, visit: Visit, reason: str, *, replacing: bool) -> None:
    if visit.state not in {Stop.LEFT, Stop.SETTLED}:
        raise Conflict("This visit isn’t finished. Its charges can be changed as they are.")
    visit_id = visit.id
    if visit.state == Stop.SETTLED:
        step(tx, visit, Stop.LEFT, reason)
        visit = locked_visit(tx, visit_id)
    step(tx, visit, Stop.CHECKOUT, reason)
    withdraw_claims(tx, visit, replacing=replacing)
    take_back_recalls(tx, visit)
    tx.audit("visit.checkout_back", patient_id=visit.patient_id, visit_id=visit.id, reason=reason)
