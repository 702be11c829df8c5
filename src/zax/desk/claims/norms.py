"""In how many days each payer answers, learned from its last answers by the worker and set by a biller where
they know better.
"""

from __future__ import annotations

from zax.core.claims.worklist import norm_of
from zax.core.errors import NotFound
from zax.core.reading import needed_number
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.store.claims import worklist as stored

LONGEST = 365


def learn_norms(desk: Desk) -> int:
    """Look at every payer's last answers; how many norms changed."""

    def write(tx: Transaction) -> int:
        known, changed = stored.norms(tx.connection), 0
        for payer_id in tx.clinic.payers:
            days = norm_of(stored.answer_days(tx.connection, payer_id))
            before = known[payer_id].learned_days if payer_id in known else None
            if days != before:
                stored.keep_learned(tx.connection, payer_id, days)
                changed += 1
        return changed

    return in_transaction(desk, WORKER, write)


@act("claims")
def set_norm(tx: Transaction, payer_id: int, typed: str) -> None:
    """Days after which a claim to this payer is overdue; empty: as its answers teach. Refused beside
    `days`.
    """
    if payer_id not in tx.clinic.payers:
        raise NotFound("There is no such payer.")
    days = needed_number(typed, "days", 1, LONGEST) if typed.strip() else None
    stored.keep_own(tx.connection, payer_id, days)
    tx.audit("payer.norm", payer_id=payer_id, days=days)
    tx.tell("claim")
