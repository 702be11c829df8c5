"""What the tooth chart changes for a plan, told before anybody asks for an estimate: the teeth whose
replacement it no longer pays, and from when on it pays a work again. The same rules decide the estimate
(zax.core.coverage.limits).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from zax.core.book.calendar import step_months
from zax.core.charges.teeth import TEETH
from zax.core.charges.tooth_history import WORK_WORDS, Known, ToothWork, work_of
from zax.core.coverage.benefits import Benefits, Frequency
from zax.core.coverage.limits import Insured, lost_before
from zax.core.wording import day_words


@dataclass(frozen=True, slots=True)
class Effect:
    """Universal teeth in the arch's order, and the rest of the sentence."""

    teeth: tuple[str, ...]
    words: str


def tooth_effects(
    benefits: Benefits, insured: Insured, payer: str, history: Iterable[ToothWork], today: date
) -> list[Effect]:
    """`insured` has the teeth lost, by ours and by theirs; `payer` is named in the sentence."""
    made = []
    before = tuple(tooth for tooth in TEETH if lost_before(insured, tooth))
    if benefits.missing_tooth_codes and before:
        made.append(Effect(before, f"gone before the coverage began, so {payer} pays no replacement."))
    for told in history:
        words = _again(benefits, told, today)
        if words:
            made.append(Effect(told.teeth, words))
    return made


def _again(benefits: Benefits, told: ToothWork, today: date) -> str:
    """From when on the plan pays such work again, by its longest limit; empty when it already does."""
    limits = [each for each in benefits.frequencies if each.months and _about(each, told)]
    if not limits:
        return ""
    longest = max(limits, key=lambda limit: limit.months)
    name, last = WORK_WORDS[told.work], told.when.last
    if last is None:
        return (
            f"the plan pays a {name} only {longest.words}. Without a year, the estimate doesn’t count this"
            " one."
        )
    begins = step_months(last, longest.months)
    if begins <= today:
        return ""
    exact = "" if told.when.known == Known.DAY else " Give the exact date and it counts exactly."
    return f"a new {name} is paid from {day_words(begins, year=True)} on ({longest.words}).{exact}"


def _about(limit: Frequency, told: ToothWork) -> bool:
    """Limits by tooth alone: one of a person or quadrant depends on more than this work. What others did was
    never paid by this plan as far as we know.
    """
    own = limit.per == "tooth" and limit.counts == "done" and limit.count == 1
    return own and any(work_of(code) == told.work for code in limit.codes)
