"""What payers left unpaid, and what is decided about each: a corrected claim, an appeal with its letter, the
patient's, written off within limits. Until then it stays with the insurer.
"""

from __future__ import annotations

from datetime import date, timedelta

from zax.clock import local
from zax.core.claims.worklist import USUAL_DAYS
from zax.core.errors import Conflict, NotFound, Refused
from zax.core.money.adjust import check_limit
from zax.core.money.journal import Parts, line_parts
from zax.core.remits.appeal import APPEAL, AppealFacts, filled
from zax.core.remits.grid import Place, decided
from zax.core.remits.shortfalls import Shortfall, Work
from zax.core.wording import dollars
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.track import locked_visit
from zax.desk.claims.claims import add_event
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.approvals import approvals_shown
from zax.desk.money.ledger import books_day, settle_visit
from zax.desk.remits.carrying_out import entry_of
from zax.desk.remits.letters import letter_text
from zax.store.claims import claims
from zax.store.claims.worklist import norms
from zax.store.coverage.queries import one_coverage
from zax.store.engine import Connection
from zax.store.files import FileStore
from zax.store.money import journal
from zax.store.money import queries as money
from zax.store.remits import shortfalls as stored
from zax.store.remits.shortfalls import OpenShortfall


@act("claims")
def decide(tx: Transaction, shortfall_id: int, place: Place, why: str = "") -> None:
    """Bill it to the patient or write it off, with words that the account and the statement say. Refused
    without a reason for a write-off, NotAllowed beyond the role's limit.
    """
    short = held_open(tx, shortfall_id)
    if place not in {Place.PATIENT, Place.WRITE_OFF}:
        raise Refused("Choose who pays it.", "place")
    visit = locked_visit(tx, short.visit_id)
    parts = line_parts(money.visit_entries(tx.connection, visit.id), ()).get(short.line_id, Parts())
    cents = min(short.cents, parts.insurer)
    if short.work == Work.ABOVE or cents <= 0:
        raise Conflict("Nothing of it is with the insurer anymore.")
    said = why.strip()[:120] or short.words
    if place is Place.WRITE_OFF:
        if not why.strip():
            raise Refused("Say why it’s written off.", "why")
        before = journal.taken_off(
            tx.connection, short.line_id, books_day(tx, visit.site_id), tx.actor.role.key
        )
        check_limit(
            cents, tx.actor.role, tx.clinic.money.limits, "write off", before, tx.clinic.roles.values()
        )
    about = Shortfall(line_id=short.line_id, cents=cents, work=Work(short.work))
    postings = decided(about, place, parts, said)
    journal.add_entries(tx.connection, [entry_of(tx, visit, each, short.claim_id) for each in postings])
    settle_visit(tx, visit)
    how = f"{'billed to the patient' if place is Place.PATIENT else 'written off'}: {said}"
    _end(tx, short, how)
    tx.tell("money", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)


@act("claims")
def leave_be(tx: Transaction, shortfall_id: int, why: str) -> None:
    """Nothing is to be done about it (paid above the contract, settled on the phone): off the list with a
    reason; the money stays where it is.
    """
    short = held_open(tx, shortfall_id)
    if not why.strip():
        raise Refused("Say what came of it.", "why")
    _end(tx, short, why.strip()[:200])


@act("claims")
def send_appeal(tx: Transaction, store: FileStore, shortfall_id: int, letter: bytes) -> date:
    """The letter went out: it is kept, and the payer has as long as it usually takes. The day by which it
    should have answered.
    """
    return note_sent(tx, held_open(tx, shortfall_id), store.put(letter), "Appeal")


def note_sent(tx: Transaction, short: OpenShortfall, letter: str, what: str) -> date:
    """One line is asked for by a letter (its place in the file store). The day by which it should be
    answered.
    """
    found = norms(tx.connection).get(short.payer_id)
    days = (found.own_days or found.learned_days or USUAL_DAYS) if found else USUAL_DAYS
    answer_by = tx.clinic_day + timedelta(days=days)
    stored.change_shortfall(
        tx.connection,
        short.id,
        state=stored.APPEALED,
        letter=letter,
        appealed_at=tx.now,
        answer_by=answer_by,
        by_id=tx.actor.id,
    )
    add_event(tx, short.claim_id, f"{what} sent for {short.code}, {dollars(short.cents)}")
    tx.audit("appeal.sent", patient_id=short.patient_id, claim_id=short.claim_id)
    tx.tell("claim")
    return answer_by


