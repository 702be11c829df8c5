"""Why a plan pays nothing for a covered service, or not for all of its units: waiting period, age, missing
tooth, authorization, frequency.

Each rule answers with the words that explain it, or with nothing. They are asked in this order and the first
answer counts.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date

from zax.core.book.calendar import step_months
from zax.core.charges.teeth import QUADRANTS, TEETH
from zax.core.charges.tooth_history import Known, ToothWork, Work, work_of
from zax.core.coverage.benefits import Benefits, Frequency, benefit_year
from zax.core.patients.person import age_on
from zax.core.wording import day_words


@dataclass(frozen=True, slots=True)
class Done:
    """A service done before, or earlier on the same bill. `area` is where it was done if not on a tooth,
    `paid` whether the plan that is asked paid for it. Of what was done elsewhere nobody knows the code: it is
    `work`, on the latest `day` it can have been, and `said` tells what is known of it.
    """

    code: str
    day: date
    tooth: str = ""
    area: str = ""
    paid: bool = True
    work: Work | None = None
    said: str = ""

    def among(self, codes: Iterable[str]) -> bool:
        """Whether it is one of these services, or may have been."""
        return self.code in codes if self.work is None else any(work_of(each) == self.work for each in codes)


@dataclass(frozen=True, slots=True, kw_only=True)
class Wanted:
    """The service a plan is asked to pay: `category` as the plan speaks of it."""

    code: str
    category: str
    day: date
    tooth: str = ""
    area: str = ""
    units: int = 1
    authorized: bool = False


@dataclass(frozen=True, slots=True)
class Payable:
    """How many units the limits leave, and why not all; no units: the plan pays nothing."""

    units: int
    why: str = ""


@dataclass(frozen=True, slots=True)
class Insured:
    """What the rules must know of the person: birth, since when covered (None: always), teeth lost and when
    (None: not known when).
    """

    birth: date | None = None
    covered_from: date | None = None
    lost_teeth: Mapping[str, date | None] = field(default_factory=dict)


def quadrant(tooth: str, area: str = "") -> str:
    """The quadrant a service names itself, or that of its tooth: '3' -> '10', the upper right (universal
    numbering; areas as zax.core.charges.teeth). Empty for neither.
    """
    if area in QUADRANTS:
        return area
    return TEETH[tooth].quadrant if tooth in TEETH else ""


def teeth_lost(done: Iterable[Done]) -> dict[str, date | None]:
    """The teeth that were taken out here, and when."""
    return {each.tooth: each.day for each in done if each.tooth and work_of(each.code) == Work.MISSING}


def asks_about_teeth(benefits: Benefits) -> bool:
    """Whether what was in the mouth before changes what this plan pays."""
    codes = (code for limit in benefits.frequencies for code in limit.codes)
    return bool(benefits.missing_tooth_codes) or any(work_of(code) for code in codes)


def done_before_us(history: Iterable[ToothWork]) -> list[Done]:
    """Work of the tooth chart as it counts toward limits, one a tooth; what has no day cannot count. No plan
    is known to have paid it.
    """
    return [
        Done("", last, tooth, paid=False, work=each.work, said=_said(each))
        for each in history
        if each.work != Work.MISSING and (last := each.when.last) is not None
        for tooth in each.teeth
    ]


def _said(work: ToothWork) -> str:
    if work.when.known == Known.DAY:
        return ""
    return f"{work.when.words}; give the exact date and it counts exactly"


def payable(benefits: Benefits, insured: Insured, wanted: Wanted, before: Sequence[Done]) -> Payable:
    """What the limits leave of a service. `before` holds what counts toward the frequency limits."""
    stopped = (
        _waiting(benefits, insured, wanted)
        or _age(benefits, insured, wanted)
        or _missing_tooth(benefits, insured, wanted)
        or _authorization(benefits, wanted)
    )
    return Payable(0, stopped) if stopped else _often(benefits, wanted, before)


def _waiting(benefits: Benefits, insured: Insured, wanted: Wanted) -> str:
    months = benefits.waiting_months.get(wanted.category, 0)
    if not months or insured.covered_from is None:
        return ""
    begins = step_months(insured.covered_from, months)
    until = day_words(begins, year=True)
    return f"waiting period of {months} months until {until}" if wanted.day < begins else ""


def _age(benefits: Benefits, insured: Insured, wanted: Wanted) -> str:
    birth = insured.birth
    if birth is None:
        return ""
    limits = [limit for limit in benefits.ages if wanted.code in limit.codes]
    broken = next((limit for limit in limits if not limit.allows(birth, wanted.day)), None)
    return f"paid {broken.words} only, the patient is {age_on(birth, wanted.day)}" if broken else ""


def _missing_tooth(benefits: Benefits, insured: Insured, wanted: Wanted) -> str:
    tooth = wanted.tooth
    if wanted.code not in benefits.missing_tooth_codes:
        return ""
    return f"tooth {tooth} was lost before this coverage began" if lost_before(insured, tooth) else ""


def lost_before(insured: Insured, tooth: str) -> bool:
    """Whether a tooth was gone before the coverage began, or nobody knows that it was not."""
    if tooth not in insured.lost_teeth:
        return False
    lost = insured.lost_teeth[tooth]
    return lost is None or insured.covered_from is None or lost < insured.covered_from


def _authorization(benefits: Benefits, wanted: Wanted) -> str:
    needed = wanted.code in benefits.needs_authorization and not wanted.authorized
    return "needs prior authorization" if needed else ""


def _often(benefits: Benefits, wanted: Wanted, before: Sequence[Done]) -> Payable:
    """The fewest units that any frequency limit leaves."""
    least = Payable(wanted.units)
    for limit in benefits.frequencies:
        if wanted.code in limit.codes:
            counted = [
                done
                for done in _counted(limit, wanted, before)
                if _within(limit, benefits, done.day, wanted.day)
            ]
            left = max(0, limit.count - len(counted))
            if left < least.units:
                least = Payable(left, f"limit of {limit.words} reached{_last_on(counted)}")
    return least


def _last_on(counted: Sequence[Done]) -> str:
    if not counted:
        return ""
    last = max(counted, key=lambda done: done.day)
    return f", last in {last.said}" if last.said else f", last on {day_words(last.day, year=True)}"


def _counted(limit: Frequency, wanted: Wanted, before: Iterable[Done]) -> list[Done]:
    found = [done for done in before if done.among(limit.codes) and (limit.counts == "done" or done.paid)]
    if limit.per == "tooth":
        return [done for done in found if done.tooth == wanted.tooth]
    if limit.per == "quadrant":
        here = quadrant(wanted.tooth, wanted.area)
        return [done for done in found if quadrant(done.tooth, done.area) == here]
    return found


def _within(limit: Frequency, benefits: Benefits, done: date, day: date) -> bool:
    """The M months before the day, the day M months ago no longer among them; or the same benefit year."""
    if limit.months:
        return step_months(done, limit.months) > day
    first, last = benefit_year(day, benefits.year_starts_month)
    return first <= done <= last
