"""One letter to a payer about everything it allowed below its contract and nobody has decided about yet. Each
of its services is asked for from then on, like an appeal, and answered on its own.
"""

from __future__ import annotations

from collections.abc import Collection
from datetime import date

from zax.core.errors import Conflict, Refused
from zax.core.remits.below_contract import BelowContract, contract_fee
from zax.core.remits.kept import lines_of
from zax.core.remits.shortfalls import Work
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.remits.denials import held_open, note_sent
from zax.store.engine import Connection
from zax.store.files import FileStore
from zax.store.remits import shortfalls as stored
from zax.store.remits.shortfalls import BelowContractRow


def below_contract(connection: Connection, payer_id: int) -> list[BelowContract]:
    """What the payer left below its contract and hasn't been asked for, the oldest service first."""
    return [_line(row) for row in stored.below_contract_of(connection, payer_id)]


def _line(row: BelowContractRow) -> BelowContract:
    own = next((each for each in lines_of(row.expected or ()) if each.line_id == row.line_id), None)
    return BelowContract(
        id=row.id,
        claim_id=row.claim_id,
        claim=row.claim_number,
        payer_claim=row.payer_claim,
        patient_id=row.patient_id,
        patient=f"{row.first} {row.last}",
        member=row.member_id,
        code=row.code,
        service=row.service,
        day=row.day,
        fee=contract_fee(own) if own else None,
        cents=row.cents,
    )


@act("claims")
def send_contract_letter(
    tx: Transaction, store: FileStore, payer_id: int, chosen: Collection[int], letter: bytes
) -> date:
    """The letter went out for those services: all of them, or none. The day by which it should be answered.
    Refused for none chosen, Conflict when somebody has decided one of them since.
    """
    if not chosen:
        raise Refused("Tick the services the letter is about.", "line")
    kept = store.put(letter)
    answer_by = tx.clinic_day
    for shortfall_id in sorted(chosen):
        short = held_open(tx, shortfall_id)
        if short.payer_id != payer_id or short.work != Work.UNDERPAID or short.state != stored.OPEN:
            raise Conflict("One of these services isn’t to be asked for anymore. Look at the list again.")
        answer_by = note_sent(tx, short, kept, "Letter about the contract")
    return answer_by
