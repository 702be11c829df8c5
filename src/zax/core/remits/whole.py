"""An answer to a claim as a whole, shared out over its lines: each amount in proportion to what was charged.

A payer that prices a stay (or a claim of one service) says what it paid and took off once for the claim
(005010X221A1 loop 2100 without 2110). Every line then adds up by itself, and the lines to the claim, to the
cent. Where several services were answered as one outside a stay, it is for a person to say what was paid.
"""

from __future__ import annotations

from collections.abc import Sequence

from zax.core.x12.remittance import Adjustment, RemitClaim, RemitLine


def share_out(answer: RemitClaim, charges: Sequence[tuple[str, str, int]]) -> list[RemitLine]:
    """The answer's lines as if it had them. `charges` are (line number, code, cents) that add up to the
    claim's charge; no amount may be below zero.
    """
    room = [cents for _, _, cents in charges]
    paid = _shares(answer.paid_cents, room)
    taken = [(each, _shares(each.cents, room)) for each in answer.adjustments]
    return [
        RemitLine(
            code=code,
            qualifier="",
            modifiers=(),
            charge_cents=cents,
            paid_cents=paid[at],
            number=number,
            adjustments=[
                Adjustment(each.group, each.reason, parts[at]) for each, parts in taken if parts[at]
            ],
        )
        for at, (number, code, cents) in enumerate(charges)
    ]


def _shares(cents: int, room: list[int]) -> list[int]:
    """`cents` over lines by the room each has left, which gets smaller by its share; the odd cents go to the
    first lines with room.
    """
    whole = sum(room)
    found = [cents * each // whole if whole else 0 for each in room]
    odd = cents - sum(found)
    for at, each in enumerate(room):
        if odd and found[at] < each:
            found[at] += 1
            odd -= 1
    for at, each in enumerate(found):
        room[at] -= each
    return found
