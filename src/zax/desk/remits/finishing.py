"""When a payment that came in a file is done: every cent of it is placed and none of its answers waits. One
by hand is finished by whoever worked on it.
"""

from __future__ import annotations

from zax.desk.acts.transaction import Transaction
from zax.store.remits import remits


def finish_if_placed(tx: Transaction, remit_id: int) -> None:
    """A payment of which every cent is placed and no answer waits is finished by itself; another is open. One
    that is still being read is neither.
    """
    held = remits.remit_of(tx.connection, remit_id)
    if held is None or held.by_hand or held.state == remits.READING:
        return
    whole = not held.waiting and not held.rest_cents
    if whole:
        remits.change_remit(
            tx.connection, remit_id, state=remits.FINISHED, finished_at=tx.now, finished_by_id=tx.actor.id
        )
    elif held.state != remits.OPEN:
        remits.change_remit(tx.connection, remit_id, state=remits.OPEN)
