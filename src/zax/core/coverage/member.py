"""A member id as it is typed and as it is compared: letters and digits of the card, whatever stands between
them.
"""

from __future__ import annotations

from zax.core.errors import Refused

LONGEST = 30
RELATIONSHIP_WORDS = {
    "18": "self",
    "01": "spouse",
    "19": "child",
    "20": "employee",
    "39": "organ donor",
    "53": "life partner",
    "G8": "other",
}


def member_key(text: str) -> str:
    """'hg-441 02' -> 'HG44102'."""
    return "".join(ch for ch in text.upper() if ch.isalnum())


def check_group_number(text: str, field: str = "group_number") -> str:
    """The number or name of the group as it stands on the card, in capitals; empty is allowed. Source: X12
    SBR03 takes 1 to 50 signs, cards have at most 30.
    """
    typed = " ".join(text.upper().split())
    if len(typed) > LONGEST or not typed.isascii() or not typed.isprintable() or set(typed) & set("*:~^|"):
        raise Refused("A group number has up to 30 letters and digits. Copy it from the card.", field)
    return typed


def check_member_id(text: str, field: str = "member_id") -> str:
    """The id in capitals; Refused when it cannot stand on a card (X12 NM109 takes 2 to 80, cards have at most
    30).
    """
    typed = " ".join(text.upper().split())
    if not typed:
        raise Refused("Enter the member ID as it appears on the card.", field)
    if (
        len(typed) > LONGEST
        or not all(ch.isalnum() or ch in "- ." for ch in typed)
        or not typed.isascii()
        or len(member_key(typed)) < 2
    ):
        raise Refused("A member ID has 2 to 30 letters and digits. Copy it from the card.", field)
    return typed
