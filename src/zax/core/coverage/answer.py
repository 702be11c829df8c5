"""What a payer's answer means for us: is it about this person, is the coverage active, what does it say in
plain words, where does it differ.

An answer about somebody else is never used. Benefits that name no network count for both. Where a row speaks
of the kind we asked about (dental or medical) it goes before one that speaks of everything: a plan whose
medical side has ended may well be active for the teeth. Of the figures, only those for the person (or no
level at all), in the network and for a year are compared with the plan on file, the most particular row
first; a lifetime's are a lifetime's. Everything else is shown in the table.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date

from rapidfuzz import fuzz

from zax.core.coverage.benefits import CATEGORY_WORDS, Benefits
from zax.core.coverage.member import member_key
from zax.core.coverage.used import Used
from zax.core.json import Json
from zax.core.patients.person import search_key
from zax.core.wording import day_words, dollars
from zax.core.x12 import codes271 as codes
from zax.core.x12.codes271 import words_for
from zax.core.x12.eligibility import Benefit, EligibilityFile, Member, Period, Rejection

# X12 service types that speak of one of our categories.
CATEGORY_OF = {
    "41": "preventive",
    "23": "diagnostic",
    "25": "basic",
    "26": "endodontics",
    "24": "periodontics",
    "40": "oral_surgery",
    "36": "major",
    "39": "prosthodontics",
    "27": "prosthodontics",
    "28": "adjunctive",
    "38": "orthodontics",
    "98": "office",
    "5": "lab",
    "80": "vaccine",
    "2": "procedure",
}
# Service types that speak of a whole kind of coverage; 30 is the health plan with all that is in it.
DENTAL, MEDICAL, GENERAL = frozenset({"35"}), frozenset({"1", "98"}), frozenset({"30"})
# The periods of EB06 that make an amount a year’s: none, service, calendar or contract year, what is left.
YEARLY = frozenset({"", "22", "23", "25", "29"})
LIFETIME = frozenset({"32"})
FINE, PROBLEM, FAILED = "fine", "problem", "failed"
# Asked, and no answer yet.
ASKING = "asking"


@dataclass(frozen=True, slots=True)
class Asked:
    """Whom we asked about, for which kind of coverage, and under which trace."""

    first: str
    last: str
    birth: date | None
    member_id: str
    trace: str = ""
    dental: bool = True


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
            FAILED, f"The response can’t be read: {file.problems[0] if file.problems else 'it is empty.'}"
        )
    answer = file.answers[0]
    if answer.rejections:
        return Judged(FAILED, f"The payer rejected the request: {_refusals(answer.rejections)}.")
    refused = [r for member in answer.members for r in member.rejections]
    if refused:
        return Judged(PROBLEM, f"{_refusals(refused).capitalize()}.")
    member = next((each for each in reversed(answer.members) if _is_about(each, asked, answer.members)), None)
    if member is None:
        others = [f"{each.first} {each.last}".strip().title() for each in answer.members]
        return Judged(
            PROBLEM,
            f"The response is about someone else ({', '.join(others) or 'no one'}); it’s kept but not used.",
        )
    return _coverage(member, answer.members, asked.dental, day)


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


def _coverage(member: Member, members: Sequence[Member], dental: bool, day: date) -> Judged:
    said = [b for b in _benefits(member, members) if b.information in codes.ACTIVE | codes.INACTIVE]
    general = _of_kind(said, dental)
    inactive = [b for b in general if b.information in codes.INACTIVE]
    if inactive:
        return Judged(PROBLEM, f"Not covered: {_since([*inactive[0].dates, *member.dates])}.", member)
    active = [b for b in general if b.information in codes.ACTIVE]
    if not active:
        stuck = next((b for b in member.benefits if b.information in {"U", "V"}), None)
        if stuck is not None:
            return Judged(
                PROBLEM, f"The payer can’t say: {words_for(codes.INFORMATION, stuck.information)}.", member
            )
        return Judged(PROBLEM, "The response doesn’t say whether the coverage is active.", member)
    ended = next(
        (d for b in active for d in [*b.dates, *member.dates] if _ends(d) and d.last and d.last < day), None
    )
    if ended is not None and ended.last:
        return Judged(PROBLEM, f"Covered until {day_words(ended.last, year=True)} only.", member)
    plan = next((b.plan for b in active if b.plan), "")
    return Judged(FINE, f"Active{f', {plan.title()}' if plan else ''}.", member)


def _of_kind(said: Sequence[Benefit], dental: bool) -> list[Benefit]:
    """The rows that say whether this kind of coverage is active: those that name it, else those about
    everything, else (only where active) whatever is named.
    """
    mine = DENTAL if dental else MEDICAL
    named = [b for b in said if mine & set(b.services)]
    whole = [b for b in said if not b.services or GENERAL & set(b.services)]
    other = MEDICAL if dental else DENTAL
    rest = [b for b in said if b.information in codes.ACTIVE and not other & set(b.services)]
    return named or whole or rest


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
        else "the payer says it’s not active"
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
    found = [dollars(b.cents)] if b.cents is not None else []
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
    nothing. `lifetime` are maxima by category.
    """

    percents: Mapping[str, int]
    deductible: int | None = None
    deductible_left: int | None = None
    household_deductible: int | None = None
    maximum: int | None = None
    maximum_left: int | None = None
    out_of_pocket: int | None = None
    household_out_of_pocket: int | None = None
    lifetime: Mapping[str, int] = field(default_factory=dict)


