"""One claim's answer from a payment file: which claim it is about, and whether it may be posted by itself.

It is matched by our claim number, by our line numbers, then by the payer's own number of the claim; each has
to agree with the charge. Whatever is only alike (same name, day and charge) is a suggestion for a person and
never posted. An answer that comes a second time, or is about a claim that was corrected since, waits too.
"""

from __future__ import annotations

from collections.abc import Sequence

from zax.core.claims.case import successor
from zax.core.claims.claim import Frequency
from zax.core.claims.states import NOT_STANDING, ClaimState
from zax.core.money.journal import Kind, credit_left, held_by, line_parts
from zax.core.remits.kept import answer_of, as_kept
from zax.core.remits.placing import Outcome, place
from zax.core.remits.rules import Rulebook
from zax.core.remits.taken_back import take_back, waiting_again
from zax.core.wording import dollars
from zax.core.x12.remittance import RemitClaim
from zax.desk.acts.transaction import Transaction
from zax.desk.claims.claims import add_event
from zax.desk.claims.predetermining import take_planned_answer
from zax.desk.money.ledger import OwnLedger, reverse, settle_visit
from zax.desk.money.posting import lock_household
from zax.desk.remits.at_hand import AtHand, at_hand
from zax.desk.remits.carrying_out import Paying, carry_out, entry_of
from zax.desk.remits.finishing import finish_if_placed
from zax.store.book.records import Visit
from zax.store.claims import claims
from zax.store.claims.claims import ClaimRow
from zax.store.coverage.queries import one_coverage
from zax.store.money import journal
from zax.store.money import queries as money
from zax.store.money.records import LedgerEntry
from zax.store.remits import remits, shortfalls

# Processed as the second or third plan, or after the claim was passed on.
_LATER_PLAN = frozenset({"2", "3", "20", "21"})


def take_answer(
    tx: Transaction,
    paying: Paying,
    answer: RemitClaim,
    rules: Rulebook,
    known: dict[str, AtHand],
    corrected: bool = False,
) -> bool:
    """Post one claim's answer; True when a person must decide. `known` are the claims of the lot that nobody
    has touched yet; `corrected`: the same payment decides the claim anew after taking it back.
    """
    at = known.pop(answer.number, None)
    if at is None:
        tx.flush()
        row = _claim_meant(tx, answer)
        if row is None:
            whose = f" for {answer.patient_name}" if answer.patient_name else ""
            why = f"We have no claim {answer.number or '(no number)'}{whose}."
            return for_a_person(tx, paying, None, answer, Outcome.UNKNOWN, why)
        if row.visit_id is None:
            return _take_planned(tx, paying, answer, row)
        at = at_hand(tx, row)
    _forget_visit(known, at.visit.id)
    at = _of_plan_meant(tx, paying, answer, at)
    if answer.status == "22":
        return _take_back(tx, paying, at, answer, rules, corrected)
    stop = _not_by_itself(tx, paying, at)
    if stop is not None:
        return for_a_person(tx, paying, at.row, answer, *stop)
    waits = place_answer(tx, paying, at, answer, rules)
    if at.waits:
        _take_back_what_came_early(tx, paying, at.row, rules)
    return waits


def _forget_visit(known: dict[str, AtHand], visit_id: int) -> None:
    """What is known of the visit's other claims is of before this answer."""
    for number in [each for each, at in known.items() if at.visit.id == visit_id]:
        del known[number]


def place_answer(
    tx: Transaction,
    paying: Paying,
    at: AtHand,
    answer: RemitClaim,
    rules: Rulebook,
    answer_id: int = 0,
) -> bool:
    """Place it by the rules and post it, or leave it to a person with the reason."""
    placed = place(answer, at.expected(tx.clinic), at.reading(rules))
    if placed.why_not:
        if answer_id:
            remits.change_answer(tx.connection, answer_id, outcome=Outcome.PERSON, why=placed.why_not)
            return True
        return for_a_person(tx, paying, at.row, answer, Outcome.PERSON, placed.why_not)
    return carry_out(tx, paying, at, answer, placed, answer_id).waits


def _claim_meant(tx: Transaction, answer: RemitClaim) -> ClaimRow | None:
    row = claims.claim_by_number(tx.connection, answer.number)
    if row is not None:
        return row
    numbers = [int(each.number[1:]) for each in answer.lines if _is_ours(each.number)]
    by_line = claims.claims_of_lines(tx.connection, numbers) if len(numbers) == len(answer.lines) else []
    for candidates in (by_line, claims.claims_with_payer_number(tx.connection, answer.payer_claim)):
        alike = [each for each in candidates if each.cents == abs(answer.charge_cents) and each.visit_id]
        standing = [
            each
            for each in alike
            if each.closed_why not in NOT_STANDING and _same_name(tx, each, answer.patient_name)
        ]
        if len(standing) == 1:
            return standing[0]
    return None


