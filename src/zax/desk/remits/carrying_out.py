"""What an insurer's answer does once it is decided where it goes: the journal, the claim, what stays short
and the next plan. The same for an answer that came in a file and for one that was entered by hand.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Any

from zax.core.claims.states import ClaimState
from zax.core.money.journal import Entry, Kind
from zax.core.remits.kept import as_kept, lines_as_kept
from zax.core.remits.line import Posting
from zax.core.remits.placing import Outcome, Placed
from zax.core.wording import dollars
from zax.core.x12.remittance import RemitClaim
from zax.desk.acts.transaction import Transaction
from zax.desk.claims.claims import add_event
from zax.desk.claims.thread import next_plan_asked, passed_to_next_plan
from zax.desk.money.ledger import OwnLedger, add_entry, books_day, settle_known
from zax.desk.money.posting import lock_household
from zax.desk.remits.at_hand import AtHand
from zax.store.book.records import Visit
from zax.store.claims import claims
from zax.store.money import journal
from zax.store.money.records import NewEntry
from zax.store.remits import remits, shortfalls


@dataclass(frozen=True, slots=True, kw_only=True)
class Paying:
    """The payment that an answer came with; `file_id` is None for one by hand, `trace` its number."""

    remit_id: int
    payer: str
    trace: str
    day: date | None
    file_id: int | None = None

    @property
    def who(self) -> str:
        return self.payer.title() if self.payer.isupper() else self.payer


@dataclass(frozen=True, slots=True)
class CarriedOut:
    """The answer as it is kept, and whether something of it still needs a person."""

    answer_id: int
    waits: bool


def carry_out(
    tx: Transaction,
    paying: Paying,
    at: AtHand,
    answer: RemitClaim,
    placed: Placed,
    answer_id: int = 0,
) -> CarriedOut:
    """Post what was placed. `answer_id` is the answer that was waiting for somebody to place it; 0 makes
    one.
    """
    row, visit = at.row, at.visit
    answer_id = _keep_answer(tx, paying, at, answer, placed, answer_id)
    made = _post_all(tx, paying, at, placed, answer_id)
    _note_shares(tx, answer, at)
    tx.later(
        claims.mark_answered,
        claim_id=row.id,
        now_state=ClaimState.DENIED if placed.denied else ClaimState.CLOSED,
        paid=row.paid_cents + answer.paid_cents,
        at=tx.now,
        payer_number=(answer.payer_claim or row.payer_claim)[:50],
        why=placed.short[:200] if placed.denied else "",
    )
    if answer.paid_cents or not placed.denied:
        paid = f"{paying.who} paid {dollars(answer.paid_cents)} of {dollars(answer.charge_cents)}, posted"
        add_event(tx, row.id, paid, paying.file_id)
    if at.short:
        shortfalls.end_of_claim(tx.connection, row.id, "the payer answered again", tx.now)
    _keep_short(tx, paying, at, placed, answer_id)
    settle_known(tx, visit, [*at.entries, *made], at.given)
    tx.tell("money", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)
    waits = _ask_next_plan(tx, paying, at, answer, placed, answer_id)
    return CarriedOut(answer_id, waits or bool(placed.short))


def _keep_answer(
    tx: Transaction, paying: Paying, at: AtHand, answer: RemitClaim, placed: Placed, answer_id: int
) -> int:
    """What was said, and about which lines, stays with what became of it; the answer's number."""
    off = any(each.kind == Kind.WRITE_OFF for each in placed.postings)
    whole = placed.denied and not answer.paid_cents and not off
    values: dict[str, Any] = {
        "outcome": Outcome.DENIED if whole else Outcome.POSTED,
        "why": placed.short,
        "answer": as_kept(answer),
        "expected": lines_as_kept(at.expected(tx.clinic)),
        "claim_id": at.row.id,
        "paid_cents": answer.paid_cents,
        "at": tx.now,
        "by_id": tx.actor.id,
    }
    if answer_id:
        remits.change_answer(tx.connection, answer_id, **values)
        return answer_id
    number = answer.number or at.row.number
    return remits.add_answer(tx.connection, remit_id=paying.remit_id, number=number, **values)


