"""Checks of dental services: codes, teeth, surfaces, areas, and what was there before."""

from __future__ import annotations

from collections.abc import Iterator

from zax.core.charges.teeth import AREAS, QUADRANTS, TEETH, TEETH_WORDS, fits
from zax.core.claims.checks.registry import ODD, STOP, Problem, check
from zax.core.claims.claim import Claim, ClaimLine
from zax.core.claims.procedures import (
    CLEANINGS,
    EXAMS,
    is_braces,
    is_bridge,
    is_crown,
    is_dental_code,
    is_denture,
    is_extraction,
    is_prosthesis,
    is_quadrant,
    needs_tooth,
    surfaces_of,
    teeth_of,
)
from zax.core.claims.situation import Situation
from zax.core.patients.person import age_on

ADULT_TEETH_FROM, GROWN, BABY = 14, 18, 3
_WHOLE_TOOTH = "MODBLIF"


def _numbered(claim: Claim) -> Iterator[tuple[int, ClaimLine]]:
    yield from enumerate(claim.lines, 1)


def _teeth(line: ClaimLine) -> list[str]:
    return [each for each in line.tooth.split(",") if each]


def _age(claim: Claim) -> int | None:
    birth = (claim.subscriber if claim.own else claim.patient).birth
    days = claim.days
    return age_on(birth, days[0]) if birth and days and birth <= days[0] else None


