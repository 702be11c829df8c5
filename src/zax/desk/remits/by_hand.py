"""One check or transfer of an insurer that came on paper: entered, worked on by one person at a time or by
two on two of them, finished when every cent is placed, opened again while the day's books are open.

Another payer's name than the claims' is allowed and kept as written: payers buy payers. A payment is finished
with a rest only by a manager who says why, and what stands on claims is never lost by that.
"""

from __future__ import annotations

from datetime import date
from typing import Annotated

from zax.core.errors import Conflict, NotFound, ProblemCollector, Refused
from zax.core.form import Choice, Form, Key, a_day
from zax.core.money.cents import parse_amount
from zax.core.patients.uploads import recognize
from zax.core.people.roles import may
from zax.core.wording import dollars
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.claims.colleagues import biller
from zax.desk.money.ledger import books_day
from zax.desk.remits.placing_by_hand import taken_out
from zax.store.files import FileStore
from zax.store.money.journal import hold_books
from zax.store.remits import remits
from zax.store.remits.remits import Remit

KINDS = {"check": "check", "transfer": "transfer", "card": "virtual card", "none": "no payment"}


class PaymentForm(Form):
    """A payment as typed. `payer_id` 0 with a `payer` by name: one that isn't on the list."""

    payer_id: Choice = 0
    payer: str = ""
    amount: str = ""
    day: Annotated[date, a_day("Enter the day on the check or transfer.")]
    number: str = ""
    kind: str = "check"
    provider_id: Choice = 0
    key: Key


@act("claims")
def start_payment(tx: Transaction, site_id: int, form: PaymentForm) -> int:
    """A payment to be placed; its number. The same form twice gives the same payment. Raises Problems."""
    known = remits.remit_by_key(tx.connection, form.key)
    if known is not None:
        return known
    payer = tx.clinic.payers.get(form.payer_id)
    name = " ".join(form.payer.split())[:80] or (payer.name if payer else "")
    number = form.number.strip()[:50]
    wrong = ProblemCollector()
    cents = 0 if form.kind == "none" else wrong.take(parse_amount, form.amount) or 0
    if not name:
        wrong.add("payer_id", "Choose the payer, or write who paid.")
    if form.kind not in KINDS:
        wrong.add("kind", "Choose how it came.")
    if not number:
        wrong.add("number", "Enter its number: that keeps a payment from going in twice.")
    if form.day > tx.business_day(site_id):
        wrong.add("day", "This day hasn’t come yet.")
    if form.provider_id and form.provider_id not in tx.clinic.providers:
        wrong.add("provider_id", "Choose a provider from the list.")
    there = remits.remit_known(tx.connection, name, number) if name and number else None
    if there is not None:
        came = f"as {there[2]}" if there[2] else "by hand"
        wrong.add("number", f"{name} {number} was entered before, {came}. Open that one instead.")
    wrong.raise_if_any()
    remit_id = remits.add_remit(
        tx.connection,
        trace=number,
        payer=name,
        payer_id=payer.id if payer else None,
        provider_id=form.provider_id or None,
        site_id=site_id,
        kind=form.kind,
        day=form.day,
        paid_cents=cents,
        state=remits.OPEN,
        request_key=form.key,
        made_at=tx.now,
        by_id=tx.actor.id,
        worked_by_id=tx.actor.id,
        worked_at=tx.now,
    )
    tx.audit("payment.insurer", remit_id=remit_id, words=f"{name} {number}", cents=cents)
    tx.tell("claim")
    return remit_id


@act("claims")
def add_scan(tx: Transaction, store: FileStore, remit_id: int, content: bytes) -> None:
    """The picture of its paper: PDF, JPEG, PNG or TIFF. Refused beside `file`."""
    held = held_remit(tx, remit_id)
    media = recognize(content)
    remits.change_remit(tx.connection, held.id, scan=store.put(content), scan_type=media)
    tx.audit("payment.scan", remit_id=held.id)
    tx.tell("claim")


@act("claims")
def work_on(tx: Transaction, remit_id: int) -> None:
    """Say that one is on it, so that nobody else begins the same one unawares."""
    held = held_remit(tx, remit_id)
    if held.state == remits.OPEN and held.worked_by_id != tx.actor.id:
        remits.change_remit(tx.connection, held.id, worked_by_id=tx.actor.id, worked_at=tx.now)
        tx.tell("claim")


