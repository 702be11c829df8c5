"""A payer takes back what it decided of a claim (status 22): what was posted for it is reversed, and the
claim waits for the payer again.

Only what was posted here can be taken back: each line's paid cents have to be those that the journal holds
of this claim. What was moved to the patient goes back to the insurer as far as they have not paid it;
what they have paid stays theirs until the payer decides anew. Source: 005010X221A1 section 1.10.2.8.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from zax.core.money.journal import Entry, Kind, Parts, unreversed
from zax.core.remits.line import ExpectedLine, Posting
from zax.core.remits.placing import pair_lines
from zax.core.wording import dollars
from zax.core.x12.remittance import RemitClaim

_WAITING = "Moved to insurance, until the payer decides again"


@dataclass(frozen=True, slots=True)
class TakenBack:
    """`entries` to reverse, the newest first, or in `why_not` why a person must look."""

    entries: tuple[Entry, ...] = ()
    why_not: str = ""


def take_back(answer: RemitClaim, expected: Sequence[ExpectedLine], posted: Sequence[Entry]) -> TakenBack:
    """`posted` are all journal entries of the claim, with their reversals."""
    standing = [each for each in unreversed(posted) if each.line_id is not None]
    paid: dict[int, int] = {}
    for each in standing:
        if each.kind == Kind.INSURER_PAYMENT and each.line_id is not None:
            paid[each.line_id] = paid.get(each.line_id, 0) - each.insurer_cents
    if not standing:
        return TakenBack(
            why_not=f"The payer takes back {dollars(-answer.paid_cents)} that was never posted here. Find the"
            " payment it is about, post it, then this one."
        )
    back = _by_line(answer, expected)
    if isinstance(back, str):
        return TakenBack(why_not=back)
    ours = {each.line_id: each.code for each in expected}
    for line_id, code in ours.items():
        if back and back[line_id] != paid.get(line_id, 0):
            return TakenBack(
                why_not=f"The payer takes back {dollars(back[line_id])} for {code}, but"
                f" {dollars(paid.get(line_id, 0))} of it was posted here."
            )
    if not back and -answer.paid_cents != sum(paid.values()):
        return TakenBack(
            why_not=f"The payer takes back {dollars(-answer.paid_cents)}, but {dollars(sum(paid.values()))}"
            " was posted here."
        )
    return TakenBack(tuple(reversed(standing)))


def _by_line(answer: RemitClaim, expected: Sequence[ExpectedLine]) -> dict[int, int] | str:
    """Cents taken back by line; none where the payer speaks of the claim as a whole; a sentence where its
    lines are not ours.
    """
    if not answer.lines:
        return {}
    pairs = pair_lines(answer.lines, expected)
    if isinstance(pairs, str):
        return pairs
    return {ours.line_id: -line.paid_cents for line, ours in pairs}


def waiting_again(
    owed: Mapping[int, Parts], given: Mapping[int, int], line_ids: Sequence[int]
) -> list[Posting]:
    """Once it is reversed, the patient's part of each line becomes what they have paid of it (`given`,
    cents); the rest waits with the insurer.
    """
    found = []
    for line_id in line_ids:
        parts = owed.get(line_id, Parts())
        more = given.get(line_id, 0) - parts.patient
        more = min(more, parts.insurer) if more > 0 else more
        if more:
            found.append(Posting(line_id, Kind.TRANSFER, more, -more, _WAITING))
    return found
