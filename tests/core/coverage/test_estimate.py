"""The estimate against estimates.csv, a table of worked examples, and its properties: parts make the fee,
nothing below zero or over a maximum.
"""

from __future__ import annotations

import csv
from dataclasses import replace
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.coverage.benefits import (
    AgeLimit,
    Benefits,
    Copay,
    Frequency,
    benefit_year,
    benefits_from,
    terms_of,
)
from zax.core.coverage.estimate import Cover, PricedLine, estimate, totals
from zax.core.coverage.fees import FeeSchedule, allowed_fees
from zax.core.coverage.limits import Done, Insured, quadrant
from zax.core.coverage.order import Candidate, order_reason, suggested_order
from zax.core.coverage.used import Use, Used, more_used

DAY = date(2026, 11, 24)
CASES = list(csv.DictReader((Path(__file__).parent / "estimates.csv").open(encoding="utf-8")))
MAPS = {
    "out": "percents_out",
    "wait": "waiting_months",
    "category": "category_maximums",
    "lifetime": "lifetime_maximums",
    "code": "code_percents",
    "codecopay": "code_copays",
}
WHOLE = {"out", "wait", "code"}
AMOUNTS = {
    "deductible": "deductible_cents",
    "household_deductible": "household_deductible_cents",
    "max": "maximum_cents",
    "household_max": "household_maximum_cents",
    "oop": "out_of_pocket_cents",
    "household_oop": "household_out_of_pocket_cents",
    "deductible_out": "deductible_out_cents",
    "max_out": "maximum_out_cents",
}


def cents(text: str) -> int:
    return int(Decimal(text) * 100)


def pairs(text: str) -> list[tuple[str, str]]:
    return [(key, value) for key, _, value in (word.partition("=") for word in text.split())]


def done(text: str) -> tuple[Done, ...]:
    """'D1110:2026-05-20!unpaid+D2392:2025-06-01#14+D4341:2025-06-01@10'."""
    found = []
    for each in text.split("+"):
        code, _, rest = each.partition(":")
        rest, _, unpaid = rest.partition("!")
        rest, _, area = rest.partition("@")
        day, _, tooth = rest.partition("#")
        found.append(Done(code, date.fromisoformat(day), tooth, area, not unpaid))
    return tuple(found)


def read_plan(text: str) -> tuple[Benefits, dict[str, Any]]:
    terms: dict[str, Any] = {"percents": {}, "copays": [], "frequencies": [], "ages": []}
    cover: dict[str, Any] = {"allowed": {}, "fees": {}, "categories": {}}
    for key, value in pairs(text):
        head, _, name = key.partition(".")
        if head in MAPS and name:
            terms.setdefault(MAPS[head], {})[name] = int(value) if head in WHOLE else cents(value)
        elif key in AMOUNTS:
            terms[AMOUNTS[key]] = cents(value)
        elif head == "copay":
            amount, per = value.split("/")
            terms["copays"].append([name, cents(amount), per])
        elif key == "freq":
            codes, count, months, *per = value.split("/")
            terms["frequencies"].append([codes.split("+"), int(count), int(months), *(per or ["person"])])
        elif key == "age":
            code, ages = value.split(":")
            ages, _, until = ages.partition("/")
            youngest, oldest = (int(part) if part else None for part in ages.split("-"))
            terms["ages"].append([[code], youngest, oldest, until or "birthday"])
        elif key == "alt":
            terms.setdefault("alternates", {}).update([value.split(">")])
        elif head in ("fee", "allowed"):
            cover["fees" if head == "fee" else "allowed"][name] = cents(value)
        elif head == "cat":
            cover["categories"][name] = value
        elif key == "network":
            cover["in_network"] = value == "in"
        else:
            named = {
                "auth": "needs_authorization",
                "missing": "missing_tooth_codes",
                "free": "no_deductible",
                "unmax": "no_maximum",
            }
            if key in named:
                terms[named[key]] = [value]
            elif key in ("coordination", "year"):
                terms["coordination" if key == "coordination" else "year_starts_month"] = (
                    value if key == "coordination" else int(value)
                )
            else:
                terms["percents"][key] = int(value)
    return benefits_from("the plan", terms), cover


