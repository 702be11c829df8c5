"""What a payer's answer means for us: is it about this person, is the coverage active, what does it say in
plain words, where does it differ.

An answer about somebody else is never used. Benefits that name no network count for both. Of the figures,
only those for the person (or no level at all) and in the network are compared with the plan on file;
everything else is shown in the table.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date

from rapidfuzz import fuzz

from zax.core.coverage.benefits import CATEGORY_WORDS, Benefits
from zax.core.coverage.estimate import Used
from zax.core.coverage.member import member_key
from zax.core.json import Json
from zax.core.patients.person import search_key
from zax.core.wording import day_words, money_words
from zax.core.x12 import codes271 as codes
from zax.core.x12.codes271 import words_for
from zax.core.x12.eligibility import Benefit, EligibilityFile, Member, Period, Rejection

# X12 service types that speak of one of our categories.
CATEGORY_OF = {
    "41": "preventive",
    "23": "diagnostic",
    "25": "basic",
    "26": "basic",
    "24": "basic",
    "40": "basic",
    "36": "major",
    "39": "major",
    "27": "major",
    "38": "braces",
    "98": "office",
    "5": "lab",
    "80": "vaccine",
    "2": "procedure",
}
WHOLE = frozenset({"30", "35", "1"})
FINE, PROBLEM, FAILED = "fine", "problem", "failed"
# Asked, and no answer yet.
ASKING = "asking"


@dataclass(frozen=True, slots=True)
class Asked:
    """Whom we asked about, and under which trace."""

    first: str
    last: str
    birth: date | None
    member_id: str
    trace: str = ""


@dataclass(frozen=True, slots=True)
class Judged:
    """`state` is fine, problem (a person must look) or failed (no usable answer). `member` is whose benefits
    count, if any.
    """

    state: str
    words: str
    member: Member | None = None


def judge(file: EligibilityFile, asked: Asked, day: date) -> Judged:
    """The verdict in one sentence."""
    if not file.answers:
        return Judged(
            FAILED, f"The answer cannot be read: {file.problems[0] if file.problems else 'it is empty.'}"
        )
    answer = file.answers[0]
    if answer.rejections:
        return Judged(FAILED, f"The payer refuses the question: {_refusals(answer.rejections)}.")
    refused = [r for member in answer.members for r in member.rejections]
    if refused:
        return Judged(PROBLEM, f"{_refusals(refused).capitalize()}.")
    member = next((each for each in reversed(answer.members) if _is_about(each, asked, answer.members)), None)
    if member is None:
        others = [f"{each.first} {each.last}".strip().title() for each in answer.members]
        return Judged(
            PROBLEM,
            f"The answer is about somebody else ({', '.join(others) or 'nobody'}); it is kept, but not used.",
        )
    return _coverage(member, answer.members, day)


def _refusals(rejections: Iterable[Rejection]) -> str:
    found = [
        f"{words_for(codes.REJECTED, r.reason)}; {words_for(codes.FOLLOW_UP, r.follow_up)}"
        if r.follow_up
        else words_for(codes.REJECTED, r.reason)
        for r in rejections
    ]
    return ", ".join(dict.fromkeys(found))


def _is_about(member: Member, asked: Asked, members: Sequence[Member]) -> bool:
    """Name and birth date agree as far as both give them, and so does the member id or the trace."""
    if asked.trace and member.traces and asked.trace not in member.traces:
        return False
    if member.birth and asked.birth and member.birth != asked.birth:
        return False
    names = (
        fuzz.ratio(search_key(member.last), search_key(asked.last)),
        fuzz.ratio(search_key(member.first), search_key(asked.first)),
    )
    if (member.last and names[0] < 80) or (member.first and names[1] < 60):
        return False
    numbers = {member_key(each.member_id) for each in members if each.member_id}
    return not numbers or member_key(asked.member_id) in numbers or asked.trace in member.traces


def _coverage(member: Member, members: Sequence[Member], day: date) -> Judged:
    general = [b for b in _benefits(member, members) if b.information in codes.ACTIVE | codes.INACTIVE]
    inactive = [
        b for b in general if b.information in codes.INACTIVE and (not b.services or WHOLE & set(b.services))
    ]
    if inactive:
        return Judged(PROBLEM, f"Not covered: {_since([*inactive[0].dates, *member.dates])}.", member)
    active = [b for b in general if b.information in codes.ACTIVE]
    if not active:
        stuck = next((b for b in member.benefits if b.information in {"U", "V"}), None)
        if stuck is not None:
            return Judged(
                PROBLEM, f"The payer cannot say: {words_for(codes.INFORMATION, stuck.information)}.", member
            )
        return Judged(PROBLEM, "The answer does not say whether the coverage is active.", member)
    ended = next(
        (d for b in active for d in [*b.dates, *member.dates] if _ends(d) and d.last and d.last < day), None
    )
    if ended is not None and ended.last:
        return Judged(PROBLEM, f"Covered until {day_words(ended.last, year=True)} only.", member)
    plan = next((b.plan for b in active if b.plan), "")
    return Judged(FINE, f"Active{f', {plan.title()}' if plan else ''}.", member)


def _benefits(member: Member, members: Sequence[Member]) -> list[Benefit]:
    """A dependent's own benefits, or those of the subscriber when the answer gives them only there."""
    if member.benefits or member.level == "subscriber":
        return member.benefits
    return [benefit for each in members if each.level == "subscriber" for benefit in each.benefits]


