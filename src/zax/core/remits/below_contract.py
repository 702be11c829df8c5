"""What a payer allowed below its contract, said to it in one letter: every service with the fee of the
contract on file, what the payer allowed, and what is missing, as a list it can answer line by line.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.remits.letters import Letter, in_places
from zax.core.remits.line import ExpectedLine
from zax.core.wording import dollars

PLACES = {
    "payer": "the payer’s name",
    "services": "how many services",
    "amount": "what is missing in all",
    "clinic": "the clinic’s name",
}
SHIPPED_TEXT = """To {payer}, provider payments

For {services} you allowed less than our contract says. They are listed below, each with the fee of the \
contract, what you allowed, and the difference: {amount} in all.

Please price them again by the contract and pay what is missing. If you find that another fee schedule \
applies, send it to us with the day from which it counts.

{clinic}"""
BELOW_CONTRACT = Letter("contract_letter", "Paid less than the contract", PLACES, SHIPPED_TEXT)


@dataclass(frozen=True, slots=True, kw_only=True)
class BelowContract:
    """One service of the list. `fee` is the contract's in cents, None where it isn't known anymore (a plan
    that has been changed since, a line entered by hand).
    """

    id: int
    claim_id: int
    claim: str
    payer_claim: str
    patient_id: int
    patient: str
    member: str
    code: str
    service: str
    day: date
    fee: int | None
    cents: int

    @property
    def allowed(self) -> int | None:
        return None if self.fee is None else self.fee - self.cents


def contract_fee(line: ExpectedLine) -> int | None:
    """What the contract on file pays for a line: its charge less what the contract forgives."""
    return None if line.contract is None else line.cents - line.contract


def drafted(text: str, payer: str, lines: Sequence[BelowContract], clinic: str) -> str:
    """The letter above its list."""
    number = f"{len(lines)} {'service' if len(lines) == 1 else 'services'}"
    amount = dollars(sum(each.cents for each in lines))
    return in_places(text, {"payer": payer, "services": number, "amount": amount, "clinic": clinic})
