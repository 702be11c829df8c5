"""How an open amount came about, in steps that add up to it to the cent, whatever happened: nothing that
moved money may go unsaid when somebody asks on the phone.

A reversal counts with what it reverses. What only moved between patient and insurer counts nowhere: it shows
in what is still with the insurer.
"""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum

from zax.core.money.journal import Entry, Kind


class Step(StrEnum):
    """In the order in which they are told."""

    CAME_TO = "came_to"
    FEES = "fees"
    INTEREST = "interest"
    BROUGHT_OVER = "brought_over"
    INSURER_PAID = "insurer_paid"
    WITH_INSURER = "with_insurer"
    TAKEN_OFF = "taken_off"
    MOVED = "moved"
    PAID = "paid"
    GIVEN_BACK = "given_back"


_STEP_OF = {
    Kind.CHARGE: Step.CAME_TO,
    Kind.FEE: Step.FEES,
    Kind.INTEREST: Step.INTEREST,
    Kind.OPENING: Step.BROUGHT_OVER,
    Kind.INSURER_PAYMENT: Step.INSURER_PAID,
    Kind.WRITE_OFF: Step.TAKEN_OFF,
    Kind.DISCOUNT: Step.TAKEN_OFF,
    Kind.TRANSFER: Step.MOVED,
    Kind.PAYMENT: Step.PAID,
    Kind.REFUND: Step.GIVEN_BACK,
}


def story_of(entries: Sequence[Entry]) -> dict[Step, int]:
    """The steps of one ledger that come to anything, in order; cents, positive for what raises the patient's
    part. Together they are the patient's part that is open.
    """
    kinds = {entry.id: entry.kind for entry in entries}
    steps = dict.fromkeys(Step, 0)
    for entry in entries:
        kind = kinds.get(entry.reverses or 0, Kind.TRANSFER) if entry.kind == Kind.REVERSAL else entry.kind
        steps[_STEP_OF.get(kind, Step.MOVED)] += entry.patient_cents + entry.insurer_cents
        steps[Step.WITH_INSURER] -= entry.insurer_cents
    return {step: cents for step, cents in steps.items() if cents}