def read_used(text: str) -> Used:
    values: dict[str, Any] = {"by_category": {}, "lifetime": {}}
    for key, value in pairs(text):
        head, _, name = key.partition(".")
        if head in ("by", "lifetime"):
            values["by_category" if head == "by" else "lifetime"][name] = cents(value)
        else:
            values[key] = done(value) if key == "done" else cents(value)
    return Used(**values)


def read_person(text: str) -> Insured:
    values = dict(pairs(text))
    tooth, _, when = values.get("lost", "").partition(":")
    lost = {tooth: date.fromisoformat(when) if when else None} if tooth else {}
    day = {key: date.fromisoformat(values[key]) for key in ("birth", "from") if key in values}
    return Insured(day.get("birth"), day.get("from"), lost)


def read_line(number: int, text: str, allowed: dict[str, int]) -> PricedLine:
    code, category, amount, *more = text.split()
    values: dict[str, Any] = {
        "units": 1,
        "tooth": "",
        "billed": "unbilled" not in more,
        "authorized": "authorized" in more,
    }
    for word in more:
        if word.startswith("x"):
            values["units"] = int(word[1:])
        elif word.startswith("#"):
            values["tooth"] = word[1:]
        elif word.startswith("~"):
            values["area"] = word[1:]
        elif word.startswith("@"):
            allowed[code] = cents(word[1:])
    return PricedLine(line_id=number, cents=cents(amount), category=category, code=code, **values)


@pytest.mark.parametrize("case", CASES, ids=[f"{c['rule']}: {c['case']}" for c in CASES])
def test_a_worked_example(case: dict[str, str]) -> None:
    covers, allowed = [], {}
    lines = [read_line(n, text, allowed) for n, text in enumerate(case["lines"].split(";"))]
    for text, used in ((case["plan"], case["used"]), (case["second plan"], "")):
        if text not in ("", "-"):
            plan, more = read_plan(text)
            # the contract fee on a line is the first plan's
            more["allowed"] |= {} if covers else allowed
            covers.append(
                Cover(benefits=plan, used=read_used(used), insured=read_person(case["person"]), **more)
            )
    answers = estimate(lines, covers, DAY)
    expected = [
        tuple(cents(part) for part in each.strip().split("/")) for each in case["expected"].split(";")
    ]
    assert [(a.write_off, a.first, a.second, a.patient) for a in answers] == expected
    told = " ".join(a.why.replace(",", "") for a in answers)
    for words in case["says"].split(";"):
        assert words.strip().replace(",", "") in told


def test_the_table_covers_every_rule() -> None:
    assert len(CASES) >= 140
    rules = {case["rule"] for case in CASES}
    assert rules >= {
        "percentage",
        "contract fee",
        "network",
        "deductible",
        "copay",
        "out of pocket",
        "maximum",
        "waiting period",
        "frequency",
        "age",
        "alternate",
        "missing tooth",
        "authorization",
        "two plans",
    }
    assert all(case["arithmetic"] for case in CASES)


categories = st.sampled_from(["preventive", "basic", "major", "endodontics", "orthodontics"])
percents = st.dictionaries(categories, st.integers(0, 100))
amounts = st.integers(0, 200_000)
plans = st.builds(
    Benefits,
    name=st.just("P"),
    percents=percents,
    deductible_cents=st.integers(0, 20_000),
    no_deductible=st.frozensets(categories),
    household_deductible_cents=st.integers(0, 40_000),
    percents_out=percents,
    copays=st.lists(
        st.builds(Copay, categories, st.integers(0, 9_000), st.sampled_from(["visit", "service"])), max_size=2
    ).map(tuple),
    maximum_cents=st.none() | amounts,
    household_maximum_cents=st.none() | amounts,
    category_maximums=st.dictionaries(categories, amounts, max_size=2),
    lifetime_maximums=st.dictionaries(categories, amounts, max_size=1),
    coordination=st.sampled_from(["standard", "carve_out", "maintenance"]),
    frequencies=st.just((Frequency(frozenset({"A", "B"}), 2, 12, "person", "paid"),)),
    ages=st.just((AgeLimit(frozenset({"C"}), 10, 60, "month"),)),
    alternates=st.just({"A": "C"}),
    code_percents=st.dictionaries(st.sampled_from("ABC"), st.integers(0, 100), max_size=1),
    code_copays=st.dictionaries(st.sampled_from("ABC"), st.integers(0, 9_000), max_size=1),
    no_maximum=st.frozensets(categories, max_size=1),
    out_of_pocket_cents=st.none() | amounts,
    household_out_of_pocket_cents=st.none() | amounts,
    deductible_out_cents=st.none() | st.integers(0, 20_000),
    maximum_out_cents=st.none() | amounts,
)
covers = st.builds(
    Cover,
    benefits=plans,
    used=st.builds(
        Used, deductible=amounts, household_deductible=amounts, paid=amounts, household_paid=amounts
    ),
    in_network=st.booleans(),
    allowed=st.dictionaries(st.sampled_from("ABC"), amounts),
    fees=st.dictionaries(st.sampled_from("ABC"), amounts),
    categories=st.dictionaries(st.sampled_from("ABC"), categories),
)
bills = st.lists(
    st.builds(
        PricedLine,
        line_id=st.integers(1, 9),
        cents=amounts,
        category=categories,
        billed=st.booleans(),
        code=st.sampled_from("ABC"),
        units=st.integers(1, 3),
    ),
    max_size=6,
)


