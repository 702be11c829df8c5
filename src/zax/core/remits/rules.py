"""What each adjustment of an insurer's answer does, as data that a biller may change.

A rule names a group and a reason (code list 139), and may narrow itself to a remark beside it (code list
411), a payer, a modifier of the service, or the answer of a later plan. It says where the amount goes:
written off by contract, the patient's, the next plan's, what earlier plans did already, or work for a person.
A rule that `asks` only proposes: the amount stays with the insurer until somebody says so. The narrowest rule
wins, of two alike the clinic's own; what no rule names is work. Source of the groups: 005010X221A1 loop 2110
CAS01.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum

from zax.core.x12.remittance import Adjustment, RemitLine


class Does(StrEnum):
    """Where an adjusted amount goes. EARLIER: nowhere, the plans before this one did that. WORK: it stays
    with the insurer until a person decides.
    """

    WRITE_OFF = "writeoff"
    PATIENT = "patient"
    NEXT = "next"
    EARLIER = "earlier"
    WORK = "work"


DOES_WORDS = {
    Does.WRITE_OFF: "write off by contract",
    Does.PATIENT: "patient owes it",
    Does.NEXT: "the next plan’s",
    Does.EARLIER: "earlier plans did it",
    Does.WORK: "needs a decision",
}
GROUPS = {"CO": "contract", "PR": "patient", "OA": "other", "PI": "payer’s own"}


@dataclass(frozen=True, slots=True, kw_only=True)
class AdjustmentRule:
    """`payer_id` 0, empty `remark` and `modifier` mean any; `later` only in the answer of a plan that pays
    after another one. `id` 0 is one that ships with Zax.
    """

    group: str
    reason: str
    does: Does
    remark: str = ""
    payer_id: int = 0
    modifier: str = ""
    later: bool = False
    asks: bool = False
    id: int = 0

    @property
    def narrowness(self) -> tuple[int, int]:
        """How much it asks for beyond group and reason; a clinic's own goes before a shipped one."""
        narrowed = (bool(self.payer_id), bool(self.remark), bool(self.modifier), self.later)
        return sum(narrowed), int(self.id > 0)

    def fits(self, line: RemitLine, payer_id: int, later: bool) -> bool:
        return (
            self.payer_id in {0, payer_id}
            and (not self.remark or self.remark in line.remarks)
            and (not self.modifier or self.modifier in line.modifiers)
            and (later or not self.later)
        )

    @property
    def words(self) -> str:
        """'CO 45, with N20, modifier GA, second plan'."""
        parts = [f"{self.group} {self.reason}"]
        parts += [f"with {self.remark}"] if self.remark else []
        parts += [f"modifier {self.modifier}"] if self.modifier else []
        parts += ["after another plan"] if self.later else []
        return ", ".join(parts)


@dataclass(frozen=True, slots=True)
class Deed:
    """What is done with one amount; `asks`: only once a person agrees."""

    does: Does
    asks: bool = False


UNKNOWN = Deed(Does.WORK)


@dataclass(frozen=True, slots=True)
class Rulebook:
    """Rules by group and reason, the narrowest first."""

    by_code: Mapping[tuple[str, str], tuple[AdjustmentRule, ...]]

    def deed(self, adjustment: Adjustment, line: RemitLine, payer_id: int = 0, later: bool = False) -> Deed:
        """What the narrowest rule says that fits; WORK where none does."""
        for rule in self.by_code.get((adjustment.group, adjustment.reason), ()):
            if rule.fits(line, payer_id, later):
                return Deed(rule.does, rule.asks)
        return UNKNOWN


def rulebook(rules: Iterable[AdjustmentRule]) -> Rulebook:
    """Later ones of two alike win."""
    found: dict[tuple[str, str], list[AdjustmentRule]] = {}
    for rule in rules:
        found.setdefault((rule.group, rule.reason), []).insert(0, rule)
    ordered = {
        code: tuple(sorted(alike, key=lambda rule: rule.narrowness, reverse=True))
        for code, alike in found.items()
    }
    return Rulebook(ordered)


def _rules(
    group: str, does: Does, *reasons: str, modifier: str = "", later: bool = False
) -> list[AdjustmentRule]:
    return [
        AdjustmentRule(group=group, reason=reason, does=does, modifier=modifier, later=later)
        for reason in reasons
    ]


# What ships: only a contract's forgiveness is written off by itself, and only a sure share is the patient's:
# deductible, coinsurance, copay, without a contract what is above the payer's price, and what a costlier
# treatment costs beyond the one the plan pays for. PR 50 is theirs where they signed before that they would
# pay for what Medicare finds unnecessary (modifier GA); OA 100 says that the plan paid the patient; what the
# last plan doesn't cover is the share that the plans before it left to the patient.
SHIPPED_RULES: tuple[AdjustmentRule, ...] = (
    *_rules("CO", Does.WRITE_OFF, "45", "59", "131", "253"),
    *_rules("PR", Does.PATIENT, "1", "2", "3", "45", "169"),
    *_rules("PR", Does.PATIENT, "50", modifier="GA"),
    *_rules("PR", Does.PATIENT, "96", "119", "204", later=True),
    *_rules("OA", Does.PATIENT, "100"),
    *_rules("OA", Does.EARLIER, "23", later=True),
)
SHIPPED = rulebook(SHIPPED_RULES)
