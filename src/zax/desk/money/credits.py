"""Credits: offered to what is open in the household, and moved from one charge to another. The journal grows;
nothing in it is changed.

Credit that was taken for a visit still to come belongs to that visit first and is not offered elsewhere.
"""

from __future__ import annotations

from zax.core.book.track import Stop
from zax.core.errors import Conflict, NotFound, Refused
from zax.core.money.journal import Allocation, Parts, credit_left, held_by, line_parts
from zax.core.wording import day_words, dollars
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.money.dues import open_items
from zax.desk.money.ledger import (
    Ledger,
    OwnLedger,
    allocations_of,
    due_now,
    entries_of,
    settle,
    write_allocations,
)
from zax.desk.money.posting import ledger_of, lock_household, move_credit, tell_money
from zax.store.book.queries import one_visit
from zax.store.book.records import Visit
from zax.store.money import journal
from zax.store.money import queries as money


@act("payments")
def use_credit(tx: Transaction, credit_id: int, visit_id: int | None, line_id: int | None = None) -> int:
    """Use a credit of the household for a visit, or for one line of any ledger; the cents used. Up to what is
    due there.
    """
    return _use(tx, credit_id, visit_id, line_id)


@act("payments")
def spread_credit(tx: Transaction, patient_id: int, credit_id: int, visit_id: int | None = None) -> int:
    """Use a credit on whatever is open in the household: the visit at hand first, then the oldest; the cents
    used.
    """
    household_id = lock_household(tx, patient_id)
    items = open_items(tx.connection, tx.clinic, household_id)
    left = next((each.cents for each in items.credits if each.entry_id == credit_id), 0)
    if not left:
        raise Conflict("This credit was used in the meantime.", "credit")
    if not items.lines:
        raise Refused("Nothing is due, so the credit stays where it is.", "credit")
    used = 0
    for line in sorted(
        items.lines, key=lambda each: (each.visit_id != visit_id or visit_id is None, each.since)
    ):
        if used < left:
            used += _use(tx, credit_id, None, line.line_id)
    return used


def apply_credit(tx: Transaction, credit_id: int, line_id: int, cents: int) -> None:
    """Give exactly so many cents of a credit to a line of the household, within an act. Conflict where the
    credit has less, or less is due there.
    """
    source, target = _hold_both(tx, credit_id, None, line_id)
    left = credit_left(entries_of(tx, source), allocations_of(tx, source)).get(credit_id, 0)
    if cents > left or cents > _open_on(tx, target, line_id):
        raise Conflict("Something was paid or used in the meantime. Look at it again.", f"line-{line_id}")
    _apply(tx, source, target, credit_id, cents, line_id)
    tx.audit("credit.used", patient_id=target.patient_id, visit_id=target.id, cents=cents, credit=credit_id)


def _use(tx: Transaction, credit_id: int, visit_id: int | None, line_id: int | None) -> int:
    source, target = _hold_both(tx, credit_id, visit_id, line_id)
    left = credit_left(entries_of(tx, source), allocations_of(tx, source)).get(credit_id, 0)
    if left <= 0:
        raise Conflict("This credit was used in the meantime.", "credit")
    due = _open_on(tx, target, line_id) if line_id else due_now(tx.connection, target.id or 0)
    cents = min(left, due)
    if cents <= 0:
        raise Refused("Nothing is due here, so the credit stays where it is.", "credit")
    _apply(tx, source, target, credit_id, cents, line_id)
    tx.audit("credit.used", patient_id=target.patient_id, visit_id=target.id, cents=cents, credit=credit_id)
    return cents


