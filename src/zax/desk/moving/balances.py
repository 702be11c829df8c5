"""What patients owe from before, as a list brings it: a starting balance is a line of the patient's own
ledger, a credit waits there. A patient has one starting balance; a second list does not add to it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from zax.core.errors import Refused
from zax.core.money.cents import parse_balance
from zax.core.money.journal import Kind
from zax.core.moving.columns import ColumnSet, listed_day
from zax.core.moving.job import Outcome
from zax.core.wording import dollars, typed_day
from zax.desk.acts.transaction import Transaction
from zax.desk.money.ledger import books_day
from zax.desk.moving.taking import ListIn, Step, Taken, each_row
from zax.desk.moving.whose import WHOSE_OTHERS, WHOSE_WORDS, patient_of
from zax.store.moving import imports as stored

WORDS = "Starting balance"
_COLUMNS = ColumnSet(
    WHOSE_WORDS | {"balance": "Balance (a credit negative)", "day": "As of"},
    WHOSE_OTHERS
    | {
        "balance": "amount|opening balance|account balance|amount due|balance due|owes|starting balance",
        "day": "date|as of|since|balance date",
    },
    ("balance",),
)


def bring_balances(tx: Transaction, balances: Sequence[tuple[int, int, str]]) -> None:
    """(patient, cents, words) of those who owe or have something left; cents of a credit are negative."""
    site_id = tx.clinic.first_site.id
    owing = [each for each in balances if each[1] > 0]
    lines = stored.add_opening_lines(tx.connection, owing, tx.now, tx.actor.id)
    line_of = {number: line for (number, _, _), line in zip(owing, lines, strict=True)}
    entries = [
        {
            "kind": Kind.OPENING,
            "day": books_day(tx, site_id),
            "at": tx.now,
            "by_id": tx.actor.id,
            "site_id": site_id,
            "patient_id": number,
            "line_id": line_of.get(number),
            "patient_cents": cents,
            "insurer_cents": 0,
            "words": words,
        }
        for number, cents, words in balances
    ]
    stored.add_entries(tx.connection, entries)


def take_balance(step: Step, _line: int, cells: Mapping[str, str]) -> Taken:
    tx = step.tx
    cents = parse_balance(cells["balance"])
    if not cells["balance"].strip():
        raise Refused("Write what they owe.", "balance")
    words = WORDS
    if cells.get("day", "").strip():
        words = f"{WORDS} as of {typed_day(listed_day(cells['day'], 'day', tx.clinic_day))}"
    patient_id = patient_of(tx, cells)
    before = stored.starting_balance(tx.connection, patient_id)
    if before is not None:
        return Taken(Outcome.KNOWN, f"has a starting balance of {dollars(before)} already", patient_id)
    if not cents:
        return Taken(Outcome.KNOWN, "owes nothing", patient_id)
    bring_balances(tx, [(patient_id, cents, words)])
    tx.audit("balance.imported", patient_id=patient_id, job_id=step.job.id, cents=cents)
    tx.tell("patient", patient_id=patient_id)
    return Taken(Outcome.MADE, "", patient_id)


BALANCES = ListIn(
    key="balances",
    words="Starting balances",
    things="balances",
    hint="the patient’s number, or name and birth date, and what they owe",
    right="merge",
    columns=lambda _: _COLUMNS,
    take=each_row(take_balance),
    same=(("chart",), ("patient", "first", "last", "birth")),
)
