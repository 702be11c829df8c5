"""Checks of medical services: their codes, modifiers and places, and what must or must not stand together."""

from __future__ import annotations

import re
from collections.abc import Iterator

from zax.core.charges.modifiers import OPPOSED, is_preventive_visit, is_visit_code
from zax.core.claims.checks.registry import ODD, STOP, Problem, check
from zax.core.claims.claim import Claim, ClaimLine
from zax.core.claims.procedures import (
    FIRST_VACCINATION,
    is_adjustment,
    is_drug,
    is_for_men,
    is_for_women,
    is_imaging,
    is_lab,
    is_medical_code,
    is_problem_visit,
    is_surgery,
    is_therapy,
    is_vaccination,
    is_vaccine,
    preventive_ages,
)
from zax.core.claims.situation import Situation
from zax.core.patients.person import age_on

TELEHEALTH = frozenset({"02", "10"})
BY_VIDEO = frozenset({"95", "93", "GT", "GQ", "FQ"})
_NDC = re.compile(r"\d{11}", re.ASCII)
_CLIA = re.compile(r"\d{2}D\d{7}", re.ASCII)
_NDC_UNITS = frozenset(["F2", "GR", "ME", "ML", "UN"])
MOST_MODIFIERS = 4


def _numbered(claim: Claim) -> Iterator[tuple[int, ClaimLine]]:
    yield from enumerate(claim.lines, 1)


def _place(claim: Claim, line: ClaimLine) -> str:
    return line.place or claim.place_of_service


