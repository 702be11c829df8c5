"""Putting a charge right: write-off, discount, moving a part, and taking any of them back. Nothing is edited:
every act is entries of its own on the books day it is made.
"""

from __future__ import annotations

from typing import Annotated

from zax.core.errors import Conflict, NotFound, ProblemCollector, Refused
from zax.core.form import Cents, CentsOrNone, Choice, Form, Reference, a_number_or, one_of
from zax.core.money.adjust import check_limit, check_within
from zax.core.money.cents import no_amount, percent_of
from zax.core.money.journal import Kind, Parts, line_parts
from zax.core.wording import dollars
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.money.ledger import Ledger, add_entry, allocations_of, books_day, entries_of, reverse, settle
from zax.desk.money.posting import ledger_of, tell_money
from zax.store.money import journal, lines
from zax.store.money import queries as money
from zax.store.money.records import LedgerEntry
from zax.store.patients.patients import patients_of


def charge_own(
    tx: Transaction,
    ledger: Ledger,
    line_kind: str,
    kind: Kind,
    cents: int,
    words: str,
    *,
    of_id: int | None = None,
) -> int:
    """A charge on the patient's own ledger; its line."""
    line_id = lines.add_own_line(
        tx.connection,
        patient_id=ledger.patient_id,
        kind=line_kind,
        fee_cents=cents,
        words=words,
        at=tx.now,
        by_id=tx.actor.id,
    )
    add_entry(tx, ledger, kind, cents, 0, words, line_id=line_id, of_id=of_id)
    return line_id


class OffForm(Form):
    """What to take off a line: an amount, or (for a discount) a percentage of what is open."""

    line_id: Reference = 0
    amount: CentsOrNone = None
    percent: Annotated[int | None, a_number_or(None, 1, 100, "A whole percentage from 1 to 100.")] = None
    reason_id: Choice = 0
    why: str = ""

    @property
    def cents(self) -> int:
        """The amount; Refused when none was typed."""
        if self.amount is None:
            raise no_amount()
        return self.amount


class ShiftForm(Form):
    """What of a line somebody else is to pay: `to` "patient" or "insurer"."""

    line_id: Reference = 0
    to: Annotated[str, one_of(("patient", "insurer"), "Choose who owes it.")]
    amount: Cents
    why: str = ""


class HandOverForm(Form):
    """What of a line another person of the household is to pay."""

    line_id: Reference = 0
    to_patient: Choice = 0
    amount: Cents
    why: str = ""


@act("payments")
def write_off(tx: Transaction, form: OffForm) -> int:
    """Forgive (part of) what the patient owes on a line, for a reason; the entry."""
    ledger, parts = _line_ledger(tx, form.line_id)
    found = tx.clinic.money.reasons.get(form.reason_id)
    if found is None or not found.active:
        raise Refused("Choose why it’s written off.", "reason_id")
    cents = form.cents
    check_within(cents, parts.patient, "written off")
    _check_limit(tx, ledger, form.line_id, cents, "write off")
    words = f"Written off, {found.words.lower()}{f': {form.why.strip()}' if form.why.strip() else ''}"
    return _take_off(tx, ledger, Kind.WRITE_OFF, form.line_id, cents, words, reason_id=found.id)


@act("payments")
def give_discount(tx: Transaction, form: OffForm) -> int:
    """Take an amount or a percentage off what is open on a line; the entry."""
    ledger, parts = _line_ledger(tx, form.line_id)
    if form.percent is not None:
        cents, what = percent_of(max(0, parts.patient), form.percent), f"{form.percent} percent"
    else:
        cents, what = form.cents, "by hand"
    check_within(cents, parts.patient, "discounted")
    _check_limit(tx, ledger, form.line_id, cents, "discount")
    if not form.why.strip():
        raise Refused("Say what the discount is for. It shows on the account.", "why")
    return _take_off(tx, ledger, Kind.DISCOUNT, form.line_id, cents, f"Discount, {what}: {form.why.strip()}")


def _check_limit(tx: Transaction, ledger: Ledger, line_id: int, cents: int, what: str) -> None:
    today, role = books_day(tx, ledger.site_id), tx.actor.role
    before = journal.taken_off(tx.connection, line_id, today, role.key)
    check_limit(cents, role, tx.clinic.money.limits, what, before, tx.clinic.roles.values())


def _take_off(
    tx: Transaction,
    ledger: Ledger,
    kind: Kind,
    line_id: int,
    cents: int,
    words: str,
    reason_id: int | None = None,
) -> int:
    entry = add_entry(tx, ledger, kind, -cents, 0, words, line_id=line_id, reason_id=reason_id)
    settle(tx, ledger)
    tx.audit(
        f"money.{kind}",
        patient_id=ledger.patient_id,
        visit_id=ledger.id,
        line=line_id,
        cents=cents,
        words=words,
    )
    tell_money(tx, ledger)
    return entry


def _line_ledger(tx: Transaction, line_id: int) -> tuple[Ledger, Parts]:
    """A line's ledger, locked, and what is open on it."""
    line = next(iter(money.lines_of(tx.connection, [line_id])), None)
    if line is None:
        raise NotFound("There is no such charge.")
    first = journal.first_entry_of_line(tx.connection, line_id)
    site_id = first.site_id if first else tx.clinic.first_site.id
    ledger = ledger_of(tx, line.person_id, line.visit_id, site_id)
    parts = line_parts(entries_of(tx, ledger), allocations_of(tx, ledger)).get(line_id, Parts())
    return ledger, parts