def _ends(period: Period) -> bool:
    return period.kind in {"347", "349", "357", "291", "292", "307"} and (
        period.kind in {"347", "349", "357"} or period.first != period.last
    )


def _since(dates: Iterable[Period]) -> str:
    ended = next((d for d in dates if d.kind in {"347", "349", "357"} and d.first), None)
    return (
        f"ended on {day_words(ended.first, year=True)}"
        if ended and ended.first
        else "the payer says it is not active"
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Told:
    """One row of the answer's table, in words. `value` is empty where the row only states something."""

    service: str
    what: str
    value: str
    who: str
    network: str
    when: str
    notes: tuple[str, ...] = ()


def told(member: Member) -> list[Told]:
    """Every benefit of a member, in the payer's order; unknown codes appear as such."""
    return [_told(benefit) for benefit in member.benefits]


def _told(b: Benefit) -> Told:
    services = ", ".join(words_for(codes.SERVICE, code) for code in b.services) or b.procedure or "everything"
    if b.services and b.procedure:
        services = f"{services}: {b.procedure}"
    period = words_for(codes.PERIOD, b.period)
    return Told(
        service=services,
        what=words_for(codes.INFORMATION, b.information),
        value=_value(b),
        who=words_for(codes.LEVEL, b.level),
        network=words_for(codes.NETWORK, b.network),
        when="; ".join([*([period] if period else []), *(_period(each) for each in b.dates)]),
        notes=tuple(_notes(b)),
    )


def _value(b: Benefit) -> str:
    found = [money_words(b.cents)] if b.cents is not None else []
    if b.percent is not None:
        found.append(
            f"patient pays {b.percent:f} percent" if b.information == "A" else f"{b.percent:f} percent"
        )
    if b.quantity:
        found.append(f"{b.quantity} {words_for(codes.COUNTED, b.counted)}".strip())
    return ", ".join(found)


def _period(period: Period) -> str:
    kind = words_for(codes.DATE, period.kind)
    if period.text or period.first is None:
        return f"{kind} {period.text}".strip()
    last = period.last if period.last != period.first else None
    return f"{kind} {day_words(period.first, year=True)}{f' to {day_words(last, year=True)}' if last else ''}"


def _notes(b: Benefit) -> Iterator[str]:
    if b.authorization == "Y":
        yield "needs prior authorization"
    if b.plan:
        yield b.plan.capitalize()
    yield from b.messages
    for limit in b.limits:
        yield _limit(limit)
    yield from (f"only: {fact}" for fact in b.facts)
    yield from b.entities
    yield from (f"{kind} {value}" for kind, value in b.references)
    yield from (_refusals([each]) for each in b.rejections)
    yield from b.others


def _limit(elements: tuple[str, ...]) -> str:
    """HSD: quantity qualifier, quantity, unit, sample, period, number of periods."""
    counted, quantity, unit, every, period, number = (*elements, *[""] * 6)[:6]
    things = words_for(codes.COUNTED, counted)
    count = f"{quantity} {things.removesuffix('s') if quantity == '1' else things}".strip()
    noun = words_for(codes.PERIOD, period)
    span = noun if number in ("", "1") else f"{number} {noun.removeprefix('an ').removeprefix('a ')}s"
    rest = " ".join(elements[6:]).strip()
    parts = [count, f"every {every} {unit}".strip() if every else unit, f"in {span}" if period else "", rest]
    return " ".join(part for part in parts if part)


@dataclass(frozen=True, slots=True, kw_only=True)
class Figures:
    """What the answer says in our own terms, cents and percentages the *plan* pays; None where it says
    nothing.
    """

    percents: Mapping[str, int]
    deductible: int | None = None
    deductible_left: int | None = None
    household_deductible: int | None = None
    maximum: int | None = None
    maximum_left: int | None = None


def figures(member: Member) -> Figures:
    """The figures for the person in the network."""
    mine = [b for b in member.benefits if b.network in {"", "Y", "W"} and not b.procedure]
    percents: dict[str, int] = {}
    for b in mine:
        for category in dict.fromkeys(CATEGORY_OF[code] for code in b.services if code in CATEGORY_OF):
            if b.information == "A" and b.percent is not None and b.level in {"", "IND"}:
                percents.setdefault(category, 100 - round(b.percent))
            elif b.information == "I":
                percents.setdefault(category, 0)
    person = [b for b in mine if b.level in {"", "IND"} and (not b.services or WHOLE & set(b.services))]
    household = [b for b in mine if b.level == "FAM" and (not b.services or WHOLE & set(b.services))]
    return Figures(
        percents=percents,
        deductible=_amount(person, "C", left=False),
        deductible_left=_amount(person, "C", left=True),
        household_deductible=_amount(household, "C", left=False),
        maximum=_amount(person, "F", left=False),
        maximum_left=_amount(person, "F", left=True),
    )


def _amount(benefits: Iterable[Benefit], information: str, left: bool) -> int | None:
    found = (
        b.cents
        for b in benefits
        if b.information == information
        and b.cents is not None
        and (b.period in codes.LEFT) == left
        and b.period != "24"
    )
    return next(found, None)


@dataclass(frozen=True, slots=True)
class Difference:
    """Where the payer's answer and the plan on file disagree; `key` and `value` say what taking it over
    changes.
    """

    key: str
    words: str
    on_file: str
    says: str
    value: int


def differences(plan: Benefits, found: Figures) -> list[Difference]:
    """In the order a person reads a plan: percentages, deductibles, maximum."""
    made = [
        Difference(
            f"percents.{category}",
            f"{CATEGORY_WORDS[category].capitalize()} pays",
            _percent(plan.percents.get(category, 0)),
            _percent(percent),
            percent,
        )
        for category, percent in found.percents.items()
        if plan.percents.get(category, 0) != percent
    ]
    amounts = (
        ("deductible_cents", "Deductible", plan.deductible_cents, found.deductible),
        (
            "household_deductible_cents",
            "Household’s deductible",
            plan.household_deductible_cents,
            found.household_deductible,
        ),
        ("maximum_cents", "Yearly maximum", plan.maximum_cents, found.maximum),
    )
    made += [
        Difference(key, words, money_words(ours) if ours else "none", money_words(theirs), theirs)
        for key, words, ours, theirs in amounts
        if theirs is not None and theirs != ours
    ]
    return made


def _percent(percent: int) -> str:
    return f"{percent} percent" if percent else "not covered"


def counted_elsewhere(said: Figures, used: Used, known: tuple[int, int]) -> tuple[int, int]:
    """(deductible, paid) in cents that the payer counts beyond what was done here. `used` includes `known`,
    what is on file of other clinics.

    Where the answer does not give both an amount and what is left of it, what is known stands. Our claims it
    has not answered it cannot have counted.
    """
    deductible, paid = known
    if said.deductible is not None and said.deductible_left is not None:
        deductible = max(0, said.deductible - said.deductible_left - (used.deductible - deductible))
    if said.maximum is not None and said.maximum_left is not None:
        paid = max(0, said.maximum - said.maximum_left - (used.paid - used.pending - paid))
    return deductible, paid


def taken_over(plan: Benefits, difference: Difference) -> Benefits:
    """The plan as the payer says it is, in this one point."""
    name, _, category = difference.key.partition(".")
    if category:
        return replace(plan, percents=dict(plan.percents) | {category: difference.value})
    change: Json = {name: difference.value}
    return replace(plan, **change)