@check(STOP, "D", "2400 SV301-2: CDT")
def dental_code_well_formed(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A dental service has a code of D and four digits."""
    for at, line in _numbered(claim):
        if not is_dental_code(line.code):
            message = f"“{line.code or 'nothing'}” isn’t a code for dental services."
            yield Problem(f"lines.{at}.code", message, "They begin with D, such as D2392.")


@check(STOP, "D", "2400 TOO02, required for work on a tooth")
def tooth_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Work on one tooth names it."""
    for at, line in _numbered(claim):
        if needs_tooth(line.code) and not line.tooth:
            yield Problem(f"lines.{at}.tooth", f"{line.code} has no tooth.", "Enter its number.")


@check(STOP, "D", "2400 TOO02: universal numbering")
def tooth_exists(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A tooth is one of 1 to 32, A to T, or an extra one beside them."""
    for at, line in _numbered(claim):
        for tooth in _teeth(line):
            if tooth not in TEETH:
                yield Problem(f"lines.{at}.tooth", f"There is no tooth {tooth}.", "Use 1 to 32, or A to T.")


@check(STOP, "D", "2400 TOO03, required for fillings")
def surfaces_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A filling names its surfaces."""
    for at, line in _numbered(claim):
        if surfaces_of(line.code) and not line.surfaces:
            yield Problem(f"lines.{at}.surfaces", f"{line.code} has no surfaces.", "Enter them, such as MO.")


@check(STOP, "D", "CDT: fillings by the number of surfaces")
def surfaces_counted(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A filling’s code has as many surfaces as are named."""
    for at, line in _numbered(claim):
        wanted, named = surfaces_of(line.code), len(set(line.surfaces))
        if wanted and named and not (named == wanted or (wanted == 4 and named > 4)):
            message = f"{line.code} is for {wanted} surfaces, and {named} are named."
            yield Problem(f"lines.{at}.surfaces", message, "Correct them, or pick the code that fits.")


@check(STOP, "D", "2400 TOO03: M, O, D, B, L, I, F")
def surfaces_exist(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A tooth has only the surfaces of its kind: an edge in front, a biting face behind; each once."""
    for at, line in _numbered(claim):
        teeth = [TEETH[tooth] for tooth in _teeth(line) if tooth in TEETH]
        allowed = set(teeth[0].surfaces) | {"B", "F"} if teeth else set(_WHOLE_TOOTH)
        wrong = [letter for letter in line.surfaces if letter not in allowed]
        if wrong:
            message = f"Tooth {line.tooth} has no surface {wrong[0]}."
            yield Problem(f"lines.{at}.surfaces", message, "Correct the surfaces or the tooth.")
        elif len(set(line.surfaces)) < len(line.surfaces):
            yield Problem(f"lines.{at}.surfaces", f"{line.code} has a surface twice.", "Remove one.")


@check(STOP, "D", "CDT: codes for front, premolar and molar teeth")
def code_fits_tooth(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A code for front teeth is on a front tooth, one for molars on a molar."""
    for at, line in _numbered(claim):
        wanted = teeth_of(line.code)
        wrong = [tooth for tooth in _teeth(line) if tooth in TEETH and wanted and not fits(tooth, wanted)]
        if wrong:
            message = f"{line.code} is for {TEETH_WORDS[wanted]}, and {wrong[0]} is none of them."
            yield Problem(f"lines.{at}.code", message, "Correct the tooth or the code.")


@check(ODD, "D", "teeth by age")
def tooth_fits_age(claim: Claim, _: Situation) -> Iterator[Problem]:
    """An adult has no baby teeth, a small child no permanent ones."""
    age = _age(claim)
    for at, line in _numbered(claim):
        for tooth in _teeth(line):
            if age is None or tooth not in TEETH:
                continue
            if TEETH[tooth].primary and age >= ADULT_TEETH_FROM:
                message = f"{tooth} is a baby tooth, and the patient is {age}."
                yield Problem(f"lines.{at}.tooth", message, "Check the tooth.")
            elif not TEETH[tooth].primary and age < 4:
                message = f"{tooth} is a permanent tooth, and the patient is {age}."
                yield Problem(f"lines.{at}.tooth", message, "Check the tooth.")


@check(ODD, "D", "CDT: cleanings by age")
def cleaning_fits_age(claim: Claim, _: Situation) -> Iterator[Problem]:
    """D1120 is for children, D1110 for permanent teeth."""
    age = _age(claim)
    for at, line in _numbered(claim):
        if age is not None and line.code == "D1120" and age >= ADULT_TEETH_FROM:
            yield Problem(
                f"lines.{at}.code", f"D1120 is for children, and the patient is {age}.", "Use D1110."
            )
        if age is not None and line.code == "D1110" and age < 12:
            yield Problem(f"lines.{at}.code", f"D1110 is for adults, and the patient is {age}.", "Use D1120.")


@check(ODD, "D", "CDT: D0145 under three, sealants of the young")
def service_fits_the_child(claim: Claim, _: Situation) -> Iterator[Problem]:
    """The exam of a small child is under three, a sealant is for the young."""
    age = _age(claim)
    for at, line in _numbered(claim):
        if age is not None and line.code == "D0145" and age >= BABY:
            yield Problem(
                f"lines.{at}.code", f"D0145 is under three, and the patient is {age}.", "Use D0120."
            )
        if age is not None and line.code == "D1351" and age >= GROWN:
            message = f"Plans rarely pay a sealant for someone {age} years old."
            yield Problem(f"lines.{at}.code", message, "Tell the patient, or leave it off.")


@check(STOP, "D", "2400 SV304, required for work on a quarter")
def quadrant_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Gum treatment names its quarter of the mouth."""
    for at, line in _numbered(claim):
        if is_quadrant(line.code) and line.area not in QUADRANTS:
            message = f"{line.code} has no quadrant."
            yield Problem(f"lines.{at}.area", message, "Choose UR, UL, LL or LR.")


@check(STOP, "D", "2400 SV304: oral cavity designation")
def area_exists(claim: Claim, _: Situation) -> Iterator[Problem]:
    """An area is one of the list."""
    for at, line in _numbered(claim):
        if line.area and line.area not in AREAS and line.area not in {"09", "L", "R"}:
            yield Problem(f"lines.{at}.area", f"{line.area} isn’t an area.", "Choose a quadrant or an arch.")


@check(STOP, "D", "2400 SV305, required for crowns, bridges and dentures")
def placement_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A crown, bridge or denture says whether it is the first there or replaces one."""
    for at, line in _numbered(claim):
        if is_prosthesis(line.code) and line.first_placement is None:
            message = f"{line.code}: is it the first, or does it replace one?"
            yield Problem(f"lines.{at}.prosthesis", message, "Say which; the tooth chart may know.")


@check(STOP, "D", "2400 DTP*441, required with SV305 R")
def earlier_placement_dated(claim: Claim, _: Situation) -> Iterator[Problem]:
    """What replaces something says when that was placed."""
    for at, line in _numbered(claim):
        if line.first_placement is False and line.placed_before is None:
            message = f"{line.code}: when was the earlier one placed?"
            yield Problem(
                f"lines.{at}.prosthesis.prior_date", message, "Enter month and year, if not the day."
            )
        elif line.placed_before and line.day and line.placed_before >= line.day:
            message = f"{line.code}: the earlier one would be no older than the new one."
            yield Problem(f"lines.{at}.prosthesis.prior_date", message, "Correct its date.")


@check(ODD, "D", "2400 DTP*441 only with SV305 R")
def first_placement_replaces_nothing(claim: Claim, _: Situation) -> Iterator[Problem]:
    """What is the first there has no earlier placement."""
    for at, line in _numbered(claim):
        if line.first_placement and line.placed_before:
            message = f"{line.code} is marked as the first and has an earlier date."
            yield Problem(f"lines.{at}.prosthesis", message, "Mark it as a replacement, or remove the date.")


@check(ODD, "D", "2300 DN2, required for bridges and dentures")
def missing_teeth_listed(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A bridge or denture goes with the teeth that are missing."""
    replaced = [at for at, line in _numbered(claim) if is_denture(line.code) or _is_pontic(line.code)]
    if replaced and not claim.missing_teeth and not claim.teeth_to_extract:
        message = f"{claim.lines[replaced[0] - 1].code} replaces teeth, and none is listed as missing."
        yield Problem("missing_teeth", message, "Enter them on the tooth chart.")


def _is_pontic(code: str) -> bool:
    return is_bridge(code) and int(code[1:]) < 6545


@check(ODD, "D", "2300 DN2 against TOO02")
def tooth_still_there(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Nothing but its replacement is done on a tooth that is missing."""
    for at, line in _numbered(claim):
        works_on_it = needs_tooth(line.code) and not is_bridge(line.code) and not line.code.startswith("D60")
        gone = [tooth for tooth in _teeth(line) if tooth in claim.missing_teeth]
        if works_on_it and gone:
            message = f"{line.code} is on tooth {gone[0]}, which is listed as missing."
            yield Problem(f"lines.{at}.tooth", message, "Check the tooth.")


@check(STOP, "D", "2300 DN1, 2400 DTP*452, required for orthodontics")
def braces_described(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Braces go with the day they were placed and how many months they take."""
    if not any(is_braces(line.code) for line in claim.lines) or claim.predetermination:
        return
    if claim.dates.appliance is None and not any(line.appliance_on for line in claim.lines):
        yield Problem("ortho.placed_on", "It isn’t said when the braces were placed.", "Enter the day.")
    if claim.braces is None:
        yield Problem("ortho.months", "It isn’t said how many months the braces take.", "Enter them.")


@check(ODD, "D", "2300 DN1")
def braces_months_fit(claim: Claim, _: Situation) -> Iterator[Problem]:
    """No more months are left than there are."""
    if claim.braces and claim.braces.months_left > claim.braces.months:
        yield Problem("ortho.months_left", "More months are left than the braces take.", "Correct them.")


@check(ODD, "D", "CDT: one exam a day")
def one_exam_a_day(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Nobody has two exams on one day."""
    seen: dict[object, str] = {}
    for at, line in _numbered(claim):
        if line.code not in EXAMS:
            continue
        if line.day in seen:
            message = f"{seen[line.day]} and {line.code} are two exams on one day."
            yield Problem(f"lines.{at}", message, "Bill one of them.")
        seen.setdefault(line.day, line.code)


@check(ODD, "D", "payers: a cleaning is part of deep cleaning")
def cleaning_beside_deep_cleaning(claim: Claim, _: Situation) -> Iterator[Problem]:
    """No ordinary cleaning on the day of a deep one or of gum maintenance."""
    deep = {line.day for line in claim.lines if line.code in {"D4341", "D4342", "D4910", "D4346"}}
    for at, line in _numbered(claim):
        if line.code in CLEANINGS and line.day in deep:
            message = f"{line.code} is on the day of deeper cleaning."
            yield Problem(f"lines.{at}", message, "Plans pay one of them.")


@check(ODD, "D", "payers: a full set of X-rays holds the bitewings")
def bitewings_beside_full_set(claim: Claim, _: Situation) -> Iterator[Problem]:
    """No bitewings or single pictures on the day of a full set."""
    full = {line.day for line in claim.lines if line.code == "D0210"}
    for at, line in _numbered(claim):
        if line.day in full and line.code in {"D0220", "D0230", "D0270", "D0272", "D0273", "D0274"}:
            message = f"{line.code} is part of the full set of the same day."
            yield Problem(f"lines.{at}", message, "Bill the full set alone.")


@check(ODD, "D", "payers: nothing more on a tooth taken out the same day")
def nothing_on_a_tooth_taken_out(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A tooth that is taken out gets no filling or crown that day."""
    out = {(line.day, tooth) for line in claim.lines if is_extraction(line.code) for tooth in _teeth(line)}
    for at, line in _numbered(claim):
        restored = surfaces_of(line.code) or is_crown(line.code) or teeth_of(line.code)
        gone = [tooth for tooth in _teeth(line) if (line.day, tooth) in out]
        if restored and gone:
            message = f"Tooth {gone[0]} is taken out and gets {line.code} on the same day."
            yield Problem(f"lines.{at}.tooth", message, "Check the tooth.")
