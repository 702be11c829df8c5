"""What a plan promises, as data that a biller enters once and every patient of the plan shares.

Amounts are cents, percentages whole numbers that the *plan* pays, months calendar months. A category that is
missing from `percents` is not covered, but for the finer dental ones (endodontics, implants and so on): where
a plan does not name them, they count as what most booklets put them under (`USUALLY`). The words are those of
a benefit booklet; `terms_of` and `benefits_from` carry them to and from plain JSON.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date

from zax.core.book.calendar import step_months
from zax.core.json import Json, KeptJson
from zax.core.patients.person import age_on

CATEGORY_WORDS = {
    "preventive": "preventive care",
    "diagnostic": "diagnostic care",
    "basic": "basic care",
    "major": "major care",
    "endodontics": "endodontics",
    "periodontics": "periodontics",
    "oral_surgery": "oral surgery",
    "prosthodontics": "prosthodontics",
    "implants": "implants",
    "orthodontics": "orthodontics",
    "adjunctive": "adjunctive care",
    "office": "office visits",
    "lab": "lab tests",
    "procedure": "procedures",
    "vaccine": "vaccines",
    "other": "other services",
}
DENTAL_CATEGORIES = (
    *("preventive", "diagnostic", "basic", "major", "endodontics", "periodontics", "oral_surgery"),
    *("prosthodontics", "implants", "orthodontics", "adjunctive", "other"),
)
# What a finer category counts as with a plan that does not name it.
USUALLY: Mapping[str, str] = {
    "endodontics": "basic",
    "periodontics": "basic",
    "oral_surgery": "basic",
    "prosthodontics": "major",
    "implants": "major",
}
MEDICAL_CATEGORIES = ("office", "lab", "procedure", "vaccine", "other")
COUNTS_WORDS = {"done": "no matter who paid", "paid": "only what this plan paid"}
UNTIL_WORDS = {"birthday": "until the birthday", "month": "until the end of the birthday’s month"}
PER_WORDS = {"person": "", "tooth": " on one tooth", "quadrant": " in one quadrant"}
COORDINATION_WORDS = {
    "standard": "pays up to what’s left of the bill",
    "carve_out": "pays what it would have paid, minus what the primary paid",
    "maintenance": "pays its share of what the primary left",
}


@dataclass(frozen=True, slots=True)
class Frequency:
    """At most `count` of these codes within `months` calendar months (0: within the benefit year), per
    person, tooth or quadrant. `counts` says whether all that was done counts or only what this plan paid.
    """

    codes: frozenset[str]
    count: int
    months: int
    per: str = "person"
    counts: str = "done"

    @property
    def words(self) -> str:
        span = f"in {self.months} months" if self.months else "in a benefit year"
        return f"{self.count} {span}{PER_WORDS[self.per]}"


@dataclass(frozen=True, slots=True)
class AgeLimit:
    """These codes are paid from `youngest` to `oldest` completed years, both included; None is no limit on
    that side. With `until` "month" the last year lasts to the end of the month in which it is over.
    """

    codes: frozenset[str]
    youngest: int | None = None
    oldest: int | None = None
    until: str = "birthday"

    def allows(self, birth: date, day: date) -> bool:
        age = age_on(birth, day)
        if self.youngest is not None and age < self.youngest:
            return False
        if self.oldest is None or age <= self.oldest:
            return True
        over = step_months(birth, 12 * (self.oldest + 1))
        return self.until == "month" and (day.year, day.month) == (over.year, over.month)

    @property
    def words(self) -> str:
        if self.youngest is None:
            return f"up to age {self.oldest}"
        return (
            f"from age {self.youngest}"
            if self.oldest is None
            else f"from age {self.youngest} to {self.oldest}"
        )


@dataclass(frozen=True, slots=True)
class Copay:
    """A fixed amount the patient pays first, per visit or per service of the category."""

    category: str
    cents: int
    per: str = "visit"


@dataclass(frozen=True, slots=True, kw_only=True)
class Benefits:
    """A plan's promise. Maxima and household amounts of None or 0 deductible mean there is none.

    `code_percents` and `code_copays` are for single services and go before their category; a service with a
    copay of its own is paid in full beyond it. `no_maximum` are categories that do not count toward the
    annual maximum. `out_of_pocket_cents` is the most a person pays in a year in the network; amounts
    that end in `out_cents` hold outside of it instead of the usual ones.
    """

    name: str
    percents: Mapping[str, int]
    deductible_cents: int = 0
    no_deductible: frozenset[str] = field(default_factory=frozenset)
    household_deductible_cents: int = 0
    percents_out: Mapping[str, int] = field(default_factory=dict)
    copays: tuple[Copay, ...] = ()
    maximum_cents: int | None = None
    household_maximum_cents: int | None = None
    category_maximums: Mapping[str, int] = field(default_factory=dict)
    lifetime_maximums: Mapping[str, int] = field(default_factory=dict)
    waiting_months: Mapping[str, int] = field(default_factory=dict)
    frequencies: tuple[Frequency, ...] = ()
    ages: tuple[AgeLimit, ...] = ()
    alternates: Mapping[str, str] = field(default_factory=dict)
    needs_authorization: frozenset[str] = field(default_factory=frozenset)
    missing_tooth_codes: frozenset[str] = field(default_factory=frozenset)
    coordination: str = "standard"
    year_starts_month: int = 1
    code_percents: Mapping[str, int] = field(default_factory=dict)
    code_copays: Mapping[str, int] = field(default_factory=dict)
    no_maximum: frozenset[str] = field(default_factory=frozenset)
    out_of_pocket_cents: int | None = None
    household_out_of_pocket_cents: int | None = None
    deductible_out_cents: int | None = None
    maximum_out_cents: int | None = None

    def group(self, category: str) -> str:
        """The category under which this plan speaks of a service's own."""
        if category in self.percents or category in self.percents_out:
            return category
        return USUALLY.get(category, category)

    def percent(self, group: str, in_network: bool, code: str = "") -> int:
        """What the plan pays of a service of this group; 0 when it is not covered."""
        if code in self.code_percents:
            return self.code_percents[code]
        if code in self.code_copays:
            return 100
        if not in_network and group in self.percents_out:
            return self.percents_out[group]
        return self.percents.get(group, 0)

    def counts_toward_maximum(self, group: str) -> bool:
        """Orthodontics with a lifetime maximum of its own leaves the yearly one alone."""
        own = group == "orthodontics" and group in self.lifetime_maximums
        return not own and group not in self.no_maximum


