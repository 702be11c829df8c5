"""Who gets a statement, and why somebody does not: the rule of a run, told for every household so that the
list can be read before it is made.

What is on a payment plan is not asked for again beside its installments: only the installment that is due
counts.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict, dataclass
from datetime import date, timedelta
from enum import StrEnum
from typing import Annotated

from zax.core.form import Form, References, Tick, a_number, typed
from zax.core.json import Json, KeptJson
from zax.core.money.aging import Piece
from zax.core.money.drawer import counted_amount
from zax.core.wording import dollars

PAY_WITHIN = timedelta(days=21)


@dataclass(frozen=True, slots=True)
class Rule:
    """`minimum` cents; `days` since the last statement; `without` are flags left out; `answered` leaves out
    who has a part open with an insurer.

    `interest` says that interest is charged on what is old, as set up, before the statements are made.
    """

    minimum: int = 500
    days: int = 28
    without: tuple[int, ...] = ()
    answered: bool = False
    interest: bool = False


@dataclass(frozen=True, slots=True)
class Candidate:
    """A household with something open; cents. `on_plan` is open but not due by a plan, `due_by_plan` is."""

    household_id: int
    name: str
    patient_cents: int
    insurer_cents: int
    flags: frozenset[int] = frozenset()
    last: date | None = None
    on_plan: int = 0

    @property
    def asked(self) -> int:
        """What a statement asks for now."""
        return self.patient_cents - self.on_plan


def rule_from(kept: KeptJson) -> Rule:
    return Rule(
        int(kept.get("minimum", 500)),
        int(kept.get("days", 28)),
        tuple(kept.get("without", ())),
        bool(kept.get("answered")),
        bool(kept.get("interest")),
    )


def kept(rule: Rule) -> Json:
    return asdict(rule) | {"without": list(rule.without)}


class StatementState(StrEnum):
    """WAITING: its run has not come to it. MADE: its file is kept. The run itself is WAITING, DONE
    or STOPPED.
    """

    WAITING = "waiting"
    MADE = "made"
    DONE = "done"
    STOPPED = "stopped"


class RuleForm(Form):
    """A rule as asked for; nobody gets a statement over nothing."""

    minimum: Annotated[int, typed(counted_amount)]
    days: Annotated[int, a_number(0, 365, "A number of days from 0 to 365.")]
    without: References = ()
    answered: Tick = False
    interest: Tick = False

    @property
    def rule(self) -> Rule:
        return Rule(
            max(1, self.minimum), self.days, tuple(sorted(set(self.without))), self.answered, self.interest
        )


def why_not(each: Candidate, rule: Rule, today: date) -> str:
    """Why this household gets none; empty when it does."""
    if each.patient_cents > 0 >= each.asked:
        return "on a payment plan, nothing due"
    if each.asked < rule.minimum:
        return f"{dollars(each.asked)} is below the minimum"
    if each.flags & set(rule.without):
        return "has a skipped flag"
    if rule.answered and each.insurer_cents > 0:
        return f"insurance still owes {dollars(each.insurer_cents)}"
    if each.last is not None and (today - each.last).days < rule.days:
        return f"got one {(today - each.last).days} days ago"
    return ""


def old_enough(pieces: Iterable[Piece], today: date, days: int) -> int:
    """Cents that have been open longer than so many days; credits do not count."""
    return sum(each.cents for each in pieces if each.cents > 0 and (today - each.since).days > days)


def interest_on(cents: int, hundredths: int) -> int:
    """A month's interest on what is old, in hundredths of a percent, halves of a cent rounded up."""
    return (cents * hundredths + 5_000) // 10_000


PAPER, EMAIL, TEXT = "paper", "email", "text"


def way_wished(wish: str, has_email: bool, has_phone: bool) -> str:
    """How a statement goes: by a notice only for who asked for that and can be reached so; else on paper."""
    if wish == EMAIL and has_email:
        return EMAIL
    if wish == TEXT and has_phone:
        return TEXT
    return PAPER
