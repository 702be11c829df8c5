"""The clinic's own list of what clinicians ask patients back for."""

from __future__ import annotations

from zax.core.errors import Refused
from zax.core.followup.returns import ReturnReason, checked_reason
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store.followup import returns as stored


@act("setup")
def keep_reason(tx: Transaction, reason: ReturnReason) -> int:
    """A reason as it is from now on; id 0 makes one. What was asked for already keeps its words. Raises
    Problems, NotFound and Stale.
    """
    kept = checked_reason(reason, tx.clinic_day)
    if kept.type_id is not None and kept.type_id not in tx.clinic.types:
        raise Refused("Choose a visit type from the list.", "type_id")
    others = [each for each in stored.reasons(tx.connection) if each.id != kept.id]
    if any(each.words.lower() == kept.words.lower() for each in others):
        raise Refused("There’s already a reason with these words.", "words")
    number = stored.keep_reason(tx.connection, kept)
    tx.audit("setup.return_reason", reason_id=number, words=kept.words)
    return number
