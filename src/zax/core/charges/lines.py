"""A charge line must name what the code is about: tooth, surfaces or area for dental; modifiers and diagnoses
for medical.

Front teeth have an incisal edge (I), back teeth an occlusal face (O). Source of the surface letters: X12 code
list 1369. A claim carries at most 12 diagnoses and a line points to at most 4 of them (005010X222A1 loops
2300 HI and 2400 SV107).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date

from zax.core.charges.modifiers import check_modifiers
from zax.core.charges.teeth import ARCHES, AREAS, QUADRANTS, SURFACE_ORDER, TEETH, TEETH_WORDS, fits
from zax.core.errors import ProblemCollector, Refused
from zax.core.reading import needed_number
from zax.core.wording import day_words

MOST_DIAGNOSES = 12
MOST_POINTERS = 4
LETTERS = "ABCDEFGHIJKL"
# Place of service codes (CMS list), as far as a clinic of this kind needs them.
PLACES = {
    "11": "the office",
    "02": "by video, away from home",
    "10": "by video, at home",
    "12": "at home",
    "31": "nursing facility",
    "32": "nursing home",
    "22": "hospital, outpatient",
    "21": "hospital, inpatient",
    "03": "school",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class ServiceRule:
    """What a service code asks for. `surfaces` is how many surfaces it covers (0: none), `teeth` a key of
    TEETH_WORDS, `area` "", quadrant or arch.
    """

    code: str
    dental: bool
    needs_tooth: bool = False
    surfaces: int = 0
    most_units: int = 20
    teeth: str = ""
    area: str = ""

    @property
    def fitting(self) -> range:
        """How many surfaces may be named: codes of four are for four or more, and a tooth has five."""
        return range(self.surfaces, (5 if self.surfaces == 4 else self.surfaces) + 1)

    def of_what_is_given(self, typed: TypedLine) -> ServiceRule:
        """What it asks for of a line not finished yet: what was typed must be right, the rest may follow."""
        apart = bool(typed.tooth or typed.surfaces)
        return replace(
            self,
            needs_tooth=self.needs_tooth and apart,
            surfaces=self.surfaces if typed.surfaces else 0,
            area=self.area if typed.area else "",
        )


@dataclass(frozen=True, slots=True)
class TypedLine:
    """A line as typed; `tooth` already in universal numbers."""

    units: str = "1"
    tooth: str = ""
    surfaces: str = ""
    area: str = ""
    modifiers: str = ""


@dataclass(frozen=True, slots=True)
class LineDetail:
    """A line as checked: tooth upper case, surfaces in writing order."""

    units: int
    tooth: str = ""
    surfaces: str = ""
    area: str = ""
    modifiers: tuple[str, ...] = ()


def is_tooth(tooth: str) -> bool:
    return tooth in TEETH


def check_line(rule: ServiceRule, typed: TypedLine) -> LineDetail:
    """What was typed for a line, checked against the code; raises Problems with one message a field."""
    tooth = typed.tooth.strip().upper().lstrip("#")
    wanted = "".join(dict.fromkeys(ch for ch in typed.surfaces.upper() if not ch.isspace() and ch != ","))
    with ProblemCollector() as wrong:
        units = wrong.take(
            needed_number,
            typed.units,
            "units",
            1,
            rule.most_units,
            f"Units can be 1 to {rule.most_units}.",
        )
        if message := _tooth_problem(rule, tooth):
            wrong.add("tooth", message)
        if message := _surface_problem(rule, tooth, wanted):
            wrong.add("surfaces", message)
        if message := _area_problem(rule, typed.area):
            wrong.add("area", message)
        modifiers = wrong.take(check_modifiers, typed.modifiers, rule.code, rule.dental)
    surfaces = "".join(sorted(wanted, key=SURFACE_ORDER.index))
    assert units is not None
    return LineDetail(units, tooth, surfaces, typed.area, modifiers or ())


def _tooth_problem(rule: ServiceRule, tooth: str) -> str:
    if rule.needs_tooth and not tooth:
        return f"{rule.code} needs a tooth: 1 to 32, or A to T for a primary tooth."
    if tooth and not is_tooth(tooth):
        return f"There is no tooth “{tooth.lstrip('?')[:6]}”. Choose one on the chart, or type its number."
    if tooth and not rule.needs_tooth and not rule.dental:
        return f"{rule.code} isn’t done on a tooth."
    if tooth and not fits(tooth, rule.teeth):
        return f"{rule.code} is for {TEETH_WORDS[rule.teeth]}; tooth {tooth} is the {TEETH[tooth].words}."
    return ""


def _area_problem(rule: ServiceRule, area: str) -> str:
    fitting = {"quadrant": QUADRANTS, "arch": ARCHES}.get(rule.area, ())
    if rule.area and not area:
        return f"{rule.code} needs its {rule.area}: {', '.join(AREAS[code] for code in fitting)}."
    if area and area not in fitting:
        return (
            f"{rule.code} isn’t done by {AREAS[area]}." if area in AREAS else "Choose an area of the mouth."
        )
    return ""


def _surface_problem(rule: ServiceRule, tooth: str, wanted: str) -> str:
    unknown = [ch for ch in wanted if ch not in SURFACE_ORDER]
    if unknown:
        return f"“{unknown[0]}” isn’t a surface. Use M, O, D, I, B, F, L."
    if rule.surfaces and len(wanted) not in rule.fitting:
        if len(rule.fitting) > 1:
            return f"{rule.code} covers four surfaces or more; name four or five."
        return (
            f"{rule.code} covers {rule.surfaces} surface{'s' if rule.surfaces > 1 else ''}; name exactly that"
            " many."
        )
    if not rule.surfaces and wanted:
        return f"{rule.code} has no surfaces."
    found = TEETH.get(tooth)
    if found and found.kind == "front" and "O" in wanted:
        return f"Tooth {tooth} is a front tooth: its edge is I, not O."
    if found and found.kind != "front" and "I" in wanted:
        return f"Tooth {tooth} is a back tooth: its biting surface is O, not I."
    return ""


def unfinished(rule: ServiceRule, tooth: str, surfaces: str, area: str, diagnoses: Sequence[str]) -> str:
    """Why this line cannot be charged yet, in words; empty when it can."""
    if rule.needs_tooth and not tooth:
        return f"{rule.code} needs a tooth"
    if rule.surfaces and len(surfaces) not in rule.fitting:
        return f"{rule.code} needs its surfaces"
    if rule.area and not area:
        return f"{rule.code} needs its {rule.area}"
    if not rule.dental and not diagnoses:
        return f"{rule.code} needs a diagnosis"
    return ""


def check_retired(code: str, retired_on: date | None, day: date) -> None:
    """A code retired on a day is not used for visits of that day or later. Refused beside `service`."""
    if retired_on is not None and day >= retired_on:
        raise Refused(
            f"{code} was retired on {day_words(retired_on, year=True)}. Choose the code that replaced it.",
            "service",
        )


def pointed(points_to: Sequence[str], diagnoses: Sequence[str]) -> tuple[int, ...]:
    """The positions (from 1) that a line points to among the visit's diagnoses, its main reason first.

    A line for which nothing was chosen points to the first ones, as many as a line may.
    """
    chosen = [diagnoses.index(code) + 1 for code in points_to if code in diagnoses]
    return tuple(chosen or range(1, len(diagnoses) + 1))[:MOST_POINTERS]


def check_pointers(typed: str, diagnoses: Sequence[str]) -> tuple[str, ...]:
    """'BA' or 'b, a' -> the codes behind those letters in that order; '' lets the first ones count. Refused
    beside `pointers`.
    """
    letters = [ch for ch in typed.upper() if not ch.isspace() and ch not in ",;"]
    known = LETTERS[: len(diagnoses)]
    wrong = next((ch for ch in letters if ch not in known), "")
    if wrong:
        said = f"Use {known[0]} to {known[-1]}." if known else "Add a diagnosis first."
        raise Refused(f"There is no diagnosis {wrong}. {said}", "pointers")
    if len(set(letters)) != len(letters):
        raise Refused("List each diagnosis once.", "pointers")
    if len(letters) > MOST_POINTERS:
        raise Refused(f"A line can point to at most {MOST_POINTERS} diagnoses.", "pointers")
    return tuple(diagnoses[LETTERS.index(ch)] for ch in letters)
