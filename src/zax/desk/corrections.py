"""Putting money right: refund, void, returned cheque, write-off, discount, transfer, and taking any of them back. Nothing is edited: every act
is entries of its own on the books day it is made.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import insert, select

from zax.core.errors import Conflict, NotFound, ProblemCollector, Refused
from zax.core.money.adjust import NO_LIMIT, check_limit, check_within
from zax.core.money.cents import parse_amount, percent_of, plain
from zax.core.money.journal import Entry, Kind, Parts, line_parts
from zax.core.money.tender import PaymentState, Tender
from zax.desk.money import OwnLedger, add_entry, allocations_of, books_day, entries_of, reverse, settle
from zax.desk.payments import TenderResult, ask_later, close_payment, result_of
from zax.desk.posting import is_terminal, ledger_of, post_back, tell_money, tender_words
from zax.desk.unit import Actor, Desk, Unit, act
from zax.outside.doors import Terminal
from zax.store import money, schema


@dataclass(frozen=True, slots=True)
class BackForm:
    """Money to give back, as typed; `key` is the form's own."""

    payment_id: int
    amount: str
    why: str
    key: str


def refund(desk: Desk, actor: Actor, terminal: Terminal, form: BackForm) -> TenderResult:
    """Give (part of) a payment back to the tender it came from. Raises Refused above what was paid, NotAllowed above the role's limit."""
    return _give_back(desk, actor, terminal, *open_back(desk, actor, "refund", form))


def void(desk: Desk, actor: Actor, terminal: Terminal, form: BackForm) -> TenderResult:
    """Undo a payment of today's books whole, as if it had not been taken."""
    return _give_back(desk, actor, terminal, *open_back(desk, actor, "void", form))


def _give_back(
    desk: Desk, actor: Actor, terminal: Terminal, opened: TenderResult, is_new: bool, reference: str
) -> TenderResult:
    if not is_new or opened.state != PaymentState.ASKING:
        return opened
    return close_payment(desk, actor, opened.key, terminal.give_back(opened.key, -opened.asked, reference))


@act("payments")
def open_back(unit: Unit, kind: str, form: BackForm) -> tuple[TenderResult, bool, str]:
    """Write the giving back down before anything is given; again with the same key it is the same one."""
    paid = _held_payment(unit, form.payment_id)
    known = unit.one(select(schema.payment).where(schema.payment.c.request_key == f"{form.key}-1").with_for_update())
    if known is not None:
        return result_of(known), False, paid.terminal_ref
    left = paid.cents - given_back(unit, paid.id)
    cents = left if kind == "void" else parse_amount(form.amount)
    _check_back(unit, kind, paid, cents, left, form.why)
    receipt_id = unit.add(
        schema.receipt, request_key=form.key, patient_id=paid.patient_id, site_id=paid.site_id, day=books_day(unit, paid.site_id), at=unit.now, by_id=unit.actor.id,
    )  # fmt: skip
    state = PaymentState.ASKING if is_terminal(paid) else PaymentState.TAKEN
    back_id = unit.add(
        schema.payment, request_key=f"{form.key}-1", receipt_id=receipt_id, kind=kind, of_id=paid.id, patient_id=paid.patient_id, visit_id=paid.visit_id, site_id=paid.site_id,
        tender=paid.tender, cents=-cents, asked_cents=-cents, cheque_number=paid.cheque_number, card_ending=paid.card_ending, card_id=paid.card_id, state=state,
        words=form.why.strip()[:200], day=books_day(unit, paid.site_id), at=unit.now, by_id=unit.actor.id,
    )  # fmt: skip
    _negative_parts(unit, paid.id, back_id, cents)
    back = unit.one(select(schema.payment).where(schema.payment.c.id == back_id))
    if state == PaymentState.TAKEN:
        what = "Payment voided" if kind == "void" else f"Given back, {tender_words(unit.clinic, paid)}"
        post_back(unit, back, f"{what}: {form.why.strip()}")
    else:
        ask_later(unit, back.request_key)
    unit.audit(
        f"payment.{kind}",
        patient_id=paid.patient_id,
        visit_id=paid.visit_id,
        payment=paid.id,
        cents=cents,
        why=form.why.strip(),
    )
    return result_of(back), True, paid.terminal_ref


