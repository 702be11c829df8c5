"""Checks of days: of each service, of an accident, of a hospital stay, in the order they must have."""

from __future__ import annotations

from collections.abc import Iterator

from zax.core.claims.checks.registry import ODD, STOP, Problem, check
from zax.core.claims.claim import Claim
from zax.core.claims.procedures import is_adjustment
from zax.core.claims.situation import Situation
from zax.core.wording import day_words

_ACCIDENTS = frozenset({"AA", "EM", "OA"})


@check(STOP, "PDI", "2400 DTP*472")
def service_dated(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Every service has its day; only planned work has none."""
    for at, line in enumerate(claim.lines, 1):
        if line.day is None and not claim.predetermination:
            yield Problem(f"lines.{at}.from", f"{line.code} has no day.", "Enter when it was done.")


@check(ODD, "D", "CLM19 PB: work that is planned")
def planned_work_not_dated(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A predetermination asks about work that is not done."""
    for at, line in enumerate(claim.lines, 1):
        if line.day and claim.predetermination:
            message = f"{line.code} was done on {day_words(line.day)}, and this only asks beforehand."
            yield Problem(f"lines.{at}.from", message, "Send a claim for it.")


@check(STOP, "PDI", "DTP*472 not after the day of sending")
def service_not_in_future(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """Nothing is billed before it is done."""
    for at, line in enumerate(claim.lines, 1):
        if line.day and (line.last or line.day) > situation.today:
            yield Problem(f"lines.{at}.from", f"{line.code} is dated in the future.", "Correct its day.")


@check(STOP, "PDI", "DTP*472 RD8")
def service_ends_after_it_begins(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A service of several days ends after it begins."""
    for at, line in enumerate(claim.lines, 1):
        if line.day and line.last and line.last < line.day:
            yield Problem(f"lines.{at}.to", f"{line.code} ends before it begins.", "Correct its days.")


@check(ODD, "P", "payers want a line for each month")
def service_within_a_month(claim: Claim, _: Situation) -> Iterator[Problem]:
    """One line stays within a month."""
    for at, line in enumerate(claim.lines, 1):
        if line.day and line.last and (line.day.year, line.day.month) != (line.last.year, line.last.month):
            yield Problem(f"lines.{at}.to", f"{line.code} runs over the end of a month.", "Split it in two.")


@check(STOP, "PD", "2300 DTP*439, required with CLM11")
def accident_dated(claim: Claim, _: Situation) -> Iterator[Problem]:
    """An accident has its date."""
    if claim.accident and claim.accident.kinds and claim.accident.day is None:
        yield Problem("accident.date", "It isn’t said when the accident happened.", "Ask the patient.")


@check(STOP, "PD", "2300 CLM11-4, required with AA")
def auto_accident_placed(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A car accident has its state."""
    if claim.accident and "AA" in claim.accident.kinds and not claim.accident.state:
        yield Problem("accident.state", "It isn’t said in which state it happened.", "Ask the patient.")


@check(STOP, "PD", "2300 CLM11-1")
def accident_kind_known(claim: Claim, _: Situation) -> Iterator[Problem]:
    """An accident is one by car, at work or another."""
    if claim.accident and not set(claim.accident.kinds) <= _ACCIDENTS:
        yield Problem("accident.related", "The kind of accident isn’t known.", "Choose car, work or other.")


@check(STOP, "PD", "2300 DTP*439 against DTP*472")
def accident_before_service(claim: Claim, _: Situation) -> Iterator[Problem]:
    """An accident happened before it was treated."""
    day = claim.accident.day if claim.accident else None
    if day and claim.days and day > claim.days[-1]:
        message = f"The accident, {day_words(day, year=True)}, is after the service."
        yield Problem("accident.date", message, "Correct one of the two.")


@check(ODD, "P", "2300 DTP*431 against DTP*472")
def onset_before_service(claim: Claim, _: Situation) -> Iterator[Problem]:
    """An illness began before it was treated."""
    onset = claim.dates.onset
    if onset and claim.days and onset > claim.days[-1]:
        message = f"It began on {day_words(onset, year=True)}, after the service."
        yield Problem("dates.onset", message, "Correct one of the two.")


@check(STOP, "P", "2300 DTP*435, required for inpatient services")
def inpatient_admission_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Work on a patient in a hospital bed says when they were admitted."""
    inpatient = claim.place_of_service in {"21", "51"} or any(
        line.place in {"21", "51"} for line in claim.lines
    )
    if inpatient and claim.dates.admitted is None:
        message = "It isn’t said when the patient was admitted."
        yield Problem("admission.date", message, "Enter the day of admission.")


@check(STOP, "P", "2300 DTP*435, DTP*096")
def discharge_after_admission(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Nobody leaves the hospital before they came."""
    admitted, discharged = claim.dates.admitted, claim.dates.discharged
    if admitted and discharged and discharged < admitted:
        message = "The day of discharge is before the day of admission."
        yield Problem("admission.discharge_date", message, "Correct one of the two.")


@check(STOP, "P", "2300 DTP*314, 360, 361")
def disability_in_order(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Time off work ends after it begins."""
    first, last = claim.dates.disabled_from, claim.dates.disabled_to
    if first and last and last < first:
        yield Problem("dates.disabled_to", "The time off work ends before it begins.", "Correct its days.")


@check(STOP, "P", "2300 DTP*454, required for Medicare spinal manipulation")
def first_treatment_given(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """Medicare wants the first treatment of what the spine is adjusted for."""
    adjusted = any(is_adjustment(line.code) for line in claim.lines)
    if situation.medicare and adjusted and claim.dates.first_treated is None:
        message = "It isn’t said when the treatment of the spine began."
        yield Problem("initial_treatment", message, "Enter the first day of treatment.")
