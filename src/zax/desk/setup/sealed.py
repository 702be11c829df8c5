"""Sealed records: those of the clinic's own people and their families open with a reason, for an hour, and
the managers are told each time.

Nobody is kept from a record that care needs; whoever looks says why, and it is seen.
"""

from __future__ import annotations

from datetime import timedelta

from zax.core.errors import NotFound, Refused
from zax.core.people.roles import MANAGER
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.followup.hand_overs import HandOverForm, hand
from zax.store.patients import sealed as stored

OPEN_FOR = timedelta(hours=1)
LEAST_REASON, LONGEST_REASON = 5, 160


@act("people")
def seal_record(tx: Transaction, patient_id: int, on: bool) -> None:
    """From now on it opens with a reason only, or as any other."""
    if stored.seal(tx.connection, patient_id, on):
        tx.audit("record.sealed" if on else "record.unsealed", patient_id=patient_id)
        tx.tell("patient", patient_id=patient_id)


@act("see")
def open_sealed(tx: Transaction, patient_id: int, reason: str) -> None:
    """It is open to whoever gave the reason, for an hour. Refused beside `reason`."""
    said = " ".join(reason.split())
    if not LEAST_REASON <= len(said) <= LONGEST_REASON:
        raise Refused("Say why, in a few words. A manager reads it.", "reason")
    if stored.sealed_name(tx.connection, patient_id) is None:
        raise NotFound("This record isn’t sealed.")
    stored.note_opened(
        tx.connection,
        at=tx.now,
        until=tx.now + OPEN_FOR,
        user_id=tx.actor.id or 0,
        patient_id=patient_id,
        reason=said,
    )
    tx.audit("record.opened", patient_id=patient_id, reason=said)
    words = f"{tx.actor.name} opened this sealed record: {said}"
    hand(tx, HandOverForm(about=f"patient-{patient_id}", to=f"role-{MANAGER.key}", words=words[:200]))


@act("people")
def have_seen(tx: Transaction, opened_id: int) -> None:
    """A manager has looked at it."""
    stored.note_seen(tx.connection, opened_id, tx.now, tx.actor.id)
    tx.audit("record.opening_seen", opened=opened_id)
