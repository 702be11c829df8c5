"""Placing what an insurer paid on one claim by hand: the grid's boxes are an answer like any other, placed by
the same rules, and a person says where the rest of a line goes. Taken out again, everything it did is
reversed, and the claim waits anew.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from zax.core.claims.case import successor
from zax.core.claims.claim import Rank
from zax.core.claims.states import NOT_STANDING, ClaimState
from zax.core.errors import Conflict, NotFound, Problems
from zax.core.money.journal import unreversed
from zax.core.remits.grid import Boxes, Place, as_answer, decided, problem_with
from zax.core.remits.line import ExpectedLine, Posting
from zax.core.remits.placing import FOR_A_PERSON, Outcome, Placed, place
from zax.core.remits.shortfalls import Shortfall, Work
from zax.core.wording import dollars
from zax.core.x12.remittance import RemitClaim
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.track import locked_visit
from zax.desk.claims.claims import add_event
from zax.desk.claims.making import make_claims
from zax.desk.money.ledger import bill_of
from zax.desk.remits.answering import credit_used, undo
from zax.desk.remits.at_hand import AtHand, at_hand
from zax.desk.remits.carrying_out import Paying, carry_out
from zax.desk.remits.finishing import finish_if_placed
from zax.desk.remits.rules import rules_now
from zax.store.claims import claims
from zax.store.claims.claims import ClaimRow
from zax.store.money import journal
from zax.store.remits import remits, shortfalls
from zax.store.remits.remits import AnswerRow, Remit


def _claim_of_visit(tx: Transaction, claim_id: int) -> ClaimRow:
    """A claim over services that were done. Raises NotFound."""
    row = claims.claim_of(tx.connection, claim_id)
    if row is None or row.visit_id is None:
        raise NotFound("There is no such claim of a visit.")
    return row


def placed_as_typed(tx: Transaction, at: AtHand, typed: Mapping[int, Boxes]) -> Placed:
    """What the boxes come to by the rules. Raises Problems beside the lines that can't be."""
    later = at.row.rank != Rank.PRIMARY
    lines = _lines(tx, at)
    wrong = {
        f"paid-{each.line_id}": said
        for each in lines
        if (said := problem_with(each, typed.get(each.line_id, Boxes()), later))
    }
    if wrong:
        raise Problems(wrong)
    placed = place(_answer(at, lines, typed), lines, at.reading(rules_now(tx.connection)))
    if placed.why_not:
        raise Conflict(placed.why_not)
    return placed


def _lines(tx: Transaction, at: AtHand) -> list[ExpectedLine]:
    """A person places on the charges as they are now, whatever the claim said of them."""
    return [replace(each, charged=None) for each in at.expected(tx.clinic)]


def _answer(at: AtHand, lines: Sequence[ExpectedLine], typed: Mapping[int, Boxes]) -> RemitClaim:
    return as_answer(at.row.number, lines, typed, at.row.rank != Rank.PRIMARY, at.row.payer_claim)


@act("claims")
def place_claim(
    tx: Transaction,
    remit_id: int,
    claim_id: int,
    typed: Mapping[int, Boxes],
    answer_id: int = 0,
    split: bool = False,
    seen: int = 0,
) -> int:
    """Place part of a payment on a claim; the answer's number. `answer_id` is the answer of a file that
    waited for this; `split`: the paper gave one sum for the claim; `seen`: how many answers it had when it
    was opened. Conflict when somebody else placed it meanwhile.
    """
    held = remits.hold_remit(tx.connection, remit_id)
    if held is None:
        raise NotFound("There is no such insurer payment.")
    if held.state != remits.OPEN:
        raise Conflict("This payment isn’t open. Open it again first.")
    at = at_hand(tx, _claim_of_visit(tx, claim_id))
    row = at.row
    _free_to_place(tx, held, row, answer_id, seen)
    lines, placed = _lines(tx, at), placed_as_typed(tx, at, typed)
    answer = _answer(at, lines, typed)
    if held.by_hand and answer.paid_cents > held.rest_cents:
        raise Conflict(
            f"Only {dollars(held.rest_cents)} of this payment is left, and this places"
            f" {dollars(answer.paid_cents)}."
        )
    paying = Paying(remit_id=held.id, payer=held.payer, trace=held.trace, day=held.day, file_id=held.file_id)
    placed = with_places(placed, typed, lines, f"{held.payer} {held.trace}")
    if split:
        add_event(tx, row.id, f"{dollars(answer.paid_cents)} came as one sum and was split over its services")
    done = carry_out(tx, paying, at, answer, placed, answer_id)
    remits.change_remit(tx.connection, held.id, worked_by_id=tx.actor.id, worked_at=tx.now)
    finish_if_placed(tx, held.id)
    tx.audit("payment.placed", patient_id=row.patient_id, claim_id=row.id, cents=answer.paid_cents)
    tx.tell("claim")
    return done.answer_id


def with_places(placed: Placed, typed: Mapping[int, Boxes], lines: list[ExpectedLine], words: str) -> Placed:
    """What was decided about each rest is posted with it; a rest for the next plan is asked of that."""
    by_line = {each.line_id: each for each in lines}
    postings: list[Posting] = list(placed.postings)
    left: list[Shortfall] = []
    second = placed.second
    for short in placed.shortfalls:
        where = typed.get(short.line_id, Boxes()).place
        moved = sum(each.insurer_cents for each in placed.postings if each.line_id == short.line_id)
        ours = by_line[short.line_id]
        now = replace(ours.open, insurer=ours.open.insurer + moved)
        if short.work is Work.ABOVE or where is Place.WORK:
            left.append(short)
        elif where is Place.NEXT:
            second += min(short.cents, now.insurer)
        else:
            postings += decided(short, where, now, words)
    return replace(
        placed,
        postings=tuple(postings),
        shortfalls=tuple(left),
        second=second,
        denied=any(each.work not in {Work.UNDERPAID, Work.ABOVE} for each in left),
    )