def _same_name(tx: Transaction, row: ClaimRow, name: str) -> bool:
    """Whether the payer names the claim's patient, or nobody."""
    whose = claims.listed_claim(tx.connection, row.id)
    return not name or (whose is not None and whose.last.casefold() in name.casefold())


def _is_ours(number: str) -> bool:
    return number.startswith("L") and number[1:].isdecimal() and len(number) < 12


def _of_plan_meant(tx: Transaction, paying: Paying, answer: RemitClaim, at: AtHand) -> AtHand:
    """A claim that was passed on keeps its number: what the next plan answers is about the claim to it."""
    if at.row.state not in {ClaimState.CLOSED, ClaimState.DENIED}:
        return at
    for each in claims.claims_of_visit_for_update(tx.connection, at.visit.id):
        follows = each.follows_id == at.row.id and each.frequency == Frequency.ORIGINAL
        if follows and each.state in {ClaimState.SENT, ClaimState.ACCEPTED}:
            coverage = one_coverage(tx.connection, each.coverage_id)
            named = coverage is not None and coverage.payer_name.casefold() == paying.payer.casefold()
            if named or answer.status in _LATER_PLAN:
                return at_hand(tx, each)
    return at


def _not_by_itself(tx: Transaction, paying: Paying, at: AtHand) -> tuple[Outcome, str] | None:
    """Why a person has to see to an answer whatever it says."""
    row, visit = at.row, at.visit
    if row.closed_why in NOT_STANDING:
        case = claims.claims_of_visit_for_update(tx.connection, visit.id)
        after = successor(case, row.id)
        now = f"claim {after.number} took its place" if after else row.closed_why
        return Outcome.PERSON, f"This answers claim {row.number}, but {now}."
    if paying.day and paying.day < visit.day:
        return Outcome.PERSON, "The payment is dated before the visit that it pays."
    answered = row.state == ClaimState.CLOSED or (row.state == ClaimState.DENIED and row.paid_cents)
    if answered:
        return Outcome.REPEATED, "The payer already responded to this claim; it may have paid twice."
    return None


def _take_planned(tx: Transaction, paying: Paying, answer: RemitClaim, row: ClaimRow) -> bool:
    """An answer about planned work is kept with the work, never posted."""
    row = claims.claim_for_update(tx.connection, row.id) or row
    why = take_planned_answer(tx, paying.file_id or 0, row, answer, paying.day or tx.clinic_day)
    if why:
        return for_a_person(tx, paying, row, answer, Outcome.PERSON, why)
    _add(tx, paying, row, answer, Outcome.POSTED, "")
    return False


def _take_back(
    tx: Transaction,
    paying: Paying,
    at: AtHand,
    answer: RemitClaim,
    rules: Rulebook,
    corrected: bool,
    answer_id: int = 0,
) -> bool:
    """Reverse what was posted for the claim, which waits for the payer again; then what came before its
    turn. `answer_id` is the answer that waited for this.
    """
    tx.flush()
    row, visit = at.row, at.visit
    posted = journal.entries_of_claim(tx.connection, row.id)
    found = take_back(answer, at.expected(tx.clinic), [each.entry for each in posted])
    going = [each.id for each in found.entries]
    stop = found.why_not or credit_used(tx, visit, [each for each in posted if each.id in going])
    if stop:
        return bool(answer_id) or for_a_person(tx, paying, row, answer, Outcome.PERSON, stop)
    why = f"{paying.who} took back {dollars(-answer.paid_cents)}"
    outcome = Outcome.POSTED if corrected else Outcome.PERSON
    alone = "" if corrected else f"{why}, and no new decision came with it. Ask why."
    if answer_id:
        remits.change_answer(tx.connection, answer_id, outcome=outcome, why=alone)
    else:
        answer_id = _add(tx, paying, row, answer, outcome, alone)
    undo(tx, visit, row, going, posted, f"{why}, remittance {paying.trace}", answer_id)
    shortfalls.end_of_claim(tx.connection, row.id, "the payer took its decision back", tx.now)
    if successor(claims.claims_of_visit_for_update(tx.connection, visit.id), row.id) is None:
        claims.wait_again(tx.connection, row.id)
    add_event(tx, row.id, f"{why}, reversed", paying.file_id)
    tx.tell("money", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)
    if corrected:
        return False
    return _place_what_came_early(tx, row, rules, answer_id)


def _place_what_came_early(tx: Transaction, row: ClaimRow, rules: Rulebook, answer_id: int) -> bool:
    """A new decision that came before the old one was taken back waits as a second payment: now it is the
    only one. True where there is none, so that somebody asks the payer.
    """
    answers = remits.answers_of_claim(tx.connection, row.id)
    early = next((each for each in reversed(answers) if each.outcome == Outcome.REPEATED), None)
    if early is None or early.answer is None:
        return True
    then = _paying_of(tx, early.remit_id)
    waits = place_answer(tx, then, at_hand(tx, row), answer_of(early.answer), rules, early.id)
    remits.change_answer(tx.connection, answer_id, outcome=Outcome.POSTED, why="")
    finish_if_placed(tx, early.remit_id)
    return waits