def _held_payment(unit: Unit, payment_id: int) -> Any:
    """A taken payment, its ledgers locked first, in the order of every act on money."""
    p, part = schema.payment, schema.payment_part
    paid = unit.one(select(p).where(p.c.id == payment_id, p.c.kind == "payment"))
    if paid is None:
        raise NotFound("There is no such payment.")
    rows = unit.rows(select(part.c.patient_id, part.c.visit_id).where(part.c.payment_id == payment_id).distinct())
    for row in sorted(rows, key=lambda row: (row.visit_id is None, row.visit_id or 0)):
        ledger_of(unit, row.patient_id, row.visit_id, paid.site_id)
    paid = unit.one(select(p).where(p.c.id == payment_id).with_for_update())
    if paid.state != PaymentState.TAKEN:
        raise Conflict("This payment was not taken, so nothing can be given back.", "amount")
    return paid


def given_back(unit: Unit, payment_id: int) -> int:
    """Cents of a payment that were refunded, voided or returned, or that the terminal is being asked to give back."""
    p = schema.payment
    rows = unit.rows(select(p.c.cents).where(p.c.of_id == payment_id, p.c.state != PaymentState.DECLINED))
    return -int(sum(row.cents for row in rows))


def _check_back(unit: Unit, kind: str, paid: Any, cents: int, left: int, why: str) -> None:
    wrong = ProblemCollector()
    if not why.strip():
        wrong.add("why", "Say why; it stands on the account.")
    if left <= 0:
        wrong.add("amount", "All of this payment was given back before.")
    elif cents > left:
        wrong.add("amount", f"Only {plain(left)} of this payment is left, so at most that can be given back.")
    wrong.raise_if_any()
    if kind == "void" and paid.day != books_day(unit, paid.site_id):
        raise Conflict("Its day is closed or over, so it cannot be voided. Give it back as a refund.", "amount")
    if kind == "refund":
        check_limit(cents, unit.actor.role, unit.clinic.money.limits, "give back")


def _negative_parts(unit: Unit, payment_id: int, back_id: int, cents: int) -> None:
    """The parts of what is given back mirror those of the payment, the last named first."""
    part = schema.payment_part
    rows = []
    for row in unit.rows(select(part).where(part.c.payment_id == payment_id).order_by(part.c.id.desc())):
        off = min(cents, row.cents)
        cents -= off
        if off:
            rows.append(
                {
                    "payment_id": back_id,
                    "patient_id": row.patient_id,
                    "visit_id": row.visit_id,
                    "line_id": row.line_id,
                    "cents": -off,
                }
            )
    if rows:
        unit.connection.execute(insert(part), rows)


@act("payments")
def cheque_returned(unit: Unit, payment_id: int, why: str, with_fee: bool) -> int:
    """The bank sent a cheque back: it is undone, what it paid is open again, and the clinic's fee is charged. The fee in cents."""
    paid = _held_payment(unit, payment_id)
    if paid.tender != Tender.CHEQUE:
        raise Refused("Only a cheque can come back from the bank.", "why")
    before = given_back(unit, paid.id)
    p = schema.payment
    if unit.one(select(p.c.id).where(p.c.of_id == paid.id, p.c.kind.in_(("returned", "void")))) is not None:
        raise Conflict("This cheque was returned or voided before.", "why")
    receipt_id = unit.add(
        schema.receipt, request_key=f"returned-{paid.id}", patient_id=paid.patient_id, site_id=paid.site_id, day=books_day(unit, paid.site_id), at=unit.now, by_id=unit.actor.id,
    )  # fmt: skip
    back_id = unit.add(
        schema.payment, request_key=f"returned-{paid.id}-1", receipt_id=receipt_id, kind="returned", of_id=paid.id, patient_id=paid.patient_id, visit_id=paid.visit_id,
        site_id=paid.site_id, tender=paid.tender, cents=-paid.cents, asked_cents=-paid.cents, cheque_number=paid.cheque_number, state=PaymentState.TAKEN,
        words=why.strip()[:200], day=books_day(unit, paid.site_id), at=unit.now, by_id=unit.actor.id,
    )  # fmt: skip
    _negative_parts(unit, paid.id, back_id, paid.cents)
    back = unit.one(select(p).where(p.c.id == back_id))
    words = f"Cheque {paid.cheque_number} came back{f': {why.strip()}' if why.strip() else ''}"
    unpaid = post_back(unit, back, words)
    ledger = OwnLedger(paid.patient_id, paid.site_id)
    if unpaid and before:  # refunded before it bounced: the person had that money
        charge_own(
            unit,
            ledger,
            "fee",
            Kind.FEE,
            unpaid,
            f"Cheque {paid.cheque_number} came back after {plain(unpaid)} of it was refunded",
        )
    fee = unit.clinic.money.returned_fee if with_fee else 0
    if fee:
        charge_own(unit, ledger, "fee", Kind.FEE, fee, f"Fee, cheque {paid.cheque_number} came back")
    unit.audit("cheque.returned", patient_id=paid.patient_id, visit_id=paid.visit_id, payment=paid.id, fee=fee)
    tell_money(unit, ledger)
    return fee


