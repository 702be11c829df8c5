"""Teeth: universal numbers inside, universal or FDI on the screen. What kind a tooth is, where it stands, and
which surfaces it has.

Universal: 1 to 32 from the upper right third molar around to the lower right one; A to T for primary teeth
the same way round. An extra (supernumerary) tooth is named after the one it stands beside: 50 more than a
permanent one, 51 to 82, and an S behind a primary one, AS to TS. FDI (ISO 3950): quadrant and place from the
middle, quadrants 1 to 4 permanent, 5 to 8 primary; an extra one is written 18S here. Claims carry universal
numbers (X12 TOO01 = JP).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum

PRIMARY = "ABCDEFGHIJKLMNOPQRST"
_BESIDE = 50  # an extra permanent tooth's number is that of its neighbor and this
SURFACE_ORDER = "MODIBFL"
SURFACE_WORDS = {
    "M": "toward the middle",
    "O": "biting surface",
    "I": "edge",
    "D": "toward the back",
    "B": "cheek",
    "F": "lip",
    "L": "tongue",
}


class Numbering(StrEnum):
    UNIVERSAL = "universal"
    FDI = "fdi"


# X12 code list for oral cavity designation (SV304): what a service covers that is more than a tooth.
AREAS = {
    "10": "upper right",
    "20": "upper left",
    "30": "lower left",
    "40": "lower right",
    "01": "upper arch",
    "02": "lower arch",
    "00": "whole mouth",
}
QUADRANTS = ("10", "20", "30", "40")
ARCHES = ("01", "02")
TEETH_WORDS = {
    "": "any tooth",
    "permanent": "permanent teeth",
    "primary": "primary teeth",
    "front": "front teeth",
    "premolar": "premolars",
    "molar": "molars",
    "back": "premolars and molars",
}


@dataclass(frozen=True, slots=True)
class Tooth:
    """`place` counts 1 to 8 (or 1 to 5) from the middle; `quadrant` is an area code; `kind` front, premolar
    or molar. Of an `extra` one they are its neighbor's.
    """

    number: str
    primary: bool
    quadrant: str
    place: int
    extra: bool = False

    @property
    def kind(self) -> str:
        if self.place <= 3:
            return "front"
        return "molar" if self.primary or self.place > 5 else "premolar"

    @property
    def fdi(self) -> str:
        quadrant = int(self.quadrant[0]) + (4 if self.primary else 0)
        return f"{quadrant}{self.place}{'S' if self.extra else ''}"

    @property
    def neighbor(self) -> str:
        """The tooth whose place it shares; of most teeth that is themselves."""
        if not self.extra:
            return self.number
        return self.number[0] if self.primary else str(int(self.number) - _BESIDE)

    @property
    def upper(self) -> bool:
        return self.quadrant in {"10", "20"}

    @property
    def surfaces(self) -> str:
        """The surfaces it has, in writing order: an edge and a lip side in front, a biting face and a cheek
        side behind.
        """
        return "MDIFL" if self.kind == "front" else "MODBL"

    @property
    def words(self) -> str:
        kind = {1: "central incisor", 2: "lateral incisor", 3: "canine"}.get(self.place, self.kind)
        named = f"{AREAS[self.quadrant]} {'primary ' if self.primary else ''}{kind}"
        return f"extra tooth by the {named}" if self.extra else named


def _teeth() -> Iterator[Tooth]:
    for primary, names, count in ((False, [str(n) for n in range(1, 33)], 8), (True, list(PRIMARY), 5)):
        for at, name in enumerate(names):
            quarter, step = divmod(at, count)
            place = count - step if quarter in {0, 2} else step + 1
            yield Tooth(name, primary, QUADRANTS[quarter], place)
            beside = f"{name}S" if primary else str(int(name) + _BESIDE)
            yield Tooth(beside, primary, QUADRANTS[quarter], place, extra=True)


TEETH = {tooth.number: tooth for tooth in _teeth()}
_FROM_FDI = {tooth.fdi: tooth.number for tooth in TEETH.values()}


def read_tooth(typed: str, numbering: Numbering) -> str:
    """A tooth as typed, as its universal number; what is no tooth comes back as typed, for the message."""
    text = typed.strip().upper().lstrip("#")
    return _FROM_FDI.get(text, f"?{text}") if numbering == Numbering.FDI and text else text


def show_tooth(number: str, numbering: Numbering) -> str:
    """A universal number as this clinic writes it."""
    return TEETH[number].fdi if numbering == Numbering.FDI and number in TEETH else number


def fits(tooth: str, rule: str) -> bool:
    """Whether a service for these teeth (a key of TEETH_WORDS) can be done on this one; on what is no tooth,
    nothing can.
    """
    found = TEETH.get(tooth)
    if found is None:
        return False
    if rule in {"permanent", "primary"}:
        return found.primary == (rule == "primary")
    if rule == "back":
        return found.kind != "front"
    return not rule or found.kind == rule