def figures(member: Member, dental: bool = True) -> Figures:
    """The figures for the person in the network."""
    mine = [b for b in member.benefits if b.network in {"", "Y", "W"} and not b.procedure]
    mine.sort(key=_how_general)
    kind = GENERAL | (DENTAL if dental else MEDICAL)
    whole = [b for b in mine if not b.services or kind & set(b.services)]
    person = [b for b in whole if b.level in {"", "IND"}]
    household = [b for b in whole if b.level == "FAM"]
    return Figures(
        percents=_percents(mine),
        deductible=_amount(person, "C", left=False),
        deductible_left=_amount(person, "C", left=True),
        household_deductible=_amount(household, "C", left=False),
        maximum=_amount(person, "F", left=False),
        maximum_left=_amount(person, "F", left=True),
        out_of_pocket=_amount(person, "G", left=False),
        household_out_of_pocket=_amount(household, "G", left=False),
        lifetime=_lifetime(mine),
    )


def _how_general(b: Benefit) -> tuple[bool, bool, bool, int]:
    """The more particular row first: in the network, for the person, of a kind, of few services."""
    return b.network != "Y", b.level == "", not set(b.services) - GENERAL, len(b.services)


def _percents(mine: Iterable[Benefit]) -> dict[str, int]:
    found: dict[str, int] = {}
    for b in mine:
        for category in _categories(b):
            if b.information == "A" and b.percent is not None and b.level in {"", "IND"}:
                found.setdefault(category, 100 - round(b.percent))
            elif b.information == "I":
                found.setdefault(category, 0)
    return found


def _lifetime(mine: Iterable[Benefit]) -> dict[str, int]:
    found: dict[str, int] = {}
    for b in mine:
        if b.information == "F" and b.period in LIFETIME and b.cents is not None and b.level in {"", "IND"}:
            for category in _categories(b):
                found.setdefault(category, b.cents)
    return found


def _categories(b: Benefit) -> list[str]:
    return list(dict.fromkeys(CATEGORY_OF[code] for code in b.services if code in CATEGORY_OF))


def _amount(benefits: Iterable[Benefit], information: str, left: bool) -> int | None:
    """A year's amount, or what is left of it."""
    found = (
        b.cents
        for b in benefits
        if b.information == information
        and b.cents is not None
        and b.period in YEARLY
        and (b.period in codes.LEFT) == left
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
            _percent(plan.percent(plan.group(category), True)),
            _percent(percent),
            percent,
        )
        for category, percent in found.percents.items()
        if plan.percent(plan.group(category), True) != percent and not _said_before(plan, found, category)
    ]
    amounts = (
        ("deductible_cents", "Deductible", plan.deductible_cents, found.deductible),
        (
            "household_deductible_cents",
            "Family deductible",
            plan.household_deductible_cents,
            found.household_deductible,
        ),
        ("maximum_cents", "Annual maximum", plan.maximum_cents, found.maximum),
        ("out_of_pocket_cents", "Out-of-pocket maximum", plan.out_of_pocket_cents, found.out_of_pocket),
        (
            "household_out_of_pocket_cents",
            "Family out-of-pocket maximum",
            plan.household_out_of_pocket_cents,
            found.household_out_of_pocket,
        ),
        *(
            (
                f"lifetime_maximums.{category}",
                f"Lifetime maximum for {CATEGORY_WORDS[category]}",
                plan.lifetime_maximums.get(category),
                cents,
            )
            for category, cents in found.lifetime.items()
        ),
    )
    made += [
        Difference(key, words, dollars(ours) if ours else "none", dollars(theirs), theirs)
        for key, words, ours, theirs in amounts
        if theirs is not None and theirs != ours
    ]
    return made


def _said_before(plan: Benefits, found: Figures, category: str) -> bool:
    """Whether a finer category says only what the one it counts as with this plan says already."""
    group = plan.group(category)
    return group != category and found.percents.get(group) == found.percents[category]


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
        change: Json = {name: dict(getattr(plan, name)) | {category: difference.value}}
    else:
        change = {name: difference.value}
    return replace(plan, **change)