def charge_own(unit: Unit, ledger: OwnLedger, line_kind: str, kind: Kind, cents: int, words: str, **more: Any) -> int:
    """A charge on the patient's own ledger; its line."""
    line_id = unit.add(
        schema.charge_line, patient_id=ledger.patient_id, kind=line_kind, fee_cents=cents, words=words[:120], billed=False, entered_at=unit.now, entered_by=unit.actor.id
    )  # fmt: skip
    add_entry(unit, ledger, kind, cents, 0, words, line_id=line_id, **more)
    return line_id


@dataclass(frozen=True, slots=True)
class OffForm:
    """What to take off a line, as typed: an amount, or (for a discount) a percentage of what is open."""

    line_id: int
    amount: str
    percent: str = ""
    reason_id: int = 0
    why: str = ""


@act("payments")
def write_off(unit: Unit, form: OffForm) -> int:
    """Forgive (part of) what the patient owes on a line, for a reason; the entry."""
    ledger, parts = _line_ledger(unit, form.line_id)
    found = unit.clinic.money.reasons.get(form.reason_id)
    if found is None or not found.active:
        raise Refused("Choose why it is written off.", "reason_id")
    cents = parse_amount(form.amount)
    check_within(cents, parts.patient, "written off")
    check_limit(cents, unit.actor.role, unit.clinic.money.limits, "write off")
    words = f"Written off, {found.words.lower()}{f': {form.why.strip()}' if form.why.strip() else ''}"
    return _take_off(unit, ledger, Kind.WRITE_OFF, form.line_id, cents, words, reason_id=found.id)


@act("payments")
def give_discount(unit: Unit, form: OffForm) -> int:
    """Take an amount or a percentage off what is open on a line; the entry."""
    ledger, parts = _line_ledger(unit, form.line_id)
    if form.percent.strip():
        share = int(form.percent) if form.percent.strip().isdecimal() and len(form.percent.strip()) < 4 else 0
        if not 1 <= share <= 100:
            raise Refused("A whole percentage from 1 to 100.", "percent")
        cents, what = percent_of(max(0, parts.patient), share), f"{share} percent"
    else:
        cents, what = parse_amount(form.amount), "by hand"
    check_within(cents, parts.patient, "taken off")
    check_limit(cents, unit.actor.role, unit.clinic.money.limits, "take off")
    if not form.why.strip():
        raise Refused("Say what the discount is for; it stands on the account.", "why")
    return _take_off(unit, ledger, Kind.DISCOUNT, form.line_id, cents, f"Discount, {what}: {form.why.strip()}")


def _take_off(unit: Unit, ledger: Any, kind: Kind, line_id: int, cents: int, words: str, **more: Any) -> int:
    entry = add_entry(unit, ledger, kind, -cents, 0, words, line_id=line_id, **more)
    settle(unit, ledger)
    unit.audit(
        f"money.{kind}", patient_id=ledger.patient_id, visit_id=ledger.id, line=line_id, cents=cents, words=words
    )
    tell_money(unit, ledger)
    return entry


def _line_ledger(unit: Unit, line_id: int) -> tuple[Any, Parts]:
    """A line's ledger, locked, and what is open on it."""
    line = next(iter(money.lines_of(unit.connection, [line_id])), None)
    if line is None:
        raise NotFound("There is no such charge.")
    site_id = unit.one(select(schema.journal.c.site_id).where(schema.journal.c.line_id == line_id).limit(1))
    ledger = ledger_of(unit, line.person_id, line.visit_id, site_id.site_id if site_id else unit.clinic.first_site.id)
    parts = line_parts(entries_of(unit, ledger), allocations_of(unit, ledger)).get(line_id, Parts())
    return ledger, parts


