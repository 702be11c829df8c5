"""A charge line must name what the code is about: tooth and surfaces for dental, diagnoses for medical.

Teeth are universal numbers: 1 to 32 permanent, A to T primary. Front teeth have an incisal edge (I), back teeth an occlusal
one (O). Source of the surface letters: ADA Dental Claim Form tooth surface codes, as X12 code list 1369.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zax.core.errors import ProblemCollector

MOST_DIAGNOSES = 12
MOST_POINTERS = 4
PRIMARY = "ABCDEFGHIJKLMNOPQRST"
_FRONT = {str(n) for n in (*range(6, 12), *range(22, 28))} | set("CDEFGHMNOPQR")
_SURFACE_ORDER = "MODIBFL"


@dataclass(frozen=True, slots=True)
class ServiceRule:
    """What a service code asks for. `surfaces` is how many surfaces it covers (0: none)."""

    code: str
    dental: bool
    needs_tooth: bool = False
    surfaces: int = 0
    most_units: int = 20


@dataclass(frozen=True, slots=True)
class LineDetail:
    """A line as checked: tooth upper case, surfaces in writing order, diagnosis letters as positions from 1."""

    units: int
    tooth: str = ""
    surfaces: str = ""


def is_tooth(tooth: str) -> bool:
    return tooth in PRIMARY if len(tooth) == 1 and tooth.isalpha() else tooth.isdecimal() and 1 <= int(tooth) <= 32


def check_line(rule: ServiceRule, units: str, tooth: str, surfaces: str) -> LineDetail:
    """What was typed for a line, checked against the code; raises Problems with one message a field."""
    tooth = tooth.strip().upper().lstrip("#")
    wanted = "".join(dict.fromkeys(ch for ch in surfaces.upper() if not ch.isspace() and ch != ","))
    with ProblemCollector() as wrong:
        if not units.strip().isdecimal() or not 1 <= int(units) <= rule.most_units:
            wrong.add("units", f"Units go from 1 to {rule.most_units}.")
        if rule.needs_tooth and not tooth:
            wrong.add("tooth", f"{rule.code} needs its tooth: 1 to 32, or A to T for a primary tooth.")
        elif tooth and not is_tooth(tooth):
            wrong.add("tooth", f"There is no tooth “{tooth[:6]}”. Use 1 to 32, or A to T.")
        elif tooth and not rule.needs_tooth and not rule.dental:
            wrong.add("tooth", f"{rule.code} is not done on a tooth.")
        if message := _surface_problem(rule, tooth, wanted):
            wrong.add("surfaces", message)
    return LineDetail(int(units), tooth, "".join(sorted(wanted, key=_SURFACE_ORDER.index)))


def _surface_problem(rule: ServiceRule, tooth: str, wanted: str) -> str:
    unknown = [ch for ch in wanted if ch not in _SURFACE_ORDER]
    if unknown:
        return f"“{unknown[0]}” is not a surface. Use M, O, D, I, B, F, L."
    if rule.surfaces and len(wanted) != rule.surfaces:
        return (
            f"{rule.code} covers {rule.surfaces} surface{'s' if rule.surfaces > 1 else ''}; name exactly that many."
        )
    if not rule.surfaces and wanted:
        return f"{rule.code} has no surfaces."
    if tooth in _FRONT and "O" in wanted:
        return f"Tooth {tooth} is a front tooth: its edge is I, not O."
    if is_tooth(tooth) and tooth not in _FRONT and "I" in wanted:
        return f"Tooth {tooth} is a back tooth: its biting face is O, not I."
    return ""


def unfinished(rule: ServiceRule, tooth: str, surfaces: str, diagnoses: Sequence[str]) -> str:
    """Why this line cannot be charged yet, in words; empty when it can."""
    if rule.needs_tooth and not tooth:
        return f"{rule.code} needs its tooth"
    if rule.surfaces and len(surfaces) != rule.surfaces:
        return f"{rule.code} needs its surfaces"
    if not rule.dental and not diagnoses:
        return f"{rule.code} needs a diagnosis"
    return ""
