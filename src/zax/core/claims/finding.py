"""What a check finds on a claim: a sentence, what to do, and the field to open.

A *stop* would be rejected and holds the claim back. What only *looks odd* may go with a reason, which is
kept.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Strength(StrEnum):
    STOP = "stop"
    ODD = "odd"


@dataclass(frozen=True, slots=True)
class Finding:
    """`rule` is the id of the check, `about` the path of what is wrong on the claim (`lines.2.units`; lines
    and diagnoses count from 1), `message` what is wrong, `remedy` what to do.
    """

    rule: str
    strength: Strength
    about: str
    message: str
    remedy: str

    @property
    def stops(self) -> bool:
        return self.strength is Strength.STOP

    @property
    def words(self) -> str:
        return f"{self.message} {self.remedy}".strip()

    @property
    def where(self) -> str:
        """The screen that fixes it: patient, coverage, charges, claim or setup."""
        return next(
            (screen for start, screen in _SCREENS if (self.about + ".").startswith(start + ".")), "claim"
        )


_SCREENS = (
    ("patient", "patient"),
    ("subscriber", "coverage"),
    ("coverage", "coverage"),
    ("payer_rank", "coverage"),
    ("billing", "setup"),
    ("payer", "setup"),
    ("rendering", "setup"),
    ("lines", "charges"),
    ("diagnoses", "charges"),
)
