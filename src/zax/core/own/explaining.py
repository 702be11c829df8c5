"""Why somebody owes what they owe, line by line, in words they can follow: what it cost, what the plan paid,
what was taken off, what they paid, what is left.

The parts always add up to the fee, to the cent: fee = plan + off + paid + waiting + yours.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from enum import StrEnum

from zax.core.money.journal import Entry, Kind, Parts

_OFF = frozenset({Kind.WRITE_OFF, Kind.DISCOUNT})


class Because(StrEnum):
    """Why a line stands as it does; the page has the words."""

    NO_PLAN = "no_plan"
    PLAN_PAID_ALL = "plan_paid_all"
    PLAN_PAID_PART = "plan_paid_part"
    PLAN_PAID_NONE = "plan_paid_none"
    WAITING = "waiting"
    PAID = "paid"


@dataclass(frozen=True, slots=True, kw_only=True)
class Explained:
    """A charge; cents. `waiting` is still with the plan, `yours` open with the patient."""

    line_id: int
    words: str
    day: date
    fee: int
    plan: int
    off: int
    paid: int
    waiting: int
    yours: int
    billed: bool

    @property
    def because(self) -> Because:
        if self.waiting > 0:
            return Because.WAITING
        if not self.billed:
            return Because.NO_PLAN if self.yours > 0 else Because.PAID
        if self.plan <= 0:
            return Because.PLAN_PAID_NONE
        return Because.PLAN_PAID_PART if self.yours > 0 or self.paid > 0 else Because.PLAN_PAID_ALL


def explain_line(
    line_id: int, words: str, day: date, entries: Iterable[Entry], still_open: Parts, billed: bool
) -> Explained:
    """From the journal's entries of one charge line; a reversal counts with what it reverses."""
    mine = list(entries)
    kinds = {entry.id: entry.kind for entry in mine}
    sums = dict.fromkeys(("fee", "plan", "off"), 0)
    for entry in mine:
        if entry.line_id != line_id:
            continue
        kind = kinds.get(entry.reverses or 0, Kind.TRANSFER) if entry.kind == Kind.REVERSAL else entry.kind
        cents = entry.patient_cents + entry.insurer_cents
        if kind == Kind.INSURER_PAYMENT:
            sums["plan"] -= cents
        elif kind in _OFF:
            sums["off"] -= cents
        else:
            sums["fee"] += cents
    waiting, yours = still_open.insurer, still_open.patient
    paid = sums["fee"] - sums["plan"] - sums["off"] - waiting - yours
    return Explained(
        line_id=line_id,
        words=words,
        day=day,
        fee=sums["fee"],
        plan=sums["plan"],
        off=sums["off"],
        paid=paid,
        waiting=waiting,
        yours=yours,
        billed=billed,
    )
