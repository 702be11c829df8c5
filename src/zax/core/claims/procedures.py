"""What a procedure code is, by its range: visits, therapy, vaccines, drugs, surgery; fillings, crowns, exams.

Ranges of CPT, HCPCS and CDT are public facts about the code sets; their texts are not used. A code that is
not of five digits or of one letter with four digits is none of them.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

_DENTAL = re.compile(r"D\d{4}", re.ASCII)
_MEDICAL = re.compile(r"\d{4}[0-9A-Z]|[A-Z]\d{4}", re.ASCII)


def is_dental_code(code: str) -> bool:
    return _DENTAL.fullmatch(code) is not None


def is_medical_code(code: str) -> bool:
    return _MEDICAL.fullmatch(code) is not None and not is_dental_code(code)


def _within(code: str, *ranges: tuple[int, int]) -> bool:
    """Five digits in one of the ranges, both ends included."""
    return len(code) == 5 and code.isdecimal() and any(a <= int(code) <= b for a, b in ranges)


def _dental_within(code: str, *ranges: tuple[int, int]) -> bool:
    return is_dental_code(code) and any(a <= int(code[1:]) <= b for a, b in ranges)


def is_office_visit(code: str) -> bool:
    return _within(code, (99202, 99215))


def is_problem_visit(code: str) -> bool:
    """A visit about a problem, in the office, hospital or at home."""
    return _within(code, (99202, 99239), (99242, 99255), (99281, 99285), (99341, 99350))


def is_preventive(code: str) -> bool:
    return _within(code, (99381, 99397))


def is_surgery(code: str) -> bool:
    """Procedures that a visit of the same day must be told apart from; drawing blood is none."""
    return _within(code, (10004, 69990)) and not _within(code, (36400, 36425))


def is_anesthesia(code: str) -> bool:
    return _within(code, (100, 1999)) and code.startswith("0")


def is_imaging(code: str) -> bool:
    return _within(code, (70010, 79999))


def is_lab(code: str) -> bool:
    return _within(code, (80047, 89398))


def goes_with_lab_number(code: str, modifiers: Sequence[str], lab: bool) -> bool:
    """Whether the clinic's CLIA number belongs on the claim: a test by our own lab, which the code, QW or the
    service says; one that was sent out (modifier 90) goes under another lab's (005010X222A1 2300 REF X4).
    """
    return "90" not in modifiers and (lab or "QW" in modifiers or is_lab(code))


def is_therapy(code: str) -> bool:
    """Physical, occupational and speech therapy, which Medicare wants told apart by GP, GO and GN."""
    return _within(code, (97010, 97546), (97750, 97799), (92507, 92508), (92526, 92526))


def is_timed(code: str) -> bool:
    """Services counted in units of 15 minutes."""
    return _within(code, (97032, 97036), (97110, 97140), (97530, 97542), (97750, 97750), (97760, 97763))


def is_adjustment(code: str) -> bool:
    """Chiropractic adjustment of the spine."""
    return _within(code, (98940, 98942))


def is_vaccine(code: str) -> bool:
    return _within(code, (90476, 90759), (91300, 91399)) or code in {"90380", "90381"}


def is_vaccination(code: str) -> bool:
    """Giving a vaccine."""
    return _within(code, (90460, 90461), (90471, 90474), (90480, 90480)) or code in {
        "G0008",
        "G0009",
        "G0010",
    }


FIRST_VACCINATION = {
    "90461": {"90460"},
    "90472": {"90471", "90473", "90460"},
    "90474": {"90471", "90473", "90460"},
}


def is_drug(code: str) -> bool:
    """Drugs given by the clinic: HCPCS J codes, and some Q codes of biologicals."""
    return re.fullmatch(r"J\d{4}|Q5\d{3}", code, re.ASCII) is not None


def is_quality(code: str) -> bool:
    """A measure that is reported and not paid: CPT category II, and G codes of measures."""
    return re.fullmatch(r"\d{4}F|G8\d{3}|G9\d{3}", code, re.ASCII) is not None


def is_major_surgery(code: str) -> bool:
    """Operations whose fee covers the surgeon's visits of ninety days: joints, spine, heart, belly."""
    return _within(
        code,
        (22513, 22899),
        (23395, 23491),
        (23470, 23474),
        (24360, 24371),
        (27125, 27138),
        (27236, 27236),
        (27244, 27245),
        (27437, 27447),
        (27486, 27487),
        (29805, 29828),
        (29881, 29889),
        (33510, 33536),
        (44140, 44160),
        (44950, 44970),
        (47562, 47564),
        (49491, 49596),
        (58150, 58294),
        (63001, 63090),
        (66840, 66984),
    )


