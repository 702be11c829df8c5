"""Turning back a change of the setup. Visits that were moved because of it stay where they are; what the
change leaves outside hours shows on every page of Setup.
"""

from __future__ import annotations

from zax.core.acts.row_changes import changes_from
from zax.core.errors import NotFound, Refused
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store.acts.setup_log import turn_back
from zax.store.people.setup_changes import locked_change


@act("setup")
def undo_change(tx: Transaction, change_id: int) -> str:
    """Every row as it was; what it was, in words. It can be turned back itself. Refused for one that was
    undone, or whose rows were changed since.
    """
    change = locked_change(tx.connection, change_id)
    if change is None:
        raise NotFound("There is no such change.")
    if change.undone_at is not None:
        raise Refused("That’s undone already.")
    if change.act.startswith("role."):
        raise Refused("What roles may do is changed on their own page.")
    turn_back(tx.connection, change.id, changes_from(change.changes), tx.now, tx.actor.id)
    tx.change_setup(change.act, undone=change.id)
    return change.words