def _post_all(tx: Transaction, paying: Paying, at: AtHand, placed: Placed, answer_id: int) -> list[Entry]:
    """The journal entries of an answer, as the ledger has them from now on."""
    made = [
        entry_of(tx, at.visit, replace(each, words=_words(paying, each)), at.row.id, answer_id)
        for each in placed.postings
    ]
    journal.add_entries(
        tx.connection,
        [entry for entry, each in zip(made, placed.postings, strict=True) if not each.credit],
    )
    for entry, each in zip(made, placed.postings, strict=True):
        if each.credit:
            lock_household(tx, at.visit.patient_id)
            own = OwnLedger(at.visit.patient_id, at.visit.site_id)
            owner = f"{paying.who} paid more than was left on claim {at.row.number}"
            of_id = journal.add_entry(tx.connection, entry)
            add_entry(tx, own, Kind.TRANSFER, -each.insurer_cents, 0, owner, of_id=of_id)
    return [
        Entry(
            id=-number,
            kind=each.kind,
            day=entry.day,
            patient_cents=entry.patient_cents,
            insurer_cents=entry.insurer_cents,
            line_id=entry.line_id,
            visit_id=entry.visit_id,
        )
        for number, (entry, each) in enumerate(zip(made, placed.postings, strict=True), 1)
    ]


def _words(paying: Paying, posting: Posting) -> str:
    """What comes off the payer's part says which remittance took it."""
    from_payer = posting.insurer_cents < 0 and not posting.patient_cents
    return f"{posting.words}, remittance {paying.trace}" if from_payer else posting.words


def entry_of(
    tx: Transaction, visit: Visit, posting: Posting, claim_id: int, answer_id: int | None = None
) -> NewEntry:
    """A posting as an entry of the visit's journal, on today's books."""
    return NewEntry(
        kind=posting.kind,
        day=books_day(tx, visit.site_id),
        at=tx.now,
        by_id=tx.actor.id,
        site_id=visit.site_id,
        patient_id=visit.patient_id,
        visit_id=visit.id,
        patient_cents=posting.patient_cents,
        insurer_cents=posting.insurer_cents,
        words=posting.words[:200],
        line_id=posting.line_id,
        claim_id=claim_id,
        answer_id=answer_id,
    )


def _note_shares(tx: Transaction, answer: RemitClaim, at: AtHand) -> None:
    """What the payer counted as the patient's own part replaces our estimate of it."""
    ours = {f"L{each.id}": each.id for each in at.lines}
    for line in answer.lines:
        if line.number in ours:
            parts = {a.reason: a.cents for a in line.adjustments if a.group == "PR"}
            own = sum(parts.get(reason, 0) for reason in ("1", "2", "3"))
            tx.later(remits.note_shares, line_id=ours[line.number], deductible=parts.get("1", 0), own=own)


def _keep_short(tx: Transaction, paying: Paying, at: AtHand, placed: Placed, answer_id: int) -> None:
    """What stays short is work, until the day on which the payer takes no appeal anymore."""
    if not placed.shortfalls:
        return
    said = f"{placed.short} {placed.advice}".strip()
    if said:
        add_event(tx, at.row.id, said, paying.file_id)
    payer = tx.clinic.payers.get(at.coverage.payer_id) if at.coverage else None
    act_by = (paying.day or tx.clinic_day) + timedelta(days=payer.appeal_days) if payer else None
    for short in placed.shortfalls:
        shortfalls.add_shortfall(tx.connection, answer_id, at.row.id, tx.now, act_by, short)


def _ask_next_plan(
    tx: Transaction,
    paying: Paying,
    at: AtHand,
    answer: RemitClaim,
    placed: Placed,
    answer_id: int,
) -> bool:
    """What is the next plan's is asked of it at once, unless the payer has passed the claim on; whether a
    person has to see to it.
    """
    if not placed.second:
        return False
    tx.flush()
    row, day = at.row, paying.day or tx.clinic_day
    ask = passed_to_next_plan if placed.passed_on else next_plan_asked
    if ask(tx, row, at.visit, answer, day) is not None:
        if placed.passed_on:
            remits.change_answer(tx.connection, answer_id, outcome=Outcome.PASSED)
        return False
    to = answer.passed_to.title() or "the next plan"
    rest = dollars(placed.second)
    why = f"{rest} is for another plan, and none is on file. Add it, then bill it."
    if placed.passed_on:
        why = (
            f"The payer passed the claim on to {to} itself: {rest} is for them. That plan isn’t on file: ask"
            " the patient, then add it to the record."
        )
    add_event(tx, row.id, why, paying.file_id)
    remits.change_answer(tx.connection, answer_id, outcome=Outcome.SECOND, why=why)
    return True
