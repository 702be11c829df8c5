"""Who may see whose page: the desk allows it with the proof it saw, and ends it."""

from __future__ import annotations

from zax.core.errors import Conflict, NotFound, Refused
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.patients.details import locked_patient
from zax.store.own import logins as stored

LONGEST_PROOF = 200


@act("patients")
def allow(tx: Transaction, patient_id: int, for_id: int, proof: str) -> int:
    """`patient_id` may see and do for `for_id`. Refused beside `proof` or `who`."""
    words = " ".join(proof.split())
    if not words:
        raise Refused("Say what you saw, such as a birth certificate or a court paper.", "proof")
    if len(words) > LONGEST_PROOF:
        raise Refused(f"Keep it to {LONGEST_PROOF} letters.", "proof")
    who, whom = locked_patient(tx, patient_id), locked_patient(tx, for_id)
    if who.id == whom.id or who.status != "active":
        raise Refused("Choose someone else.", "who")
    if any(each.patient_id == who.id for each in stored.who_may_see(tx.connection, whom.id)):
        raise Conflict(f"{who.first} may already see this page.", "who")
    number = stored.add_allowed(
        tx.connection, patient_id=who.id, for_id=whom.id, proof=words, at=tx.now, by_id=tx.actor.id
    )
    tx.audit("own.allowed", patient_id=whom.id, who=who.id, proof=words)
    tx.tell("patient", patient_id=whom.id)
    return number


@act("patients")
def end_permission(tx: Transaction, for_id: int, number: int) -> None:
    """Not anymore. NotFound for one that isn't there."""
    row = next((each for each in stored.who_may_see(tx.connection, for_id) if each.id == number), None)
    if row is None:
        raise NotFound("That isn’t allowed anymore.")
    stored.end_allowed(tx.connection, number, tx.now, tx.actor.id)
    tx.audit("own.not_allowed", patient_id=for_id, who=row.patient_id)
    tx.tell("patient", patient_id=for_id)


@act("patients")
def sign_out_patient(tx: Transaction, patient_id: int) -> int:
    """End every session that this patient has; how many."""
    ended = stored.end_sessions(tx.connection, patient_id, tx.now)
    tx.audit("own.signed_out", patient_id=patient_id, sessions=ended)
    return ended