@act("claims")
def hand_over(tx: Transaction, remit_id: int, user_id: int) -> str:
    """To a colleague, who sees it as theirs; the colleague's name. Refused for nobody, Conflict for one that
    isn't open.
    """
    held = open_remit(tx, remit_id)
    to = biller(tx.connection, tx.clinic, user_id)
    remits.change_remit(tx.connection, held.id, worked_by_id=to.id, worked_at=tx.now)
    tx.audit("payment.insurer_handed", remit_id=held.id, words=to.name)
    tx.tell("claim")
    return to.name


def held_remit(tx: Transaction, remit_id: int) -> Remit:
    """The payment, held until the transaction ends; raises NotFound."""
    held = remits.hold_remit(tx.connection, remit_id)
    if held is None:
        raise NotFound("There is no such insurer payment.")
    return held


def open_remit(tx: Transaction, remit_id: int) -> Remit:
    """One that may be worked on. Conflict for one that is finished or still being read."""
    held = held_remit(tx, remit_id)
    if held.state == remits.READING:
        raise Conflict("This payment file is still being read. It’s ready in a moment.")
    if held.state != remits.OPEN:
        raise Conflict("This payment is finished. Open it again first.")
    return held


@act("claims")
def finish_payment(tx: Transaction, remit_id: int, why: str = "") -> None:
    """Every cent is placed; or a manager says why a difference stays. Twice is once."""
    held = held_remit(tx, remit_id)
    if held.state == remits.FINISHED:
        return
    held = open_remit(tx, remit_id)
    rest = held.rest_cents
    if held.waiting:
        raise Conflict(f"{held.waiting} of its claims still {'needs' if held.waiting == 1 else 'need'} you.")
    if rest and not may(tx.actor.role, "reopen"):
        how = "still to be placed" if rest > 0 else "placed too much"
        raise Conflict(f"{dollars(abs(rest))} is {how}. Only a manager can finish it with a difference.")
    if rest and not why.strip():
        raise Refused(f"Say why {dollars(abs(rest))} stays {'unplaced' if rest > 0 else 'over'}.", "why")
    site_id = held.site_id or tx.clinic.first_site.id
    remits.change_remit(
        tx.connection,
        held.id,
        state=remits.FINISHED,
        finished_at=tx.now,
        finished_by_id=tx.actor.id,
        books_day=books_day(tx, site_id),
        why=why.strip()[:200] if rest else "",
    )
    tx.audit("payment.insurer_finished", remit_id=held.id, rest=rest, words=why.strip()[:200])
    tx.tell("claim")


@act("claims")
def open_again(tx: Transaction, remit_id: int) -> None:
    """Back to be worked on, as long as the books of the day it was finished on are open."""
    held = held_remit(tx, remit_id)
    if held.state == remits.OPEN:
        return
    if held.state != remits.FINISHED:
        raise Conflict("This payment can’t be opened again.")
    _before_the_close(tx, held)
    remits.change_remit(
        tx.connection, held.id, state=remits.OPEN, books_day=None, finished_at=None, worked_by_id=tx.actor.id
    )
    tx.audit("payment.insurer_reopened", remit_id=held.id)
    tx.tell("claim")


def _before_the_close(tx: Transaction, held: Remit) -> None:
    closed = hold_books(tx.connection, held.site_id or tx.clinic.first_site.id)
    if held.books_day and closed and held.books_day <= closed:
        raise Conflict(
            "The books of the day it was finished on are closed. Reverse it instead: that shows on today’s"
            " books."
        )


@act("claims")
def reverse_payment(tx: Transaction, remit_id: int, why: str) -> None:
    """A payment that was never good (a check that bounced, entered twice): everything it placed is reversed
    on today's books, and its claims wait for the payer again. Refused without a reason.
    """
    held = held_remit(tx, remit_id)
    if held.state == remits.REVERSED:
        return
    if not held.by_hand:
        raise Conflict("A payment file is reversed by the payer. Take single claims out instead.")
    if not why.strip():
        raise Refused("Say why it is reversed.", "why")
    for answer in remits.answers_of(tx.connection, held.id):
        taken_out(tx, held, answer, f"{held.payer} {held.trace} reversed: {why.strip()[:80]}")
    remits.change_remit(tx.connection, held.id, state=remits.REVERSED, why=why.strip()[:200])
    tx.audit("payment.insurer_reversed", remit_id=held.id, words=why.strip()[:200])
    tx.tell("claim")
