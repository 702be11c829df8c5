"""What a plan decided of a claim, typed in from its paper, so that the next plan can be asked: of every
service what was paid, what the contract takes, and what is left to the patient and why. Each service adds up
to what was charged, or it is said by how much it doesn't; nothing is filled in on a guess.

Sources: claim adjustment groups and reasons (code list 139) as loop 2430 CAS carries them.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.claims.claim import ClaimLine
from zax.core.errors import ProblemCollector, Refused
from zax.core.money.cents import parse_amount
from zax.core.reading import needed_day
from zax.core.wording import dollars
from zax.core.x12.remittance import Adjustment, RemitClaim, RemitLine

LONGEST_NUMBER = 30


@dataclass(frozen=True, slots=True)
class Column:
    """A column of the paper: `key` begins the names of its boxes; `group` and `reason` are the adjustment it
    is, none for what was paid.
    """

    key: str
    words: str
    group: str = ""
    reason: str = ""


COLUMNS = (
    Column("paid", "Paid"),
    Column("contract", "Contract", "CO", "45"),
    Column("deductible", "Deductible", "PR", "1"),
    Column("coinsurance", "Coinsurance", "PR", "2"),
    Column("copay", "Copay", "PR", "3"),
    Column("uncovered", "Not covered", "PR", "96"),
)


@dataclass(frozen=True, slots=True)
class PaperDecision:
    """The decision as a payment file would have told it, and the day on the paper."""

    answer: RemitClaim
    day: date


def read_decision(
    number: str, lines: Sequence[ClaimLine], typed: Mapping[str, str], today: date
) -> PaperDecision:
    """Boxes `paid-N`, `contract-N` …, N the service's place from 1; `decided` (a day) and `payer_claim`.
    Raises Problems beside them.
    """
    payer_claim = typed.get("payer_claim", "").strip()
    with ProblemCollector() as problems:
        day = problems.take(_day, typed.get("decided", ""), today) or today
        if len(payer_claim) > LONGEST_NUMBER:
            problems.add("payer_claim", f"Keep it to {LONGEST_NUMBER} characters.")
        read = [problems.take(_line, at, line, typed) for at, line in enumerate(lines, 1)]
    answered = [each for each in read if each]
    adjusted = [each for line in answered for each in line.adjustments]
    return PaperDecision(
        RemitClaim(
            number=number,
            status="1",
            charge_cents=sum(line.cents for line in lines),
            paid_cents=sum(line.paid_cents for line in answered),
            patient_cents=sum(each.cents for each in adjusted if each.group == "PR"),
            payer_claim=payer_claim,
            lines=answered,
        ),
        day,
    )


def _day(text: str, today: date) -> date:
    day = needed_day(text, "decided", "Enter the date on the paper.")
    if day > today:
        raise Refused("This day is still to come.", "decided")
    return day


def _line(at: int, line: ClaimLine, typed: Mapping[str, str]) -> RemitLine:
    cents = {each.key: _amount(typed.get(f"{each.key}-{at}", ""), f"{each.key}-{at}") for each in COLUMNS}
    apart = line.cents - sum(cents.values())
    if apart:
        how = f"{dollars(apart)} is missing" if apart > 0 else f"{dollars(-apart)} is too much"
        raise Refused(f"{line.code} was charged {dollars(line.cents)}: {how}.", f"paid-{at}")
    return RemitLine(
        code=line.code,
        qualifier="",
        modifiers=line.modifiers,
        charge_cents=line.cents,
        paid_cents=cents["paid"],
        number=line.number,
        adjustments=[
            Adjustment(each.group, each.reason, cents[each.key])
            for each in COLUMNS
            if each.group and cents[each.key]
        ],
    )


def _amount(text: str, field: str) -> int:
    """Cents; nothing and zero are none."""
    typed = text.strip()
    if not typed or ("0" in typed and not typed.strip("$0.")):
        return 0
    return parse_amount(typed, field)
