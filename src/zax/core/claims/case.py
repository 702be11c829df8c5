"""What the payer holds of one case: the claims that a visit made, one after the other. Only what it holds can
be corrected or taken back, and what it holds is never billed a second time.

An original claim is held once it has left; a corrected one (frequency 7) takes the place of the one it
follows, a void one (8) takes that away. One that was rejected, or withdrawn, was never taken in.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import datetime
from typing import Protocol, TypeVar

from zax.core.claims.claim import Frequency
from zax.core.claims.states import CAN_BE_CHECKED, WITHDRAWN, ClaimState


class CaseClaim(Protocol):
    """What counts of a claim; `follows_id` is the claim it comes after."""

    @property
    def id(self) -> int: ...
    @property
    def frequency(self) -> str: ...
    @property
    def follows_id(self) -> int | None: ...
    @property
    def state(self) -> str: ...
    @property
    def closed_why(self) -> str: ...
    @property
    def sent_at(self) -> datetime | None: ...


_C = TypeVar("_C", bound=CaseClaim)


def has_left(claim: CaseClaim) -> bool:
    """On its way or with the payer, and not turned back."""
    if claim.state == ClaimState.CLOSED:
        return claim.sent_at is not None and claim.closed_why != WITHDRAWN
    return claim.state not in CAN_BE_CHECKED


def held(case: Iterable[_C]) -> list[_C]:
    """The claims of the case that stand with the payer, in their order."""
    left = [each for each in case if has_left(each)]
    gone = {each.follows_id for each in left if each.frequency != Frequency.ORIGINAL}
    return [each for each in left if each.frequency != Frequency.VOID and each.id not in gone]


def successor(case: Sequence[_C], claim_id: int) -> _C | None:
    """What corrects that claim or takes it back, and has left or may still leave."""
    found = (
        each
        for each in case
        if each.follows_id == claim_id and each.frequency != Frequency.ORIGINAL
        if has_left(each) or each.state != ClaimState.CLOSED
    )
    return next(found, None)
