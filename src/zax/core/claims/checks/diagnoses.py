"""Checks of diagnoses: there, valid, complete, in order, and pointed to."""

from __future__ import annotations

import re
from collections.abc import Iterator

from zax.core.claims.checks.registry import ODD, STOP, Problem, check
from zax.core.claims.claim import Claim
from zax.core.claims.procedures import is_vaccination, is_vaccine
from zax.core.claims.situation import Situation
from zax.core.patients.person import age_on

_SHAPE = re.compile(r"[A-TV-Z]\d[0-9A-Z](\.?[0-9A-Z]{1,4})?|U\d[0-9A-Z](\.?[0-9A-Z]{1,4})?", re.ASCII)
MOST_POINTERS = 4
_WOMEN = re.compile(r"O|N[789]\d|Z3[3-79]|C5[1-8]|D25|Z01\.4|Z12\.4|N6[01]\.9F", re.ASCII)
_MEN = re.compile(r"N4\d|N5[0-3]|C6[0-3]|Z12\.5|D29", re.ASCII)
_CHILD_EXAM = re.compile(r"Z00\.1[12]", re.ASCII)
_ADULT_EXAM = re.compile(r"Z00\.0", re.ASCII)
ADULT, BEARING_FROM, BEARING_TO = 18, 10, 58


def _plain(code: str) -> str:
    return code.replace(".", "").upper()


@check(STOP, "PI", "2300 HI ABK")
def diagnosis_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A medical claim has a diagnosis."""
    if not claim.diagnoses:
        message = "A medical claim needs a diagnosis."
        yield Problem("diagnoses", message, "Add one on the charges page.")


@check(STOP, "PDI", "ICD-10-CM, format")
def diagnosis_well_formed(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A diagnosis is written as ICD-10-CM writes it."""
    for at, code in enumerate(claim.diagnoses, 1):
        if not _SHAPE.fullmatch(code.upper()):
            yield Problem(f"diagnoses.{at}", f"“{code[:10]}” isn’t a diagnosis code.", "Pick it again.")


@check(STOP, "PDI", "ICD-10-CM, valid on the day")
def diagnosis_in_the_list(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """A diagnosis is in the list of its day."""
    for at, code in enumerate(claim.diagnoses, 1):
        known = situation.diagnoses
        if known is not None and _plain(code) not in known and _SHAPE.fullmatch(code.upper()):
            message = f"{code} isn’t in this year’s list of diagnoses."
            yield Problem(f"diagnoses.{at}", message, "Pick the one that took its place.")


@check(STOP, "PDI", "ICD-10-CM guidelines I.B.2: highest level of detail")
def diagnosis_complete(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """A diagnosis has all its characters."""
    for at, code in enumerate(claim.diagnoses, 1):
        found = (situation.diagnoses or {}).get(_plain(code))
        if found is not None and not found.complete:
            message = f"{code} isn’t complete: the list has finer ones below it."
            yield Problem(f"diagnoses.{at}", message, "Pick one of them.")


@check(ODD, "PDI", "2300 HI")
def diagnosis_once(claim: Claim, _: Situation) -> Iterator[Problem]:
    """No diagnosis stands twice."""
    plain = [_plain(code) for code in claim.diagnoses]
    for at, code in enumerate(plain, 1):
        if code in plain[: at - 1]:
            yield Problem(f"diagnoses.{at}", f"{claim.diagnoses[at - 1]} stands twice.", "Remove one.")


@check(STOP, "PDI", "ICD-10-CM guidelines I.C.20: never first")
def cause_not_first(claim: Claim, _: Situation) -> Iterator[Problem]:
    """How someone was hurt is never the first diagnosis."""
    first = claim.diagnoses[0].upper() if claim.diagnoses else ""
    if re.match(r"[WXY]|V\d", first):
        message = f"{claim.diagnoses[0]} says how it happened, and can’t be first."
        yield Problem("diagnoses.1", message, "Put the injury first.")


@check(ODD, "PDI", "ICD-10-CM, conditions of one sex")
def diagnosis_fits_sex(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A diagnosis of women or men fits the patient."""
    sex = (claim.subscriber if claim.own else claim.patient).sex
    for at, code in enumerate(claim.diagnoses, 1):
        pattern, other = (_WOMEN, "M") if _WOMEN.match(code.upper()) else (_MEN, "F")
        if sex == other and pattern.match(code.upper()):
            whose = "women" if pattern is _WOMEN else "men"
            message = f"{code} is a diagnosis of {whose}, and the record says {sex}."
            yield Problem(f"diagnoses.{at}", message, "Check the code and the sex on the record.")


@check(ODD, "PDI", "ICD-10-CM guidelines I.C.16, I.C.15, I.C.21")
def diagnosis_fits_age(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A diagnosis of newborns, children, adults or pregnancy fits the patient’s age."""
    birth = (claim.subscriber if claim.own else claim.patient).birth
    if birth is None or not claim.days or birth > claim.days[0]:
        return
    age = age_on(birth, claim.days[0])
    for at, code in enumerate(claim.diagnoses, 1):
        code = code.upper()
        wrong = (
            (code.startswith("O") and not BEARING_FROM <= age <= BEARING_TO)
            or (code.startswith("Z38") and age > 0)
            or (_CHILD_EXAM.match(code) and age >= ADULT)
            or (_ADULT_EXAM.match(code) and age < ADULT - 1)
        )
        if wrong:
            message = f"{code} doesn’t fit someone {age} years old."
            yield Problem(f"diagnoses.{at}", message, "Check the code and the birth date.")


@check(STOP, "P", "2400 SV107-1")
def service_points_somewhere(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Every service points to a diagnosis."""
    for at, line in enumerate(claim.lines, 1):
        if claim.diagnoses and not line.pointers:
            yield Problem(f"lines.{at}.pointers", f"{line.code} points to no diagnosis.", "Choose one.")


@check(STOP, "PD", "2400 SV107, SV311")
def pointers_lead_somewhere(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A service points only to diagnoses that are there, to four at most."""
    for at, line in enumerate(claim.lines, 1):
        if any(not 1 <= pointer <= len(claim.diagnoses) for pointer in line.pointers):
            message = f"{line.code} points to a diagnosis that isn’t there."
            yield Problem(f"lines.{at}.pointers", message, "Choose it again.")
        if len(line.pointers) > MOST_POINTERS:
            message = f"{line.code} points to more than {MOST_POINTERS} diagnoses."
            yield Problem(f"lines.{at}.pointers", message, "Keep the main ones.")


@check(ODD, "PD", "2400 SV107, SV311")
def pointers_once(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A service points to no diagnosis twice."""
    for at, line in enumerate(claim.lines, 1):
        if len(set(line.pointers)) < len(line.pointers):
            message = f"{line.code} points to one diagnosis twice."
            yield Problem(f"lines.{at}.pointers", message, "Remove one.")


@check(ODD, "P", "ICD-10-CM guidelines I.C.21: Z23 with vaccines")
def vaccine_has_its_reason(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A claim for vaccines alone names Z23."""
    if claim.lines and all(is_vaccine(line.code) or is_vaccination(line.code) for line in claim.lines):
        codes = {_plain(code) for code in claim.diagnoses}
        if claim.diagnoses and "Z23" not in codes:
            yield Problem("diagnoses", "Vaccines are billed with Z23, which isn’t there.", "Add it.")