@act("payments")
def shift_part(unit: Unit, line_id: int, to: str, amount: str, why: str) -> int:
    """Move (part of) a line from the insurer's part to the patient's (`to` "patient") or back ("insurer"); the entry."""
    ledger, parts = _line_ledger(unit, line_id)
    cents = parse_amount(amount)
    wrong = ProblemCollector()
    most = parts.insurer if to == "patient" else parts.patient
    holder = "the insurer" if to == "patient" else "the patient"
    if to not in {"patient", "insurer"}:
        wrong.add("to", "Choose who is to pay it.")
    elif cents > max(0, most):
        wrong.add("amount", f"Only {plain(max(0, most))} of it is with {holder}, so at most that can be moved.")
    if not why.strip():
        wrong.add("why", "Say why; it stands on the account.")
    wrong.raise_if_any()
    sign = 1 if to == "patient" else -1
    words = f"Moved to {'patient' if to == 'patient' else 'insurer'}: {why.strip()}"
    entry = add_entry(unit, ledger, Kind.TRANSFER, sign * cents, -sign * cents, words, line_id=line_id)
    settle(unit, ledger)
    unit.audit("money.shifted", patient_id=ledger.patient_id, visit_id=ledger.id, line=line_id, cents=cents, to=to)
    tell_money(unit, ledger)
    return entry


@act("payments")
def hand_over(unit: Unit, line_id: int, to_patient_id: int, amount: str, why: str) -> int:
    """Somebody else of the household owes (part of) a line from now on; the line on their own ledger."""
    ledger, parts = _line_ledger(unit, line_id)
    cents = parse_amount(amount)
    check_within(cents, parts.patient, "moved")
    p = schema.patient
    people = {
        row.id: row
        for row in unit.rows(
            select(p.c.id, p.c.first, p.c.household_id).where(p.c.id.in_((ledger.patient_id, to_patient_id)))
        )
    }
    if (
        to_patient_id == ledger.patient_id
        or to_patient_id not in people
        or len({row.household_id for row in people.values()}) != 1
    ):
        raise Refused("Choose another person of this household.", "to_patient")
    if not why.strip():
        raise Refused("Say why; it stands on both accounts.", "why")
    target = ledger_of(unit, to_patient_id, None, ledger.site_id)
    words = f"Moved to {people[to_patient_id].first}: {why.strip()}"
    out = add_entry(unit, ledger, Kind.TRANSFER, -cents, 0, words, line_id=line_id)
    there = charge_own(
        unit,
        target,
        "moved",
        Kind.TRANSFER,
        cents,
        f"From {people[ledger.patient_id].first}: {why.strip()}",
        of_id=out,
    )
    for each in (ledger, target):
        settle(unit, each)
        tell_money(unit, each)
    unit.audit(
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
def take_entry_back(unit: Unit, entry_id: int, why: str) -> int:
    """Reverse a write-off, discount, fee, interest or a moved part. The patient.

    A payment is voided or refunded instead, a service changed on its visit; what the insurer's answer wrote stands.
    """
    j = schema.journal
    row = unit.one(select(j).where(j.c.id == entry_id))
    if row is None:
        raise NotFound("There is no such entry.")
    if row.kind not in _CAN_BE_TAKEN_BACK or row.line_id is None or row.claim_id is not None:
        raise Refused(
            "This cannot be taken back here: void or refund a payment, change a service on its visit.", "entry"
        )
    if not why.strip():
        raise Refused("Say why; it stands on the account.", "why")
    partner = _partner(unit, row)
    pair = [each for each in (row, partner) if each is not None]
    ledgers = [
        ledger_of(unit, each.patient_id, each.visit_id, each.site_id)
        for each in sorted(pair, key=lambda e: (e.visit_id is None, e.visit_id or 0))
    ]
    entry: Entry
    for each in pair:
        if unit.one(select(j.c.id).where(j.c.reverses_id == each.id)) is not None:
            raise Conflict("This was taken back before.", "entry")
    if row.patient_cents < 0:
        check_limit(
            0 if unit.clinic.money.limits.get(unit.actor.role, 0) == NO_LIMIT else -row.patient_cents,
            unit.actor.role,
            unit.clinic.money.limits,
            "take back",
        )
    for each in pair:
        ledger = next(one for one in ledgers if (one.patient_id, one.id) == (each.patient_id, each.visit_id))
        entry = money.entry_of(each)
        reverse(unit, ledger, entry, f"Taken back: {why.strip()}")
    for ledger in ledgers:
        settle(unit, ledger)
        tell_money(unit, ledger)
    unit.audit("money.taken_back", patient_id=row.patient_id, visit_id=row.visit_id, entry=entry_id, why=why.strip())
    return int(row.patient_id)


def _partner(unit: Unit, row: Any) -> Any:
    """The other half of what was moved between two people, or None."""
    j = schema.journal
    if row.kind != Kind.TRANSFER:
        return None
    if row.of_id is not None:
        return unit.one(select(j).where(j.c.id == row.of_id))
    return unit.one(select(j).where(j.c.of_id == row.id))