@given(bills, st.lists(covers, max_size=2))
def test_parts_make_the_fee_and_no_plan_pays_over_its_maximum(
    lines: list[PricedLine], given_covers: list[Cover]
) -> None:
    answers = estimate(lines, given_covers, DAY)
    for a in answers:
        assert a.write_off + a.first + a.second + a.patient == a.fee
        assert min(a.write_off, a.first, a.second, a.patient, a.deductible) >= 0
    assert totals(answers)[0] == sum(line.cents for line in lines)
    for place, cover in enumerate(given_covers):
        _holds(cover, [a.uses[place] for a in answers if a.uses])


def _holds(cover: Cover, uses: list[Use]) -> None:
    """What the lines take of a plan is within what was left of it. Kills: a category that forgets what it
    counts as, orthodontics in the annual maximum, the outside taking from the inside.
    """
    plan, used = cover.benefits, cover.used
    after = more_used(used, plan, uses)
    outside = not cover.in_network and plan.maximum_out_cents is not None
    if plan.maximum_cents is not None and not outside:
        assert after.paid - used.paid <= max(0, plan.maximum_cents - used.paid + used.paid_out)
    if outside:
        assert after.paid_out <= max(used.paid_out, plan.maximum_out_cents or 0)
    if plan.household_maximum_cents is not None:
        assert after.household_paid <= max(used.household_paid, plan.household_maximum_cents)
    for category, most in plan.category_maximums.items():
        assert after.by_category.get(category, 0) <= max(most, used.by_category.get(category, 0))
    for category, most in plan.lifetime_maximums.items():
        assert after.lifetime.get(category, 0) <= max(most, used.lifetime.get(category, 0))
    if cover.in_network and plan.out_of_pocket_cents is not None:
        assert after.out_of_pocket <= max(used.out_of_pocket, plan.out_of_pocket_cents)
    mine = plan.deductible_cents if plan.deductible_out_cents is None or cover.in_network else None
    most = plan.deductible_out_cents if mine is None else mine
    assert after.deductible - used.deductible <= (most or 0)


@given(bills, covers)
def test_a_line_is_worked_alike_whether_its_category_is_named_or_counted_as(
    lines: list[PricedLine], cover: Cover
) -> None:
    """Endodontics that a plan does not name is basic care in every rule."""
    plain = replace(
        cover.benefits, percents={k: v for k, v in cover.benefits.percents.items() if k != "endodontics"}
    )
    plain = replace(plain, percents_out={k: v for k, v in plain.percents_out.items() if k != "endodontics"})
    named = [replace(each, category="basic") if each.category == "endodontics" else each for each in lines]
    one, two = (
        estimate(each, [replace(cover, benefits=plain, categories={})], DAY) for each in (lines, named)
    )
    assert [(a.first, a.patient, a.write_off) for a in one] == [
        (a.first, a.patient, a.write_off) for a in two
    ]


@given(bills, covers)
def test_a_second_plan_never_costs_the_patient_more(lines: list[PricedLine], cover: Cover) -> None:
    alone = estimate(lines, [cover], DAY)
    both = estimate(
        lines, [cover, Cover(benefits=Benefits(name="second", percents={"basic": 80, "major": 50}))], DAY
    )
    assert all(
        two.patient <= one.patient and two.first == one.first for one, two in zip(alone, both, strict=True)
    )


