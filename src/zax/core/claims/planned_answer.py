"""What a plan answers about planned work: nothing is paid or posted, it says what it would pay.

The answer is a payment file (835) of nothing with claim status 25. What would be paid stands per service
under adjustment reason 101 (*anticipated payment upon completion*), or as paid where a payer writes it there.
Only what the contract forgives lowers the fee; what else is not paid stays the patient's to expect. Source:
005010X221A1, CLP02 and CAS; code lists 1029 and 139. Amounts are cents.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date

from zax.core.claims.claim import Claim
from zax.core.coverage.estimate import Answered
from zax.core.remits.rules import SHIPPED, Does
from zax.core.x12.remittance import RemitClaim, RemitLine

ONLY_PRICED = "25"
_ANTICIPATED = "101"


def planned_number(planned_id: int) -> str:
    """The line item control number of a planned service; it comes back with the answer."""
    return f"P{planned_id}"


def planned_answers(answer: RemitClaim, claim: Claim, day: date) -> Mapping[str, Answered] | str:
    """By line number what the plan would pay of each service we asked about, or in words why the answer
    cannot be read so.
    """
    if any(line.paid_cents for line in answer.lines) and answer.status != ONLY_PRICED:
        return "The payer paid for work that is only planned. Look into it before the work is done."
    found: dict[str, Answered] = {}
    for ours in claim.lines:
        line = _line(answer, ours.number, ours.code)
        if line is None:
            return f"The payer didn’t answer about {ours.code}."
        if line.charge_cents != ours.cents:
            return f"The payer answered about a different charge for {ours.code} than we asked."
        said = _answered(line, day)
        if not 0 <= said.pays <= said.allowed <= ours.cents:
            return f"What the payer says of {ours.code} doesn’t add up."
        found[ours.number] = said
    return found


def _line(answer: RemitClaim, number: str, code: str) -> RemitLine | None:
    by_number = [line for line in answer.lines if line.number == number]
    by_code = [line for line in answer.lines if not line.number and line.code == code]
    if by_number or len(by_code) == 1:
        return (by_number or by_code)[0]
    return None


def _answered(line: RemitLine, day: date) -> Answered:
    def sum_of(group: str, *reasons: str) -> int:
        return sum(a.cents for a in line.adjustments if a.group == group and a.reason in reasons)

    anticipated = sum(a.cents for a in line.adjustments if a.reason == _ANTICIPATED)
    forgiven = [a for a in line.adjustments if SHIPPED.deed(a, line).does is Does.WRITE_OFF]
    return Answered(
        day=day,
        allowed=line.charge_cents - sum(a.cents for a in forgiven),
        pays=line.paid_cents + anticipated,
        deductible=max(0, sum_of("PR", "1")),
    )