def is_for_women(code: str) -> bool:
    return _within(code, (56405, 59899)) or code in {"77065", "77066", "77067", "88141", "88142", "88150"}


def is_for_men(code: str) -> bool:
    return _within(code, (54000, 55899), (84152, 84154))


# Preventive visits by age: from, up to and including.
PREVENTIVE_AGES = {
    "1": (0, 0),
    "2": (1, 4),
    "3": (5, 11),
    "4": (12, 17),
    "5": (18, 39),
    "6": (40, 64),
    "7": (65, 150),
}


def preventive_ages(code: str) -> tuple[int, int] | None:
    return PREVENTIVE_AGES.get(code[4]) if is_preventive(code) else None


# Dental

_SURFACES = {
    **dict.fromkeys(("D2140", "D2330", "D2391"), 1),
    **dict.fromkeys(("D2150", "D2331", "D2392", "D2520", "D2620", "D2651", "D2662"), 2),
    **dict.fromkeys(("D2160", "D2332", "D2393"), 3),
    **dict.fromkeys(("D2161", "D2335", "D2394"), 4),
}
EXAMS = frozenset({"D0120", "D0145", "D0150", "D0180", "D0160"})
CLEANINGS = frozenset({"D1110", "D1120"})


def surfaces_of(code: str) -> int:
    """How many surfaces a filling covers; four means four or more, 0 that it has none."""
    return _SURFACES.get(code, 0)


def teeth_of(code: str) -> str:
    """Which teeth a code is for: front, premolar, molar, back, or any."""
    if _dental_within(code, (2330, 2335)) or code in {"D3310", "D3346", "D2960", "D2961", "D2962"}:
        return "front"
    if _dental_within(code, (2391, 2394)):
        return "back"
    return {"D3320": "premolar", "D3347": "premolar", "D3330": "molar", "D3348": "molar"}.get(code, "")


def needs_tooth(code: str) -> bool:
    """Work on one tooth: fillings, crowns, root canals, posts, extractions, sealants, implants."""
    return _dental_within(
        code,
        (1351, 1354),
        (2140, 2999),
        (3110, 3353),
        (3410, 3426),
        (6010, 6013),
        (6056, 6077),
        (6205, 6793),
        (7111, 7251),
    ) and code not in {"D2999", "D2940", "D2970"}


def is_crown(code: str) -> bool:
    return _dental_within(code, (2510, 2664), (2710, 2799))


def is_prosthesis(code: str) -> bool:
    """What a payer asks about: was there one before? Crowns, inlays, dentures, bridges, implant crowns."""
    return is_crown(code) or _dental_within(code, (5110, 5286), (6058, 6077), (6205, 6794))


def is_bridge(code: str) -> bool:
    return _dental_within(code, (6205, 6794))


def is_denture(code: str) -> bool:
    return _dental_within(code, (5110, 5286))


def is_extraction(code: str) -> bool:
    return _dental_within(code, (7111, 7251))


def is_quadrant(code: str) -> bool:
    """Gum treatment by the quarter of the mouth."""
    return _dental_within(code, (4210, 4211), (4240, 4241), (4260, 4261), (4341, 4342))


def is_gum_treatment(code: str) -> bool:
    """What maintenance follows: scaling below the gum or gum surgery."""
    return _dental_within(code, (4210, 4278), (4341, 4342))


def is_braces(code: str) -> bool:
    return _dental_within(code, (8010, 8090))
