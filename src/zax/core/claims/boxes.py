"""What a claim may carry is asked for by subject: each subject has its boxes, and each box the place in
`Carried` that it fills.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum


class Holds(StrEnum):
    """What a box holds. DATED: codes each with its day, '11 3/14/2026, A3 3/20/2026'; VALUED: codes each with
    an amount, '80 3.00, A1 100.00'; FIRST: whether it is the first or replaces one; FILE: a file of the
    record.
    """

    TEXT = "text"
    DAY = "day"
    CHOICE = "choice"
    AMOUNT = "amount"
    NUMBER = "number"
    LIST = "list"
    DATED = "dated"
    VALUED = "valued"
    FIRST = "first"
    FILE = "file"


@dataclass(frozen=True, slots=True)
class Box:
    """`path` leads to its value in Carried: fields by name, papers by number, services as their number."""

    path: str
    words: str
    holds: Holds = Holds.TEXT
    width: int = 14
    longest: int = 60
    choices: Mapping[str, str] = field(default_factory=dict)

    @property
    def name(self) -> str:
        """As it is posted."""
        return self.path.replace(".", "-")


@dataclass(frozen=True, slots=True)
class Subject:
    key: str
    words: str
    boxes: tuple[Box, ...]
    forms: str = "PDI"


def person(role: str, words: str) -> tuple[Box, ...]:
    """The boxes of a person by name and NPI."""
    return (
        Box(f"{role}.first", f"{words}, first name", width=12),
        Box(f"{role}.last", "last name", width=14),
        Box(f"{role}.npi", "NPI", width=12, longest=10),
    )


def day(path: str, words: str) -> Box:
    return Box(path, words, Holds.DAY)
