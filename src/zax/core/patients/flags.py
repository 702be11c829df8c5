"""Flags: words that the clinic puts on a patient or household."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Flag:
    """`warns` shows it in the color of trouble."""

    id: int
    words: str
    warns: bool
    active: bool
    position: int
