"""What a check-in tablet shows of somebody's details: enough to tell whether they are right, too little for
who looks over a shoulder; and when it forgets who stood there.
"""

from __future__ import annotations

from datetime import datetime, timedelta

FORGETS_AFTER = timedelta(seconds=60)
DONE_SECONDS = 15
LEAST_LETTERS = 2


def forgotten(used_at: datetime, now: datetime) -> bool:
    return now >= used_at + FORGETS_AFTER


def masked_street(text: str) -> str:
    """'22 Garden Street, Apt 4' -> '22 G… Street, Apt 4'."""
    words = text.split()
    at = next((n for n, word in enumerate(words) if word[:1].isalpha() and len(word) > 2), None)
    if at is None:
        return text and "…"
    return " ".join([*words[:at], f"{words[at][0]}…", *words[at + 1 :]])


def masked_phone(digits: str) -> str:
    """'3605550143' -> '(360) •••-••43'."""
    return f"({digits[:3]}) •••-••{digits[-2:]}" if len(digits) == 10 else ""


def masked_email(text: str) -> str:
    """'joan@example.org' -> 'j…@example.org'."""
    name, at, domain = text.partition("@")
    return f"{name[:1]}…@{domain}" if at else ""


def masked_name(text: str) -> str:
    """'Milo Petrakis' -> 'Milo P.'."""
    first, _, last = text.strip().partition(" ")
    return f"{first} {last[:1]}." if last else first
