"""Working on a claim that is with its payer, or at its end: when to ask again, who works on it, a note, and
closing it with a reason.
"""

from __future__ import annotations

from datetime import date

from zax.core.claims.states import ClaimState
from zax.core.errors import Conflict, Refused
from zax.core.wording import day_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.claims.claims import add_event, locked_claim
from zax.desk.claims.colleagues import biller
from zax.store.claims import claims as stored
from zax.store.claims.claims import ClaimRow
from zax.store.remits.shortfalls import end_of_claim

LONGEST_NOTE = 400
CLOSING_REASONS = (
    "the patient pays",
    "billed on paper",
    "billed elsewhere",
    "written off",
    "made by mistake",
)


@act("claims")
def close_claim(tx: Transaction, claim_id: int, reason: str) -> None:
    """End a claim that nobody waits for anymore. The money stays where it is: what the insurer still owes on
    the account is decided there.
    """
    row = locked_claim(tx, claim_id)
    if row.state in {ClaimState.CLOSED, ClaimState.GOING}:
        raise Conflict(
            "This claim is closed already." if row.state == ClaimState.CLOSED else "It is going out."
        )
    if not reason.strip():
        raise Refused("Say why it is closed.", "reason")
    stored.close(tx.connection, row.id, reason.strip()[:200])
    end_of_claim(tx.connection, row.id, f"claim closed: {reason.strip()}", tx.now)
    add_event(tx, row.id, f"Closed: {reason.strip()[:200]}")
    _told(tx, row)


@act("claims")
def ask_again_on(tx: Transaction, claim_id: int, day: date | None) -> None:
    """Leave it until that day; None: it counts by the payer's norm again."""
    row = locked_claim(tx, claim_id)
    if day is not None and day <= tx.clinic_day:
        raise Refused("Choose a day from tomorrow on.", "again_on")
    stored.ask_again_on(tx.connection, row.id, day)
    add_event(tx, row.id, f"Ask again on {day_words(day, year=True)}" if day else "Ask when it is overdue")
    _told(tx, row)


@act("claims")
def hand_over(tx: Transaction, claim_id: int, user_id: int | None) -> None:
    """To a colleague, or back to everyone."""
    row = locked_claim(tx, claim_id)
    name = biller(tx.connection, tx.clinic, user_id).name if user_id else ""
    stored.hand_to(tx.connection, row.id, user_id)
    add_event(tx, row.id, f"Handed to {name}" if name else "Back to everyone")
    _told(tx, row)


@act("claims")
def note_on(tx: Transaction, claim_id: int, words: str) -> None:
    """What was said on the phone, or what to remember."""
    row = locked_claim(tx, claim_id)
    if not words.strip():
        raise Refused("Write the note first.", "words")
    if len(words) > LONGEST_NOTE:
        raise Refused(f"Keep it to {LONGEST_NOTE} characters.", "words")
    add_event(tx, row.id, f"Note: {words.strip()}")
    _told(tx, row)


def _told(tx: Transaction, row: ClaimRow) -> None:
    tx.tell("claim", visit_id=row.visit_id, patient_id=row.patient_id)