def _free_to_place(tx: Transaction, held: Remit, row: ClaimRow, answer_id: int, seen: int) -> None:
    """Nobody works one claim twice: not in this payment, nor one that was answered since it was opened."""
    if row.closed_why in NOT_STANDING:
        after = successor(claims.claims_of_visit_for_update(tx.connection, row.visit_id or 0), row.id)
        instead = f" Place it on claim {after.number}." if after else ""
        raise Conflict(f"Claim {row.number} was replaced.{instead}")
    if row.state in {ClaimState.READY, ClaimState.HELD_BACK, ClaimState.GOING, ClaimState.REJECTED}:
        claims.mark_sent(tx.connection, row.id, tx.now)
        add_event(tx, row.id, "Noted as sent on paper: its payment came")
    answers = remits.answers_of_claim(tx.connection, row.id)
    for each in answers:
        if each.id == answer_id:
            if each.outcome not in FOR_A_PERSON:
                raise Conflict("Someone placed this meanwhile. Take another look.")
        elif each.remit_id == held.id and each.outcome not in FOR_A_PERSON:
            raise Conflict(f"Claim {row.number} is placed in this payment already. Take it out to change it.")
    if standing_answers(answers) > seen:
        last = next(each for each in reversed(answers) if each.outcome not in FOR_A_PERSON)
        raise Conflict(
            f"{last.by_name or 'The payer’s file'} placed claim {row.number} meanwhile. Open it again to see"
            " what is left of it."
        )


def standing_answers(answers: Sequence[AnswerRow]) -> int:
    """How many of a claim's answers are placed."""
    return sum(each.outcome not in FOR_A_PERSON for each in answers)


@act("claims")
def take_out(tx: Transaction, answer_id: int) -> None:
    """Take a claim out of a payment that is open: all of it is reversed, and the claim waits again."""
    answer = remits.hold_answer(tx.connection, answer_id)
    if answer is None:
        raise NotFound("There is no such line of a payment.")
    held = remits.hold_remit(tx.connection, answer.remit_id)
    if held is None or held.state == remits.READING:
        raise Conflict("This payment isn’t ready yet.")
    if held.state == remits.FINISHED:
        raise Conflict("This payment is finished. Open it again first.")
    taken_out(tx, held, answer, f"Taken out of {held.payer} {held.trace}")
    tx.tell("claim")


def taken_out(tx: Transaction, held: Remit, answer: AnswerRow, words: str) -> None:
    """Reverse what an answer did; its history stays."""
    if answer.outcome == Outcome.OUT:
        return
    if answer.claim_id is not None and answer.visit_id is not None:
        at = at_hand(tx, _claim_of_visit(tx, answer.claim_id))
        visit, row = at.visit, at.row
        posted = journal.entries_of_answer(tx.connection, answer.id)
        standing = [each.id for each in reversed(unreversed([each.entry for each in posted]))]
        stop = credit_used(tx, visit, [each for each in posted if each.id in standing])
        if stop:
            raise Conflict(stop)
        undo(tx, visit, row, standing, posted, words, answer.id)
        shortfalls.end_of_answer(tx.connection, answer.id, words, tx.now)
        others = [
            each
            for each in remits.answers_of_claim(tx.connection, row.id)
            if each.id != answer.id and each.outcome not in FOR_A_PERSON
        ]
        if not others and row.closed_why not in NOT_STANDING:
            claims.wait_again(tx.connection, row.id)
        else:
            claims.set_paid(tx.connection, row.id, sum(each.paid_cents for each in others))
        add_event(tx, row.id, words)
        tx.tell("money", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)
    outcome = Outcome.OUT if held.by_hand else Outcome.PERSON
    why = words if held.by_hand else f"{words}. Place it anew."
    remits.change_answer(tx.connection, answer.id, outcome=outcome, why=why[:500])


@act("claims")
def set_aside_answer(tx: Transaction, answer_id: int, why: str) -> None:
    """An answer that nothing is to be placed for: another clinic's, told twice, looked into. Its money, if it
    has any, stays in the rest of its payment.
    """
    answer = remits.hold_answer(tx.connection, answer_id)
    if answer is None:
        raise NotFound("There is no such line of a payment.")
    if answer.outcome not in FOR_A_PERSON:
        raise Conflict("This was decided already.")
    if not why.strip():
        raise Problems({"why": "Say what came of it."})
    remits.change_answer(
        tx.connection, answer.id, outcome=Outcome.OUT, why=f"{answer.why} Closed: {why.strip()}"[:500]
    )
    finish_if_placed(tx, answer.remit_id)
    if answer.claim_id:
        add_event(tx, answer.claim_id, f"Looked into: {why.strip()[:200]}")
    tx.audit("payment.answer_closed", answer_id=answer.id, words=why.strip()[:200])
    tx.tell("claim")


@act("claims")
def note_sent_on_paper(tx: Transaction, visit_id: int) -> int:
    """The claims of a visit that nobody billed count as sent on paper; the first of them."""
    visit = locked_visit(tx, visit_id)
    made = make_claims(tx, visit, bill_of(tx.connection, tx.clinic, visit))
    if not made:
        raise Conflict("No plan on file pays for this visit. Add the coverage first.")
    for claim_id in made:
        claims.mark_sent(tx.connection, claim_id, tx.now)
        add_event(tx, claim_id, "Noted as sent on paper: its payment came")
    return made[0]
