"""What a payer did not pay of a line and nobody has decided about: work, with its class and what comes next.

A line paid nothing, or less than the contract, is never written off or asked of the patient by itself. It
stays with the insurer as a shortfall until a biller has it corrected, sent elsewhere, appealed, left to the
patient or written off.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum

from zax.core.remits.reasons import REASONS, Matter


class Work(StrEnum):
    """What to do about it, in the order of the list. UNDERPAID: the payer allowed less than its contract
    says. ABOVE: it allowed more, and may take it back; nothing is missing.
    """

    APPEAL = "appeal"
    FIX = "fix"
    ELSEWHERE = "elsewhere"
    PATIENT = "patient"
    WRITE_OFF = "writeoff"
    ASK = "ask"
    UNDERPAID = "underpaid"
    ABOVE = "above"


WORK_WORDS = {
    Work.APPEAL: "Appeal",
    Work.FIX: "Fix and send again",
    Work.ELSEWHERE: "Send elsewhere",
    Work.PATIENT: "Patient’s share",
    Work.WRITE_OFF: "Write off",
    Work.ASK: "Ask the payer",
    Work.UNDERPAID: "Paid less than the contract",
    Work.ABOVE: "Paid above the contract",
}
WORK_HINTS = {
    Work.APPEAL: "the letter is drafted",
    Work.FIX: "a corrected claim is one key away",
    Work.ELSEWHERE: "another payer is first",
    Work.PATIENT: "check the coverage first",
    Work.WRITE_OFF: "by contract, yet nothing was paid",
    Work.ASK: "the reason doesn’t say enough",
    Work.UNDERPAID: "argue with the fee schedule",
    Work.ABOVE: "they may ask for it again",
}
_BY_MATTER = {
    Matter.TWICE: Work.FIX,
    Matter.ELSEWHERE: Work.ELSEWHERE,
    Matter.LATE: Work.APPEAL,
    Matter.FIX: Work.FIX,
    Matter.APPEAL: Work.APPEAL,
    Matter.COVERAGE: Work.PATIENT,
    Matter.LIMIT: Work.PATIENT,
    Matter.SHARE: Work.PATIENT,
    Matter.CONTRACT: Work.WRITE_OFF,
}
# Remarks that say the claim can't be worked as it is: an appeal would be turned away.
_SEND_ANEW = frozenset({"MA130"})


@dataclass(frozen=True, slots=True, kw_only=True)
class Shortfall:
    """`cents` of a line that wait for a decision; `reasons` as 'CO 16', `words` say it in a sentence. Of
    ABOVE the cents are what was allowed beyond the contract.
    """

    line_id: int
    cents: int
    work: Work
    reasons: tuple[str, ...] = ()
    remarks: tuple[str, ...] = ()
    words: str = ""


def work_of(reasons: Iterable[str], remarks: Sequence[str] = ()) -> Work:
    """The class of these reasons (numbers without their group); of several the first of the order above that
    is more than a write-off.
    """
    if _SEND_ANEW & set(remarks):
        return Work.FIX
    matters = {REASONS[each].matter for each in reasons if each in REASONS}
    return next((work for matter, work in _BY_MATTER.items() if matter in matters), Work.ASK)
