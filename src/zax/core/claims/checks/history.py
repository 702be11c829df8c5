"""Checks against what was done before: the same thing twice, too soon, or without what must come first."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta

from zax.core.book.calendar import step_months
from zax.core.charges.new_patient import MONTHS, is_new_patient_code
from zax.core.claims.checks.registry import ODD, Problem, check
from zax.core.claims.claim import Claim, ClaimLine, Frequency
from zax.core.claims.procedures import (
    is_crown,
    is_dental_code,
    is_extraction,
    is_gum_treatment,
    is_major_surgery,
    is_problem_visit,
    is_prosthesis,
    needs_tooth,
)
from zax.core.claims.situation import EarlierService, Situation
from zax.core.wording import day_words

# Modifiers that say a repeated service is meant.
MEANT_TWICE = frozenset(
    [
        "76",
        "77",
        "59",
        "91",
        "XE",
        "XP",
        "XS",
        "XU",
        "LT",
        "RT",
        "E1",
        "E2",
        "E3",
        "E4",
        "FA",
        "F1",
        "F2",
        "F3",
        "F4",
        "F5",
        "F6",
        "F7",
        "F8",
        "F9",
        "TA",
    ]
)
GLOBAL_DAYS = 90
CROWN_YEARS = 5
_SPARES_VISIT = frozenset({"24", "25", "57", "58", "78", "79"})


def _same(line: ClaimLine) -> tuple[object, ...]:
    return (line.code, line.day, line.tooth, line.area, line.surfaces, line.rendering)


@check(ODD, "PD", "duplicates within a claim")
def not_twice_on_the_claim(claim: Claim, _: Situation) -> Iterator[Problem]:
    """No service stands twice: same code, day, tooth, area and clinician."""
    seen: dict[tuple[object, ...], int] = {}
    for at, line in enumerate(claim.lines, 1):
        first = seen.setdefault(_same(line), at)
        if first < at and not MEANT_TWICE & set(line.modifiers):
            message = f"{line.code} stands twice for the same day."
            yield Problem(f"lines.{at}", message, "Remove one, or mark it as repeated (76).")


@check(ODD, "PD", "duplicates of an earlier claim")
def not_billed_before(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """No service is on another claim already."""
    if claim.frequency is not Frequency.ORIGINAL or claim.predetermination:
        return
    for at, line in enumerate(claim.lines, 1):
        twin = next((each for each in situation.history if each.open_claim and _is_twin(each, line)), None)
        if twin and not {"76", "77", "91", "59"} & set(line.modifiers):
            message = f"{line.code} of {day_words(twin.day, year=True)} is on an earlier claim."
            yield Problem(f"lines.{at}", message, "Follow that one up, or send a corrected claim.")


def _is_twin(earlier: EarlierService, line: ClaimLine) -> bool:
    said = (earlier.code, earlier.day, earlier.tooth, earlier.area)
    return said == (line.code, line.day, line.tooth, line.area)


@check(ODD, "PDI", "the plan’s own limits")
def within_the_plans_limits(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """A service is within what the plan pays how often, at what age and after what time."""
    for at, line in enumerate(claim.lines, 1):
        why = situation.over_limits.get(line.number)
        if why:
            yield Problem(
                f"lines.{at}", f"{line.code}: {why}", "Send it anyway with a reason, or tell the patient."
            )


@check(ODD, "P", "CPT: new is not seen in three years by the specialty")
def new_patient_is_new(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """A new patient’s code is for someone not seen in three years."""
    for at, line in enumerate(claim.lines, 1):
        if line.day is None or not is_new_patient_code(line.code):
            continue
        seen = [e.day for e in situation.history if e.same_specialty and e.day < line.day]
        last = max((day for day in seen if step_months(day, MONTHS) > line.day), default=None)
        if last:
            message = f"{line.code} is for new patients, and this one was seen {day_words(last, year=True)}."
            yield Problem(f"lines.{at}.code", message, "Use the code for a known patient.")


@check(ODD, "P", "CMS claims processing manual 12.40: 90 days after an operation")
def visit_after_operation_marked(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """A surgeon’s visit within ninety days of the operation has 24."""
    for at, line in enumerate(claim.lines, 1):
        if line.day is None or not is_problem_visit(line.code) or _SPARES_VISIT & set(line.modifiers):
            continue
        for earlier in situation.history:
            since = line.day - earlier.day
            covered = timedelta(0) < since <= timedelta(days=GLOBAL_DAYS) and earlier.same_clinician
            if covered and is_major_surgery(earlier.code):
                message = f"{line.code} is {since.days} days after {earlier.code}, whose fee covers visits."
                yield Problem(f"lines.{at}.modifiers", message, "Add 24 if it was about something else.")
                break


@check(ODD, "D", "CDT D4910 follows active treatment")
def maintenance_follows_treatment(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """Gum maintenance follows deep cleaning or gum surgery."""
    known = any(is_gum_treatment(each.code) or each.code == "D4910" for each in situation.history)
    for at, line in enumerate(claim.lines, 1):
        if line.code == "D4910" and not known:
            message = "D4910 follows gum treatment, and none is on record."
            yield Problem(f"lines.{at}", message, "Add the earlier treatment, or use D1110.")


@check(ODD, "D", "payers: five years between crowns")
def replaced_after_five_years(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """A crown, bridge or denture is replaced after five years at the earliest."""
    for at, line in enumerate(claim.lines, 1):
        if line.day is None or not is_prosthesis(line.code):
            continue
        placed = [
            each.day
            for each in situation.history
            if is_prosthesis(each.code) and each.tooth == line.tooth and each.area == line.area
        ]
        placed += [line.placed_before] if line.placed_before else []
        last = max((day for day in placed if day < line.day), default=None)
        if last and step_months(last, 12 * CROWN_YEARS) > line.day:
            message = (
                f"{line.code}: the one there is from {day_words(last, year=True)}, under five years old."
            )
            yield Problem(f"lines.{at}", message, "Plans rarely pay that: say why in a note.")


@check(ODD, "D", "payers: a replacement is told as one")
def known_crown_is_replaced(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """A crown on a tooth that has one is a replacement."""
    for at, line in enumerate(claim.lines, 1):
        known = [
            e.day for e in situation.history if is_crown(e.code) and e.tooth == line.tooth and line.tooth
        ]
        if is_crown(line.code) and line.first_placement and known:
            when = day_words(max(known), year=True)
            message = f"{line.code} is marked as the first, and {line.tooth} got one {when}."
            yield Problem(f"lines.{at}.prosthesis", message, "Mark it as a replacement.")


@check(ODD, "D", "a tooth taken out stays out")
def tooth_not_taken_out_before(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """Nothing but its replacement is done on a tooth that was taken out."""
    for at, line in enumerate(claim.lines, 1):
        replaces = is_prosthesis(line.code) and not is_crown(line.code)
        if not line.tooth or not is_dental_code(line.code) or not needs_tooth(line.code) or replaces:
            continue
        out = [
            each.day
            for each in situation.history
            if is_extraction(each.code) and each.tooth == line.tooth and line.day and each.day < line.day
        ]
        if out and not line.code.startswith("D60"):
            message = f"Tooth {line.tooth} was taken out {day_words(max(out), year=True)}."
            yield Problem(f"lines.{at}.tooth", message, "Check the tooth.")