@check(STOP, "P", "2400 SV101-2: CPT or HCPCS")
def code_well_formed(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A medical service has a CPT or HCPCS code."""
    for at, line in _numbered(claim):
        if not is_medical_code(line.code):
            message = f"“{line.code or 'nothing'}” isn’t a code for medical services."
            yield Problem(f"lines.{at}.code", message, "It has five characters, such as 99213.")


@check(STOP, "P", "2300 CLM05-1, 2400 SV105: CMS place of service")
def place_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """It is said where it was done, in two digits."""
    if not re.fullmatch(r"\d{2}", claim.place_of_service, re.ASCII):
        yield Problem("place", "It isn’t said where it was done.", "Choose the place of service.")


@check(STOP, "PDI", "SV101-3 to 6: two characters, four at most")
def modifiers_well_formed(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A service has at most four modifiers of two characters."""
    for at, line in _numbered(claim):
        wrong = [each for each in line.modifiers if not re.fullmatch(r"[A-Z0-9]{2}", each, re.ASCII)]
        if wrong:
            message = f"{line.code}: “{wrong[0]}” isn’t a modifier."
            yield Problem(f"lines.{at}.modifiers", message, "Modifiers have two characters, such as 25.")
        if len(line.modifiers) > MOST_MODIFIERS:
            message = f"{line.code} has {len(line.modifiers)} modifiers, and four go along."
            yield Problem(f"lines.{at}.modifiers", message, "Keep those that change the payment.")


@check(ODD, "PI", "SV101-3 to 6")
def modifiers_once(claim: Claim, _: Situation) -> Iterator[Problem]:
    """No modifier stands twice on a service."""
    for at, line in _numbered(claim):
        if len(set(line.modifiers)) < len(line.modifiers):
            yield Problem(f"lines.{at}.modifiers", f"{line.code} has a modifier twice.", "Remove one.")


@check(STOP, "PI", "modifiers that exclude each other")
def modifiers_agree(claim: Claim, _: Situation) -> Iterator[Problem]:
    """No two modifiers of a service contradict each other."""
    for at, line in _numbered(claim):
        for one, other in OPPOSED:
            if {one, other} <= set(line.modifiers):
                message = f"{line.code}: {one} and {other} can’t go together."
                yield Problem(f"lines.{at}.modifiers", message, "Remove one of them.")


@check(ODD, "P", "CPT appendix A: 24, 25 and 57 go on visits")
def visit_modifiers_on_visits(claim: Claim, _: Situation) -> Iterator[Problem]:
    """24, 25 and 57 stand only on visits."""
    for at, line in _numbered(claim):
        for each in sorted({"24", "25", "57"} & set(line.modifiers)):
            if not is_visit_code(line.code) and not is_preventive_visit(line.code):
                message = f"{each} belongs on a visit, and {line.code} is none."
                yield Problem(f"lines.{at}.modifiers", message, "Put it on the visit of the day.")


@check(ODD, "P", "CPT appendix A: 59 tells procedures apart")
def procedure_modifier_on_procedures(claim: Claim, _: Situation) -> Iterator[Problem]:
    """59 stands only on procedures."""
    for at, line in _numbered(claim):
        if "59" in line.modifiers and is_problem_visit(line.code):
            message = f"59 is on {line.code}, a visit."
            yield Problem(f"lines.{at}.modifiers", message, "Use 25 on a visit.")


@check(ODD, "P", "NCCI policy manual I.D: 25")
def visit_with_procedure_marked(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A visit on the day of a procedure has 25, or 57 before an operation."""
    for at, line in _numbered(claim):
        if not is_problem_visit(line.code) or {"25", "57", "24"} & set(line.modifiers):
            continue
        partner = next(
            (
                other
                for other in claim.lines
                if other.day == line.day
                and other is not line
                and (is_surgery(other.code) or preventive_ages(other.code) is not None)
            ),
            None,
        )
        if partner is not None:
            message = f"{line.code} on the day of {partner.code} has no 25."
            yield Problem(f"lines.{at}.modifiers", message, "Add 25 if the visit stood on its own.")


@check(ODD, "P", "NCCI policy manual I.D: 25 with vaccines")
def visit_with_vaccine_marked(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A new or known patient’s visit on the day of a first vaccination by injection may need 25."""
    given = any(line.code in {"90471", "90473", "90460"} for line in claim.lines)
    for at, line in _numbered(claim):
        if given and is_problem_visit(line.code) and not {"25", "24"} & set(line.modifiers):
            message = f"{line.code} on the day of a vaccination has no 25."
            yield Problem(f"lines.{at}.modifiers", message, "Add 25 if the visit stood on its own.")


@check(ODD, "P", "CMS place of service 02 and 10")
def possible_by_video(claim: Claim, _: Situation) -> Iterator[Problem]:
    """What needs hands, a needle or a machine is not done by video."""
    for at, line in _numbered(claim):
        by_video = _place(claim, line) in TELEHEALTH or BY_VIDEO & set(line.modifiers)
        hands_on = (
            is_surgery(line.code)
            or is_imaging(line.code)
            or is_lab(line.code)
            or is_vaccine(line.code)
            or is_vaccination(line.code)
            or is_adjustment(line.code)
            or is_drug(line.code)
        )
        if by_video and hands_on:
            message = f"{line.code} can’t be done by video."
            yield Problem(f"lines.{at}", message, "Correct its place and modifiers.")


@check(ODD, "P", "CPT appendix P: 95 with place 02 or 10")
def video_has_its_place(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A visit by video or phone has place 02 or 10."""
    for at, line in _numbered(claim):
        marked = BY_VIDEO & set(line.modifiers)
        if marked and _place(claim, line) not in TELEHEALTH and is_problem_visit(line.code):
            message = f"{line.code} was by video, and its place is {_place(claim, line)}."
            yield Problem(f"lines.{at}.place", message, "Use 10 at home, 02 elsewhere.")


@check(ODD, "P", "CPT: where visits happen")
def place_fits_visit(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A hospital visit is in a hospital, an emergency visit in an emergency room."""
    wanted = (
        (99221, 99239, {"21", "22", "51", "61"}),
        (99281, 99285, {"23"}),
        (99341, 99350, {"12", "13", "14"}),
    )
    for at, line in _numbered(claim):
        for first, last, places in wanted:
            within = line.code.isdecimal() and first <= int(line.code) <= last
            if within and _place(claim, line) not in places:
                message = f"{line.code} doesn’t go with place {_place(claim, line)}."
                yield Problem(f"lines.{at}.place", message, "Correct the place or the code.")


@check(STOP, "P", "CMS claims processing manual 5.10.3: GP, GO, GN")
def medicare_therapy_marked(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """Medicare wants to know by whose plan a therapy is: GP, GO or GN."""
    for at, line in _numbered(claim):
        if situation.medicare and is_therapy(line.code) and not {"GP", "GO", "GN"} & set(line.modifiers):
            message = f"Medicare takes {line.code} only with GP, GO or GN."
            yield Problem(f"lines.{at}.modifiers", message, "GP is physical, GO occupational, GN speech.")


@check(ODD, "P", "CMS benefit policy manual 15.240: AT")
def medicare_adjustment_marked(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """Medicare pays an adjustment of the spine only as active treatment: AT."""
    for at, line in _numbered(claim):
        if situation.medicare and is_adjustment(line.code) and not {"AT", "GA", "GZ"} & set(line.modifiers):
            message = f"Without AT, Medicare takes {line.code} for maintenance and pays nothing."
            yield Problem(f"lines.{at}.modifiers", message, "Add AT if it is active treatment.")


@check(ODD, "P", "CPT: a vaccine and its administration")
def vaccine_was_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Where there is a vaccine, giving it is billed too."""
    given = any(is_vaccination(line.code) for line in claim.lines)
    for at, line in _numbered(claim):
        if is_vaccine(line.code) and not given:
            message = f"{line.code} is there, and giving it isn’t."
            yield Problem(f"lines.{at}", message, "Add the administration, such as 90471.")
            return


@check(ODD, "P", "CPT: a vaccine and its administration")
def what_was_given_is_named(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Where a vaccine was given, it is named, even if it was free."""
    named = any(is_vaccine(line.code) for line in claim.lines)
    for at, line in _numbered(claim):
        if is_vaccination(line.code) and not named:
            message = f"{line.code} is there, and the vaccine isn’t."
            yield Problem(f"lines.{at}", message, "Add the vaccine, even if it was free.")
            return


@check(STOP, "P", "CPT: add-on codes")
def first_before_further(claim: Claim, _: Situation) -> Iterator[Problem]:
    """The code for a further vaccination stands beside the one for the first."""
    codes = {line.code for line in claim.lines}
    for at, line in _numbered(claim):
        first = FIRST_VACCINATION.get(line.code)
        if first and not first & codes:
            message = f"{line.code} is for a further one, and the first isn’t there."
            yield Problem(f"lines.{at}.code", message, f"Add {min(first)}.")


@check(STOP, "P", "2300 REF X4, 42 CFR 493.15: waived tests")
def clia_given(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """A waived lab test goes with the clinic’s CLIA number; for Medicare every lab test does."""
    for _at, line in _numbered(claim):
        waived = "QW" in line.modifiers
        tested = situation.medicare and is_lab(line.code) and "90" not in line.modifiers
        if (waived or tested) and not claim.clia:
            message = f"{line.code} needs the clinic’s CLIA number."
            yield Problem("clia", message, "Enter it in Setup.")
            return


@check(STOP, "P", "CLIA number: two digits, D, seven digits")
def clia_well_formed(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A CLIA number has ten characters with a D in the third place."""
    if claim.clia and not _CLIA.fullmatch(claim.clia):
        yield Problem("clia", f"{claim.clia} isn’t a CLIA number.", "It looks like 06D1234567.")


@check(STOP, "PI", "2410 LIN, by the payer")
def drug_named(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """A payer that wants the NDC of drugs gets it."""
    for at, line in _numbered(claim):
        if "ndc" in situation.needs and is_drug(line.code) and line.drug is None:
            message = f"{claim.payer.name} wants the NDC of {line.code}."
            yield Problem(f"lines.{at}.ndc", message, "It’s on the package.")


@check(STOP, "PI", "2410 LIN03: 11 digits, 5-4-2")
def drug_code_well_formed(claim: Claim, _: Situation) -> Iterator[Problem]:
    """An NDC has eleven digits."""
    for at, line in _numbered(claim):
        if line.drug and not _NDC.fullmatch(line.drug.ndc.replace("-", "")):
            message = f"NDC {line.drug.ndc} doesn’t have 11 digits."
            remedy = "Write it as 5-4-2: a part that is short gets a zero in front."
            yield Problem(f"lines.{at}.ndc.code", message, remedy)


@check(STOP, "PI", "2410 CTP04, CTP05")
def drug_quantity_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A drug has its quantity and unit."""
    for at, line in _numbered(claim):
        if line.drug is None:
            continue
        if not re.fullmatch(r"\d{1,7}(\.\d{1,3})?", line.drug.quantity, re.ASCII):
            message = f"It isn’t said how much of {line.drug.ndc} was given."
            yield Problem(f"lines.{at}.ndc.quantity", message, "Enter the quantity.")
        elif line.drug.unit not in _NDC_UNITS:
            message = f"It isn’t said in what {line.drug.ndc} is counted."
            yield Problem(f"lines.{at}.ndc.unit", message, "Choose mL, grams, units, …")


@check(ODD, "PI", "CPT: services of one sex")
def service_fits_sex(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A service for women or men fits the patient."""
    sex = (claim.subscriber if claim.own else claim.patient).sex
    for at, line in _numbered(claim):
        if (is_for_women(line.code) and sex == "M") or (is_for_men(line.code) and sex == "F"):
            message = f"{line.code} doesn’t go with the sex on the record, {sex}."
            yield Problem(f"lines.{at}.code", message, "Check the code and the record.")


@check(ODD, "P", "CPT: preventive visits by age")
def preventive_visit_fits_age(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A preventive visit has the code of the patient’s age."""
    birth = (claim.subscriber if claim.own else claim.patient).birth
    for at, line in _numbered(claim):
        ages = preventive_ages(line.code)
        if ages is None or birth is None or line.day is None or birth > line.day:
            continue
        age = age_on(birth, line.day)
        if not ages[0] <= age <= ages[1]:
            message = f"{line.code} isn’t the physical for someone {age} years old."
            yield Problem(f"lines.{at}.code", message, "Pick the one for that age.")


@check(ODD, "P", "CPT appendix A: 50 is one line, one unit")
def both_sides_counted_once(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A service on both sides has one unit."""
    for at, line in _numbered(claim):
        if "50" in line.modifiers and line.units > 1:
            message = f"{line.code} on both sides has {line.units} units."
            yield Problem(f"lines.{at}.units", message, "50 counts as one.")