def _take_back_what_came_early(tx: Transaction, paying: Paying, row: ClaimRow, rules: Rulebook) -> None:
    """A takeback that came before what it takes back waited for it; one that waited for a new decision has
    it now. What the same payment says beside a takeback is its new decision, never what it takes back.
    """
    for each in remits.answers_of_claim(tx.connection, row.id):
        said = answer_of(each.answer) if each.outcome == Outcome.PERSON and each.answer else None
        if said is None or said.status != "22" or each.remit_id == paying.remit_id:
            continue
        if journal.entries_of_answer(tx.connection, each.id):
            remits.change_answer(tx.connection, each.id, outcome=Outcome.POSTED, why="")
        else:
            then = _paying_of(tx, each.remit_id)
            _take_back(tx, then, at_hand(tx, row), said, rules, False, each.id)
        finish_if_placed(tx, each.remit_id)


def _paying_of(tx: Transaction, remit_id: int) -> Paying:
    came = remits.remit_of(tx.connection, remit_id)
    assert came is not None, "an answer has its payment"
    return Paying(remit_id=came.id, payer=came.payer, trace=came.trace, day=came.day, file_id=came.file_id)


def undo(
    tx: Transaction,
    visit: Visit,
    row: ClaimRow,
    entry_ids: Sequence[int],
    posted: Sequence[LedgerEntry],
    words: str,
    answer_id: int | None,
) -> None:
    """Reverse these entries of a claim on today's books, with the credits that came of them; what patients
    have not paid waits with the insurer again. An answer that takes back is the one that the reversals carry
    out.
    """
    by_id = {each.id: each for each in posted}
    own = OwnLedger(visit.patient_id, visit.site_id)
    for entry_id in entry_ids:
        if (credit := _credit_of(tx, by_id[entry_id])) is not None:
            lock_household(tx, visit.patient_id)
            reverse(tx, own, credit.entry, words)
        reverse(tx, visit, by_id[entry_id].entry, words, claim_id=row.id, answer_id=answer_id)
    entries = money.visit_entries(tx.connection, visit.id)
    given = money.visit_allocations(tx.connection, visit.id)
    lines = [line.id for line in money.claim_lines(tx.connection, row.id)]
    paid: dict[int, int] = {}
    for credit_id in {each.credit_id for each in given}:
        for line_id, cents in held_by(credit_id, given).items():
            paid[line_id] = paid.get(line_id, 0) + cents
    waits = waiting_again(line_parts(entries, ()), paid, lines)
    journal.add_entries(tx.connection, [entry_of(tx, visit, each, row.id, answer_id) for each in waits])
    settle_visit(tx, visit)


def _credit_of(tx: Transaction, entry: LedgerEntry) -> LedgerEntry | None:
    """The credit on the patient's own ledger that an overpayment became."""
    if entry.kind != Kind.TRANSFER or entry.patient_cents or entry.insurer_cents <= 0:
        return None
    found = journal.transfer_to(tx.connection, entry.id)
    return found if found and not journal.is_reversed(tx.connection, found.id) else None


def credit_used(tx: Transaction, visit: Visit, entries: Sequence[LedgerEntry]) -> str:
    """Why a credit that came of an overpayment can't be taken back with it; empty where it lies unused."""
    for each in entries:
        credit = _credit_of(tx, each)
        if credit is None:
            continue
        ledger = money.ledger_entries(tx.connection, visit.patient_id, None)
        left = credit_left(ledger, money.ledger_allocations(tx.connection, visit.patient_id, None))
        if left.get(credit.id, 0) < each.insurer_cents:
            used = dollars(each.insurer_cents - left.get(credit.id, 0))
            return f"{used} of the credit from this payment has been used. Undo that on the account first."
    return ""


def for_a_person(
    tx: Transaction, paying: Paying, row: ClaimRow | None, answer: RemitClaim, outcome: str, why: str
) -> bool:
    """Keep it for somebody to decide; True, as it needs a person."""
    _add(tx, paying, row, answer, outcome, why)
    if row is not None:
        add_event(tx, row.id, f"{paying.who}: {why}", paying.file_id)
    return True


def _add(
    tx: Transaction, paying: Paying, row: ClaimRow | None, answer: RemitClaim, outcome: str, why: str
) -> int:
    return remits.add_answer(
        tx.connection,
        remit_id=paying.remit_id,
        claim_id=row.id if row else None,
        number=answer.number,
        paid_cents=answer.paid_cents,
        outcome=outcome,
        why=why,
        answer=as_kept(answer),
        at=tx.now,
        by_id=tx.actor.id,
    )
