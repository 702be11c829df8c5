"""Why a plan pays nothing for a covered service: waiting period, age, missing tooth, authorization,
frequency.

Each rule answers with the words that explain it, or with nothing. They are asked in this order and the first
answer counts.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date

from zax.core.book.calendar import step_months
from zax.core.charges.teeth import TEETH
from zax.core.coverage.benefits import Benefits, Frequency, benefit_year
from zax.core.patients.person import age_on
from zax.core.wording import day_words

EXTRACTIONS = frozenset({"D7111", "D7140", "D7210", "D7220", "D7230", "D7240", "D7250"})


@dataclass(frozen=True, slots=True)
class Done:
    """A service done before, or earlier on the same bill."""

    code: str
    day: date
    tooth: str = ""


@dataclass(frozen=True, slots=True)
class Insured:
    """What the rules must know of the person: birth, since when covered (None: always), teeth lost and when
    (None: not known when).
    """

    birth: date | None = None
    covered_from: date | None = None
    lost_teeth: Mapping[str, date | None] = field(default_factory=dict)


def quadrant(tooth: str) -> str:
    """'3' -> '10', the upper right (universal numbering; areas as zax.core.charges.teeth); empty for no
    tooth.
    """
    return TEETH[tooth].quadrant if tooth in TEETH else ""


def teeth_lost(done: Iterable[Done]) -> dict[str, date | None]:
    """The teeth that were taken out here, and when."""
    return {each.tooth: each.day for each in done if each.tooth and each.code in EXTRACTIONS}


def why_not_paid(
    benefits: Benefits,
    insured: Insured,
    code: str,
    category: str,
    tooth: str,
    authorized: bool,
    day: date,
    before: Sequence[Done],
    units: int = 1,
) -> str:
    """The reason in words, or an empty text. `before` holds what counts toward the frequency limits."""
    return (
        _waiting(benefits, insured, category, day)
        or _age(benefits, insured, code, day)
        or _missing_tooth(benefits, insured, code, tooth)
        or _authorization(benefits, code, authorized)
        or _frequency(benefits, code, tooth, day, before, units)
    )


def _waiting(benefits: Benefits, insured: Insured, category: str, day: date) -> str:
    months = benefits.waiting_months.get(category, 0)
    if not months or insured.covered_from is None:
        return ""
    begins = step_months(insured.covered_from, months)
    return f"waiting period of {months} months until {day_words(begins, year=True)}" if day < begins else ""


def _age(benefits: Benefits, insured: Insured, code: str, day: date) -> str:
    limits = [limit for limit in benefits.ages if code in limit.codes]
    if not limits or insured.birth is None:
        return ""
    age = age_on(insured.birth, day)
    broken = next((limit for limit in limits if not limit.allows(age)), None)
    return f"paid {broken.words} only, the patient is {age}" if broken else ""


def _missing_tooth(benefits: Benefits, insured: Insured, code: str, tooth: str) -> str:
    if code not in benefits.missing_tooth_codes or tooth not in insured.lost_teeth:
        return ""
    lost = insured.lost_teeth[tooth]
    if lost is not None and insured.covered_from is not None and lost >= insured.covered_from:
        return ""
    return f"tooth {tooth} was lost before this coverage began"


def _authorization(benefits: Benefits, code: str, authorized: bool) -> str:
    return "needs prior authorization" if code in benefits.needs_authorization and not authorized else ""


def _last_on(counted: Sequence[Done]) -> str:
    return f", last on {day_words(max(done.day for done in counted), year=True)}" if counted else ""


def _frequency(
    benefits: Benefits, code: str, tooth: str, day: date, before: Sequence[Done], units: int
) -> str:
    for limit in benefits.frequencies:
        if code in limit.codes:
            counted = [
                done for done in _counted(limit, tooth, before) if _within(limit, benefits, done.day, day)
            ]
            if len(counted) + units > limit.count:
                last = _last_on(counted)
                return f"limit of {limit.words} reached{last}"
    return ""


def _counted(limit: Frequency, tooth: str, before: Iterable[Done]) -> list[Done]:
    if limit.per == "tooth":
        return [done for done in before if done.code in limit.codes and done.tooth == tooth]
    if limit.per == "quadrant":
        return [
            done for done in before if done.code in limit.codes and quadrant(done.tooth) == quadrant(tooth)
        ]
    return [done for done in before if done.code in limit.codes]


def _within(limit: Frequency, benefits: Benefits, done: date, day: date) -> bool:
    """The M months before the day, the day M months ago no longer among them; or the same benefit year."""
    if limit.months:
        return step_months(done, limit.months) > day
    first, last = benefit_year(day, benefits.year_starts_month)
    return first <= done <= last
