"""Whoever came by the web and was turned down, or never taken in, is forgotten after 90 days: told nothing,
kept no longer. What others' rows name stays as an empty one.
"""

from __future__ import annotations

from datetime import timedelta
from functools import partial

from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.each import each_for_itself
from zax.desk.acts.transaction import Desk, Transaction
from zax.store.online import forgetting as stored

KEPT = timedelta(days=90)
CODES_KEPT = timedelta(days=1)


def forget_turned_down(desk: Desk) -> int:
    """How many were forgotten. For the worker."""
    now = desk.clock.now()
    with desk.engine.connect() as connection:
        over = stored.never_taken_in(connection, now - KEPT)
    in_transaction(desk, WORKER, lambda tx: stored.forget_codes(tx.connection, now - CODES_KEPT))
    return each_for_itself(over, lambda number: in_transaction(desk, WORKER, partial(_forget, number=number)))


def _forget(tx: Transaction, *, number: int) -> None:
    stored.empty_patient(tx.connection, number)
    tx.audit("patient.forgotten", patient_id=number)