def _hold_both(
    tx: Transaction, credit_id: int, visit_id: int | None, line_id: int | None
) -> tuple[Ledger, Ledger]:
    """The ledgers of the credit and of where it goes, locked; NotFound unless both are of one household."""
    entry = journal.entry_of(tx.connection, credit_id)
    if entry is None:
        raise NotFound("This household has no such credit.")
    if line_id is not None:
        line = next(iter(money.lines_of(tx.connection, [line_id])), None)
        if line is None:
            raise NotFound("There is no such charge.")
        to = (line.person_id, line.visit_id)
    else:
        visit = one_visit(tx.connection, visit_id or 0)
        to = (visit.patient_id if visit else 0, visit_id)
    here = (entry.patient_id, entry.visit_id)
    held = {
        key: ledger_of(tx, key[0], key[1], entry.site_id)
        for key in sorted({here, to}, key=lambda key: (key[1] is None, key[1] or key[0]))
    }
    if len({lock_household(tx, key[0]) for key in held}) != 1:
        raise NotFound("This household has no such credit.")
    target = held[to]
    if isinstance(target, Visit) and target.state not in {Stop.CHECKOUT, Stop.LEFT, Stop.SETTLED}:
        raise Conflict(
            "There are no charges on this visit yet. The credit is offered again at checkout.", "credit"
        )
    return held[here], target


def _open_on(tx: Transaction, ledger: Ledger, line_id: int) -> int:
    parts = line_parts(entries_of(tx, ledger), allocations_of(tx, ledger)).get(line_id, Parts())
    if parts.patient <= 0:
        raise Refused("Nothing is due on this charge: it was reversed or paid. Choose another.", "line_id")
    pending = money.pending_lines(tx.connection, lock_household(tx, ledger.patient_id)).get(line_id, 0)
    return max(0, parts.patient - pending)


def _apply(
    tx: Transaction, source: Ledger, target: Ledger, credit_id: int, cents: int, line_id: int | None
) -> None:
    """Give free credit to where it is wanted; across ledgers by a transfer."""
    if (source.patient_id, source.id) != (target.patient_id, target.id):
        words = (f"Credit used {_where(target)}", f"Credit of {dollars(cents)} {_from(source)}")
        credit_id = move_credit(tx, source, target, credit_id, cents, words)
    if line_id is not None:
        write_allocations(tx, target, [Allocation(credit_id, line_id, cents)])
    for ledger in (source, target):
        settle(tx, ledger)
        tell_money(tx, ledger)


def _where(ledger: Ledger) -> str:
    return (
        f"for the visit of {day_words(ledger.day, year=True)}"
        if isinstance(ledger, Visit)
        else "on the account"
    )


def _from(ledger: Ledger) -> str:
    return f"from {day_words(ledger.day, year=True)}" if isinstance(ledger, Visit) else "from the account"


@act("payments")
def move_allocation(tx: Transaction, credit_id: int, from_line: int, to_line: int | None, cents: int) -> None:
    """What a credit pays on one charge goes to another, or (None) waits as credit on the patient's own
    ledger.

    Refused when it pays less than that there, or when less is owed on the other charge; nothing is owed on a
    reversed one.
    """
    row = next(iter(money.lines_of(tx.connection, [from_line])), None)
    if row is None:
        raise NotFound("There is no such charge.")
    if to_line == from_line:
        raise Refused("It already pays this charge. Choose another.", "line_id")
    source, target = _hold_both(tx, credit_id, None, to_line if to_line is not None else from_line)
    held = held_by(credit_id, allocations_of(tx, source)).get(from_line, 0)
    if cents > held:
        raise Refused(
            f"This payment gives {dollars(held)} to that charge, so that’s the most that can be moved.",
            "amount",
        )
    if to_line is None:
        target = OwnLedger(source.patient_id, source.site_id)
        lock_household(tx, source.patient_id)
    elif cents > (due := _open_on(tx, target, to_line)):
        raise Refused(
            f"Only {dollars(due)} is due there, so that’s the most that can be moved to it.", "amount"
        )
    write_allocations(tx, source, [Allocation(credit_id, from_line, -cents)])
    if (source.patient_id, source.id) == (target.patient_id, target.id) and to_line is None:
        settle(tx, source)
        tell_money(tx, source)
    else:
        _apply(tx, source, target, credit_id, cents, to_line)
    tx.audit(
        "credit.moved",
        patient_id=source.patient_id,
        visit_id=source.id,
        credit=credit_id,
        cents=cents,
        line=from_line,
        to=to_line,
    )
