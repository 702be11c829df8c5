"""What a payer approved beforehand, and how much of it is used: an authorization or referral is good for some
services, on some days, for so many units.

Who came first has it: a claim counts what the claims made before it used up. It goes on a claim by itself
only where exactly one fits, since which of several was meant is a person's to say.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from zax.core.coverage.code_patterns import names

AUTHORIZATION, REFERRAL = "authorization", "referral"


@dataclass(frozen=True, slots=True, kw_only=True)
class ApprovalOnFile:
    """An authorization or referral. `units` None: as often as needed; `codes` name the services it is for,
    none for all; both days count. `ended_at` (UTC): it counts no longer.
    """

    id: int
    coverage_id: int
    kind: str
    number: str
    codes: Sequence[str]
    units: int | None
    from_day: date | None
    to_day: date | None
    note: str
    ended_at: datetime | None

    def good_on(self, day: date) -> bool:
        early = self.from_day is not None and day < self.from_day
        late = self.to_day is not None and day > self.to_day
        return self.ended_at is None and not early and not late

    def is_for(self, code: str) -> bool:
        return not self.codes or names(self.codes, code)


@dataclass(frozen=True, slots=True)
class Use:
    """Units of a service that stand on a claim under this authorization or referral."""

    claim_id: int
    coverage_id: int
    line_id: int
    authorization: str | None
    referral: str | None
    code: str
    units: int


@dataclass(frozen=True, slots=True)
class Counted:
    """An approval with the units used of it."""

    approval: ApprovalOnFile
    used: int

    @property
    def left(self) -> int | None:
        """None without a limit."""
        return None if self.approval.units is None else max(0, self.approval.units - self.used)


def used_of(approval: ApprovalOnFile, uses: Iterable[Use], before_claim: int = 0) -> int:
    """The units that claims to its plan have of it, each service once: all, or those made before a claim."""
    lines = {
        use.line_id: use.units
        for use in uses
        if use.coverage_id == approval.coverage_id and (not before_claim or use.claim_id < before_claim)
        if approval.number == (use.authorization if approval.kind == AUTHORIZATION else use.referral)
        if approval.is_for(use.code)
    }
    return sum(lines.values())


def one_that_fits(
    counted: Iterable[Counted], kind: str, coverage_id: int, day: date, wanted: Sequence[tuple[str, int]]
) -> ApprovalOnFile | None:
    """The only approval of that kind that these services (code, units) may go under that day; None for none,
    and for several.
    """
    fitting = [
        each.approval
        for each in counted
        if (each.approval.kind, each.approval.coverage_id) == (kind, coverage_id)
        if each.approval.good_on(day)
        if (units := sum(number for code, number in wanted if each.approval.is_for(code)))
        if each.left is None or units <= each.left
    ]
    return fitting[0] if len(fitting) == 1 else None
