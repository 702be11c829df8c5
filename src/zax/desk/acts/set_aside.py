"""Errands that failed again and again: kept, and put before a person, who has them tried once more or
dismisses them with a reason.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from zax.core.errors import Conflict, Refused
from zax.core.people.roles import Role, may, require
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store.acts import outbox
from zax.store.engine import Connection

# What each kind of errand is about, and whose work it is.
KINDS: Mapping[str, tuple[str, str]] = {
    "backup": ("Backup", "setup"),
    "claim_file": ("Claim file to the clearinghouse", "claims"),
    "payer_list": ("List of payers", "plans"),
    "claim_status": ("Question about a claim", "claims"),
    "insurer_file": ("File from a payer", "claims"),
    "insurer_rest": ("Payment file to read on", "claims"),
    "eligibility": ("Coverage check", "claims"),
    "receipt_mail": ("Receipt by email", "payments"),
    "message": ("Message to a patient", "book"),
    "people_mail": ("Sign-in link by email", "people"),
    "archive": ("Archive of everything", "audit"),
    "import": ("Import of a list", "merge"),
    "statements": ("Statement run", "statements"),
    "terminal": ("Card payment to confirm", "payments"),
    "online_payment": ("Online payment to confirm", "payments"),
    "installment": ("Payment due on a payment plan", "payments"),
}
MOST_SHOWN = 200
LONGEST_REASON = 200


@dataclass(frozen=True, slots=True, kw_only=True)
class AsideView:
    """`words` says what it is, `name` which one where it has a name, `why` the last error; `since` is UTC."""

    id: int
    words: str
    name: str
    why: str
    since: datetime
    may_act: bool


def set_aside(connection: Connection, role: Role) -> list[AsideView]:
    """Everything that waits for a decision, the oldest first."""
    found = outbox.errands_aside(connection, MOST_SHOWN)
    return [
        AsideView(
            id=each.id,
            words=KINDS[each.kind][0],
            name=str(each.payload.get("name", "")),
            why=each.last_error or "",
            since=each.done_at,
            may_act=may(role, KINDS[each.kind][1]),
        )
        for each in found
    ]


@act("see")
def try_again(tx: Transaction, errand_id: int) -> None:
    """Have it carried out once more. Conflict when somebody decided already."""
    _take(tx, errand_id)
    outbox.try_errand_again(tx.connection, errand_id, tx.now)
    tx.audit("errand.again", errand=errand_id)
    tx.tell("claim")


@act("see")
def dismiss(tx: Transaction, errand_id: int, reason: str) -> None:
    """It need not be done; it is kept with the reason. Refused without one."""
    why = " ".join(reason.split())
    if not why:
        raise Refused("Say why it isn’t needed.", "reason")
    if len(why) > LONGEST_REASON:
        raise Refused(f"Keep the reason under {LONGEST_REASON} letters.", "reason")
    _take(tx, errand_id)
    outbox.dismiss_errand(tx.connection, errand_id, tx.now)
    tx.audit("errand.dismissed", errand=errand_id, reason=why)
    tx.tell("claim")


def _take(tx: Transaction, errand_id: int) -> None:
    found = outbox.errand_aside_for_update(tx.connection, errand_id)
    if found is None:
        raise Conflict("Someone has already taken care of this.")
    require(tx.actor.role, KINDS[found.kind][1])
