"""Asking a plan beforehand what it would pay of planned work, and taking its answer in: from then on its
amounts stand in the place of our estimate of those services. Nothing of it is owed or posted.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from zax.core.claims.claim import Form
from zax.core.claims.planned_answer import planned_answers, planned_number
from zax.core.claims.states import ClaimState
from zax.core.errors import Conflict, Refused
from zax.core.wording import dollars
from zax.core.x12.remittance import RemitClaim
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.charges.treatment_options import ProposalShown, proposal_of, proposal_row
from zax.desk.claims.claims import add_event, check_again, made_now
from zax.store.claims import claims as stored
from zax.store.claims import predeterminations as asked
from zax.store.claims.claims import ClaimRow
from zax.store.engine import Connection


@dataclass(frozen=True, slots=True)
class AskedOption:
    """What was asked about an option: the claim that is open, if one is; how many of its services the plan
    has answered about, and when last.
    """

    claim: ClaimRow | None
    answered: int
    on: date | None


def asked_options(connection: Connection, shown: ProposalShown) -> dict[str, AskedOption]:
    """By letter of the option."""
    last = asked.last_asking(connection, shown.row.id)
    first = shown.coverages[0].id if shown.coverages else 0
    found = {}
    for option in shown.options:
        rows = [line.row for phase in option.phases for line in phase.lines]
        asking = [last[row.id] for row in rows if row.id in last and last[row.id].state != ClaimState.CLOSED]
        days = [row.answered_on for row in rows if row.answered_on and row.answered_coverage_id == first]
        found[option.letter] = AskedOption(next(iter(asking), None), len(days), max(days, default=None))
    return found


@act("claims")
def ask_about_planned(tx: Transaction, proposal_id: int, letter: str) -> int:
    """The claim (CLM19 PB) that asks the first plan about what is open of an option; asking twice while it is
    on its way gives the same claim. Refused for work that is not dental, has no plan or no services.
    """
    row = proposal_row(tx.connection, proposal_id, lock=True)
    if row.ended_at is not None:
        raise Conflict("This work isn’t planned anymore.")
    shown = proposal_of(tx.connection, tx.clinic, row.id, tx.now)
    option = next((each for each in shown.options if each.letter == letter), None)
    lines = [line for phase in option.phases for line in phase.lines] if option else []
    if not shown.provider.dental:
        raise Refused("Only dental plans are asked beforehand. For medical work, ask for an authorization.")
    if not shown.coverages:
        raise Refused("There is no dental plan on file to ask. Add it to the record first.")
    if not lines:
        raise Refused("This option has no services to ask about.")
    ids = {line.row.id for line in lines}
    for open_one in asked.asking_for_update(tx.connection, row.id):
        if open_one.planned_id in ids:
            return open_one.id
    claim_id = stored.add_claim(
        tx.connection,
        visit_id=None,
        proposal_id=row.id,
        patient_id=row.patient_id,
        coverage_id=shown.coverages[0].id,
        form=Form.DENTAL,
        cents=sum(line.estimate.fee for line in lines),
        made_at=tx.now,
        planned=[(line.row.id, line.estimate.fee) for line in lines],
    )
    add_event(tx, claim_id, f"Asks about planned work: {row.name}, option {letter}")
    check_again(tx, claim_id)
    tx.audit("claim.predetermination", patient_id=row.patient_id, claim_id=claim_id)
    return claim_id


def take_planned_answer(tx: Transaction, file_id: int, row: ClaimRow, answer: RemitClaim, day: date) -> str:
    """Keep what the plan said with each service; in words why not, else empty. Nothing is posted."""
    claim = made_now(tx, row).claim
    found = planned_answers(answer, claim, day)
    if isinstance(found, str):
        add_event(tx, row.id, found, file_id)
        return found
    for each in asked.asked_services(tx.connection, row.id, still_planned=False):
        if planned_number(each.id) in found:
            asked.keep_answer(tx.connection, each.id, row.coverage_id, found[planned_number(each.id)])
    pays = sum(each.pays for each in found.values())
    tx.later(
        stored.mark_answered,
        claim_id=row.id,
        now_state=ClaimState.CLOSED,
        paid=0,
        at=tx.now,
        payer_number=answer.payer_claim[:50],
        why="",
    )
    add_event(tx, row.id, f"The plan answered: it would pay {dollars(pays)}", file_id)
    tx.tell("claim", patient_id=row.patient_id)
    return ""