@act("claims")
def appeal_answered(tx: Transaction, shortfall_id: int, won: bool, why: str) -> None:
    """Won: the claim waits for its money again. Lost: it is on the list again, with what they said."""
    short = held_open(tx, shortfall_id)
    if short.state != stored.APPEALED:
        raise Conflict("No appeal was sent for this.")
    said = why.strip()[:200]
    if won:
        _end(tx, short, f"appeal won: {said}".rstrip(": "))
        if not stored.open_of_claim(tx.connection, short.claim_id):
            claims.wait_for_rest(tx.connection, short.claim_id)
        return
    words = f"Appeal turned down{f': {said}' if said else ''}. {short.words}"[:500]
    stored.change_shortfall(tx.connection, short.id, state=stored.OPEN, answer_by=None, words=words)
    add_event(tx, short.claim_id, f"Appeal turned down for {short.code}{f': {said}' if said else ''}")
    tx.tell("claim")


def draft(connection: Connection, clinic: Clinic, short: OpenShortfall, today: date) -> str:
    """The letter about one line, filled in."""
    row = claims.claim_of(connection, short.claim_id)
    assert row is not None, "a shortfall is about a claim"
    coverage = one_coverage(connection, row.coverage_id)
    approved = [
        each.approval.number
        for each in approvals_shown(connection, short.patient_id)
        if each.approval.coverage_id == row.coverage_id
        and (not each.approval.codes or short.code in each.approval.codes)
    ]
    facts = AppealFacts(
        claim=short.claim_number,
        payer_claim=short.payer_claim,
        patient=f"{short.first} {short.last}",
        member=coverage.member_id if coverage else "",
        service=f"{short.service} ({short.code})" + (f", tooth {short.tooth}" if short.tooth else ""),
        day=short.day,
        cents=short.cents or _charge(connection, short),
        reason=short.words.rstrip(".") or "; ".join(short.reasons),
        decided=short.paid_on or today,
        clinic=str(clinic.about["clinic_name"]),
        approval=next(iter(approved), ""),
        sent_on=local(row.sent_at, clinic.first_site.timezone).date() if row.sent_at else None,
    )
    number = short.reasons[0].split()[-1] if short.reasons else ""
    return filled(letter_text(clinic, APPEAL), facts, number)


def _charge(connection: Connection, short: OpenShortfall) -> int:
    """What the claim asked for the line: all that is left to ask for where the patient has paid it."""
    lines = money.claim_lines(connection, short.claim_id)
    return next((each.cents for each in lines if each.id == short.line_id), 0)


def held_open(tx: Transaction, shortfall_id: int) -> OpenShortfall:
    """Held, and still to be decided. Raises NotFound and Conflict."""
    short = stored.hold_shortfall(tx.connection, shortfall_id)
    if short is None:
        raise NotFound("There is no such line to decide about.")
    if short.state == stored.ENDED:
        raise Conflict(f"This was decided: {short.ended_how}.")
    return short


def _end(tx: Transaction, short: OpenShortfall, how: str) -> None:
    stored.change_shortfall(
        tx.connection,
        short.id,
        state=stored.ENDED,
        ended_how=how[:200],
        ended_at=tx.now,
        by_id=tx.actor.id,
    )
    add_event(tx, short.claim_id, f"{short.code}, {dollars(short.cents)}: {how}"[:500])
    if not stored.open_of_claim(tx.connection, short.claim_id):
        claims.close_decided(tx.connection, short.claim_id)
    tx.audit("shortfall.decided", patient_id=short.patient_id, claim_id=short.claim_id, words=how[:200])
    tx.tell("claim")