def benefit_year(day: date, starts_month: int) -> tuple[date, date]:
    """First and last day of the benefit year that `day` lies in."""
    first = date(day.year if day.month >= starts_month else day.year - 1, starts_month, 1)
    return first, date.fromordinal(date(first.year + 1, starts_month, 1).toordinal() - 1)


def terms_of(benefits: Benefits) -> Json:
    """Everything but the name as plain JSON."""
    return {
        "percents": dict(benefits.percents),
        "deductible_cents": benefits.deductible_cents,
        "no_deductible": sorted(benefits.no_deductible),
        "household_deductible_cents": benefits.household_deductible_cents,
        "percents_out": dict(benefits.percents_out),
        "copays": [[c.category, c.cents, c.per] for c in benefits.copays],
        "maximum_cents": benefits.maximum_cents,
        "household_maximum_cents": benefits.household_maximum_cents,
        "category_maximums": dict(benefits.category_maximums),
        "lifetime_maximums": dict(benefits.lifetime_maximums),
        "waiting_months": dict(benefits.waiting_months),
        "frequencies": [[sorted(f.codes), f.count, f.months, f.per, f.counts] for f in benefits.frequencies],
        "ages": [[sorted(a.codes), a.youngest, a.oldest, a.until] for a in benefits.ages],
        "alternates": dict(benefits.alternates),
        "needs_authorization": sorted(benefits.needs_authorization),
        "missing_tooth_codes": sorted(benefits.missing_tooth_codes),
        "coordination": benefits.coordination,
        "year_starts_month": benefits.year_starts_month,
        "code_percents": dict(benefits.code_percents),
        "code_copays": dict(benefits.code_copays),
        "no_maximum": sorted(benefits.no_maximum),
        "out_of_pocket_cents": benefits.out_of_pocket_cents,
        "household_out_of_pocket_cents": benefits.household_out_of_pocket_cents,
        "deductible_out_cents": benefits.deductible_out_cents,
        "maximum_out_cents": benefits.maximum_out_cents,
    }


def benefits_from(name: str, terms: KeptJson) -> Benefits:
    """The reverse of `terms_of`; what is missing has its default."""
    lists = {"no_deductible", "needs_authorization", "missing_tooth_codes", "no_maximum"}
    values: Json = {key: frozenset(value) if key in lists else value for key, value in terms.items()}
    values["copays"] = tuple(Copay(*each) for each in terms.get("copays", ()))
    values["frequencies"] = tuple(
        Frequency(frozenset(codes), *rest) for codes, *rest in terms.get("frequencies", ())
    )
    values["ages"] = tuple(AgeLimit(frozenset(codes), *rest) for codes, *rest in terms.get("ages", ()))
    return Benefits(name=name, **values)