@act("payments")
def shift_part(tx: Transaction, form: ShiftForm) -> int:
    """Move (part of) a line from the insurer's part to the patient's, or back; the entry. Raises Problems
    above what is there to move, and without a reason.
    """
    line_id, to, cents, why = form.line_id, form.to, form.amount, form.why
    ledger, parts = _line_ledger(tx, line_id)
    wrong = ProblemCollector()
    most = parts.insurer if to == "patient" else parts.patient
    holder = "insurance" if to == "patient" else "the patient"
    if cents > max(0, most):
        wrong.add(
            "amount",
            f"Only {dollars(max(0, most))} of it is with {holder}, so that’s the most that can be moved.",
        )
    if not why.strip():
        wrong.add("why", "Say why. It shows on the account.")
    wrong.raise_if_any()
    sign = 1 if to == "patient" else -1
    words = f"Moved to {'patient' if to == 'patient' else 'insurer'}: {why.strip()}"
    entry = add_entry(tx, ledger, Kind.TRANSFER, sign * cents, -sign * cents, words, line_id=line_id)
    settle(tx, ledger)
    tx.audit(
        "money.shifted", patient_id=ledger.patient_id, visit_id=ledger.id, line=line_id, cents=cents, to=to
    )
    tell_money(tx, ledger)
    return entry


@act("payments")
def hand_over(tx: Transaction, form: HandOverForm) -> int:
    """Somebody else of the household owes (part of) a line from now on; the line on their own ledger."""
    line_id, to_patient_id, cents, why = form.line_id, form.to_patient, form.amount, form.why
    ledger, parts = _line_ledger(tx, line_id)
    check_within(cents, parts.patient, "moved")
    people = patients_of(tx.connection, (ledger.patient_id, to_patient_id))
    if (
        to_patient_id == ledger.patient_id
        or to_patient_id not in people
        or len({row.household_id for row in people.values()}) != 1
    ):
        raise Refused("Choose another person in this household.", "to_patient")
    if not why.strip():
        raise Refused("Say why. It shows on both accounts.", "why")
    target = ledger_of(tx, to_patient_id, None, ledger.site_id)
    words = f"Moved to {people[to_patient_id].first}: {why.strip()}"
    out = add_entry(tx, ledger, Kind.TRANSFER, -cents, 0, words, line_id=line_id)
    there = charge_own(
        tx,
        target,
        "moved",
        Kind.TRANSFER,
        cents,
        f"From {people[ledger.patient_id].first}: {why.strip()}",
        of_id=out,
    )
    for each in (ledger, target):
        settle(tx, each)
        tell_money(tx, each)
    tx.audit(
        "money.handed_over",
        patient_id=ledger.patient_id,
        visit_id=ledger.id,
        line=line_id,
        cents=cents,
        to=to_patient_id,
    )
    return there


_CAN_BE_TAKEN_BACK = frozenset({Kind.WRITE_OFF, Kind.DISCOUNT, Kind.FEE, Kind.INTEREST, Kind.TRANSFER})


@act("payments")
def take_entry_back(tx: Transaction, entry_id: int, why: str) -> int:
    """Reverse a write-off, discount, fee, interest or a moved part. The patient.

    A payment is voided or refunded instead, a service changed on its visit; what the insurer's answer wrote
    stands.
    """
    row = journal.entry_of(tx.connection, entry_id)
    if row is None:
        raise NotFound("There is no such entry.")
    if row.kind not in _CAN_BE_TAKEN_BACK or row.line_id is None or row.claim_id is not None:
        raise Refused(
            "This can’t be undone here. Void or refund a payment; change a service on its visit.",
            "entry",
        )
    if not why.strip():
        raise Refused("Say why. It shows on the account.", "why")
    partner = _partner(tx, row)
    pair = [each for each in (row, partner) if each is not None]
    ledgers = [
        ledger_of(tx, each.patient_id, each.visit_id, each.site_id)
        for each in sorted(pair, key=lambda e: (e.visit_id is None, e.visit_id or 0))
    ]
    for each in pair:
        if journal.is_reversed(tx.connection, each.id):
            raise Conflict("This was already undone.", "entry")
    if row.kind in {Kind.FEE, Kind.INTEREST}:  # taking these back forgives them
        check_limit(
            row.patient_cents, tx.actor.role, tx.clinic.money.limits, "undo", 0, tx.clinic.roles.values()
        )
    for each in pair:
        ledger = next(one for one in ledgers if (one.patient_id, one.id) == (each.patient_id, each.visit_id))
        reverse(tx, ledger, each.entry, f"Undone: {why.strip()}")
    for ledger in ledgers:
        settle(tx, ledger)
        tell_money(tx, ledger)
    tx.audit(
        "money.taken_back", patient_id=row.patient_id, visit_id=row.visit_id, entry=entry_id, why=why.strip()
    )
    return row.patient_id


def _partner(tx: Transaction, row: LedgerEntry) -> LedgerEntry | None:
    """The other half of what was moved between two people, or None."""
    if row.kind != Kind.TRANSFER:
        return None
    if row.of_id is not None:
        return journal.entry_of(tx.connection, row.of_id)
    return journal.entry_from(tx.connection, row.id)