@given(plans)
def test_terms_come_back_from_json_as_they_were(plan: Benefits) -> None:
    assert benefits_from(plan.name, terms_of(plan)) == plan


def test_the_most_particular_fee_schedule_prices() -> None:
    schedules = [
        FeeSchedule(id=1, name="payer", fees={"A": 100, "B": 200}, payer_id=1),
        FeeSchedule(id=2, name="plan", fees={"A": 90}, payer_id=1, plan_id=7),
        FeeSchedule(id=3, name="plan for Dr. Wren", fees={"A": 80}, payer_id=1, plan_id=7, provider_id=3),
        FeeSchedule(id=4, name="next year", fees={"B": 210}, payer_id=1, from_day=date(2027, 1, 1)),
        FeeSchedule(id=5, name="outside", fees={"A": 50}, payer_id=1, network="out"),
        FeeSchedule(id=6, name="somebody else's", fees={"A": 1}, payer_id=2),
        FeeSchedule(id=7, name="over", fees={"A": 2}, payer_id=1, plan_id=7, to_day=date(2025, 12, 31)),
    ]
    assert allowed_fees(schedules, 1, 7, 3, True, DAY) == {"A": 80, "B": 200}
    assert allowed_fees(schedules, 1, 7, 1, True, DAY) == {"A": 90, "B": 200}
    assert allowed_fees(schedules, 1, 8, 1, False, DAY) == {"A": 50, "B": 200}
    assert allowed_fees(schedules, 1, 7, 1, True, date(2027, 1, 1))["B"] == 210


def test_who_pays_first() -> None:
    own = Candidate(1, "18", date(1990, 12, 1), date(2025, 1, 1))
    spouse = Candidate(2, "01", date(1980, 1, 1), date(2020, 1, 1))
    public = Candidate(3, "18", date(1990, 12, 1), date(2010, 1, 1), public=True)
    assert [c.coverage_id for c in suggested_order([public, spouse, own])] == [1, 2, 3]
    mother = Candidate(4, "19", date(1985, 3, 9), date(2024, 1, 1))
    father = Candidate(5, "19", date(1979, 8, 2), date(2020, 1, 1))
    assert [c.coverage_id for c in suggested_order([father, mother])] == [4, 5]
    assert "birthday comes first" in order_reason(mother, father)
    twin = Candidate(6, "19", date(1980, 3, 9), date(2020, 1, 1))
    assert [c.coverage_id for c in suggested_order([mother, twin])] == [6, 4]
    assert "older coverage" in order_reason(twin, mother)
    assert "own coverage" in order_reason(own, spouse) and "last" in order_reason(own, public)


def test_teeth_lie_in_quadrants_and_years_begin_where_the_plan_says() -> None:
    assert [quadrant(t) for t in ("1", "8", "9", "16", "17", "25", "32", "A", "J", "K", "T", "", "33")] == [
        "10",
        "10",
        "20",
        "20",
        "30",
        "40",
        "40",
        "10",
        "20",
        "30",
        "40",
        "",
        "",
    ]
    assert benefit_year(DAY, 1) == (date(2026, 1, 1), date(2026, 12, 31))
    assert benefit_year(date(2026, 6, 30), 7) == (date(2025, 7, 1), date(2026, 6, 30))


def test_the_copay_to_ask_for_is_what_the_bill_will_take_and_no_more_than_the_patient_owes() -> None:
    plan = Benefits(
        name="P",
        percents={"office": 80, "lab": 80},
        copays=(Copay("office", 2000, "service"), Copay("lab", 1500, "visit")),
    )
    lines = [
        PricedLine(line_id=1, cents=20_000, category="office", code="A", units=2),
        PricedLine(line_id=2, cents=10_000, category="lab", code="B"),
        PricedLine(line_id=3, cents=10_000, category="lab", code="C"),
        PricedLine(line_id=4, cents=1_200, category="office", code="D"),
        PricedLine(line_id=5, cents=10_000, category="office", billed=False, code="E"),
    ]
    assert [each.copay_due for each in estimate(lines, [Cover(benefits=plan)], DAY)] == [
        4000,
        1500,
        0,
        1200,
        0,
    ]
    second = Benefits(name="S", percents={"office": 100, "lab": 100})
    assert [
        each.copay_due for each in estimate(lines, [Cover(benefits=plan), Cover(benefits=second)], DAY)
    ] == [0, 0, 0, 0, 0]
