"""Text set on a pre-printed form: each where the form has its box, moved by what the clinic's printer is off.

The professional and facility forms are laid out by their standards on a grid of ten characters and six lines
to the inch, so a place on them is a line and a column, both from 1. The dental form has no grid: its places
are millimeters. A sheet is US letter.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import date

COLUMN_MM, LINE_MM = 2.54, 25.4 / 6
# From the edge of the sheet to the first column and line.
LEFT_MM, TOP_MM = 6.35, 4.2
WIDTH_MM, HEIGHT_MM = 215.9, 279.4
MOST_OFF_MM = 25.0
MARK = "X"


@dataclass(frozen=True, slots=True)
class Placed:
    """`text` with its upper left corner so many millimeters from the sheet's."""

    text: str
    x: float
    y: float


@dataclass(slots=True)
class Sheet:
    """One sheet as it is filled."""

    placed: list[Placed] = field(default_factory=list)

    def at(self, line: float, column: float, text: str, most: int = 0) -> None:
        """By the grid; `most` letters fit, 0 for as many as there are."""
        self.mm(LEFT_MM + (column - 1) * COLUMN_MM, TOP_MM + (line - 1) * LINE_MM, text, most)

    def mm(self, x: float, y: float, text: str, most: int = 0) -> None:
        shown = text[:most] if most else text
        if shown.strip():
            self.placed.append(Placed(shown, round(x, 2), round(y, 2)))

    def mark(self, line: float, column: float, on: bool) -> None:
        """A cross in a box of the grid."""
        self.at(line, column, MARK if on else "")

    def day(self, line: float, columns: tuple[float, float, float], day: date | None, years: int = 2) -> None:
        """Month, day and year each in its own box."""
        if day is None:
            return
        year = f"{day.year:04}"[-years:]
        for column, text in zip(columns, (f"{day.month:02}", f"{day.day:02}", year), strict=True):
            self.at(line, column, text)

    def cents(self, line: float, column: float, cents: int) -> None:
        """Dollars so that they end before the rule at `column`, cents behind it."""
        dollars = str(cents // 100)
        self.at(line, column - len(dollars), dollars)
        self.at(line, column + 1, f"{cents % 100:02}")


def moved(placed: Sequence[Placed], x: float, y: float) -> list[Placed]:
    """Everything moved to the right and down; what would leave the sheet stays at its edge."""
    return [
        replace(
            each,
            x=round(min(max(each.x + x, 0.0), WIDTH_MM - COLUMN_MM), 2),
            y=round(min(max(each.y + y, 0.0), HEIGHT_MM - LINE_MM), 2),
        )
        for each in placed
    ]
