"""Where a claim stands, from made to answered, in one value and its words."""

from __future__ import annotations

from enum import StrEnum


class ClaimState(StrEnum):
    """A claim's life. HELD_BACK: a check stops it, or it looks odd and nobody has said why it may go; READY:
    waits for the next batch; GOING: its file is made and waits for the door; CLOSED: answered and posted in
    full.
    """

    HELD_BACK = "held_back"
    READY = "ready"
    GOING = "going"
    SENT = "sent"
    ACCEPTED = "accepted"
    REJECTED = "rejected"
    CLOSED = "closed"
    DENIED = "denied"


# Why a claim is closed whose checkout was undone: the visit may get another.
WITHDRAWN = "the checkout was undone"
# Why one is closed that the payer holds: its charges are open again, or a claim was made that corrects it or
# takes it back.
BEING_CORRECTED = "its charges are being changed"
REPLACED = "Replaced by a corrected claim"
VOIDED = "Voided"
REPLACEABLE = (BEING_CORRECTED, REPLACED, VOIDED)
# Why one is closed that took another back: its visit is billed anew.
BILLED_ANEW = "the visit is billed anew"
# A visit whose claims are all closed for these has none that stands.
NOT_STANDING = (WITHDRAWN, *REPLACEABLE, BILLED_ANEW)
# The payer has said its last word; a person has to do something.
ANSWERED = frozenset({ClaimState.CLOSED, ClaimState.DENIED})
# A biller may correct it and check it again.
CAN_BE_CHECKED = frozenset({ClaimState.HELD_BACK, ClaimState.READY, ClaimState.REJECTED})
IN_TROUBLE = frozenset({ClaimState.HELD_BACK, ClaimState.REJECTED, ClaimState.DENIED})

STATE_WORDS = {
    ClaimState.HELD_BACK: "held back",
    ClaimState.READY: "ready to send",
    ClaimState.GOING: "going out",
    ClaimState.SENT: "sent",
    ClaimState.ACCEPTED: "with the payer",
    ClaimState.REJECTED: "rejected",
    ClaimState.CLOSED: "closed",
    ClaimState.DENIED: "denied",
}
