"""Payers, plans and contract fees: shared by all patients, corrected once. What is in use is never deleted,
only retired.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from zax.core.coverage.benefits import (
    COORDINATION_WORDS,
    COUNTS_WORDS,
    DENTAL_CATEGORIES,
    MEDICAL_CATEGORIES,
    PER_WORDS,
    UNTIL_WORDS,
    AgeLimit,
    Benefits,
    Copay,
    Frequency,
    terms_of,
)
from zax.core.coverage.plan import USUAL_APPEAL_DAYS
from zax.core.errors import Conflict, NotFound, ProblemCollector, Refused, Stale
from zax.core.money.cents import parse_amount
from zax.core.reading import needed_number, optional_day, reference
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store.coverage import plans as stored
from zax.store.coverage.plans import PayerTerms, PlanNames, ScheduleTerms

PAYER_KINDS = {"insurer": "insurer", "medicare": "Medicare", "public": "public assistance", "other": "other"}
ELIGIBILITY = {"auto": "electronic", "phone": "phone only"}
REQUIRED = {
    "group": "group number",
    "referral": "a referral",
    "ndc": "the drug’s package code (NDC)",
    "one_provider": "a claim for each provider",
    "one_place": "a claim for each place",
    "facility": "facility bills (837I) for medical work",
}


@dataclass(frozen=True, slots=True)
class PlanTermsForm:
    """The editor's fields as typed: single fields by name, tables as lists of rows."""

    fields: Mapping[str, str]
    free: Sequence[str]
    frequencies: Sequence[tuple[str, str, str, str, str]]
    ages: Sequence[tuple[str, str, str, str]]
    alternates: Sequence[tuple[str, str]]
    unmaxed: Sequence[str] = ()
    singles: Sequence[tuple[str, str, str]] = ()


def read_benefits(form: PlanTermsForm, name: str, dental: bool, codes: frozenset[str]) -> Benefits:
    """The typed plan checked; raises Problems with a message a field. `codes` are the clinic's
    service codes.
    """
    f, wrong = form.fields, ProblemCollector()
    categories = DENTAL_CATEGORIES if dental else MEDICAL_CATEGORIES

    def each(prefix: str, read: Callable[[str, str], int | None]) -> dict[str, int]:
        found: dict[str, int | None] = {
            c: wrong.take(read, f.get(f"{prefix}-{c}", ""), f"{prefix}-{c}") for c in categories
        }
        return {c: value for c, value in found.items() if value is not None}

    def cents(field: str) -> int | None:
        return wrong.take(_cents, f.get(field, ""), field)

    def listed(field: str) -> frozenset[str]:
        return wrong.take(_codes, f.get(field, ""), field, codes) or frozenset()

    percents, copays = each("percent", _percent), each("copay", _cents)
    singles = [single for n, row in enumerate(form.singles) if (single := wrong.take(_single, n, row, codes))]
    benefits = Benefits(
        name=name,
        percents={c: p for c, p in percents.items() if p},
        deductible_cents=cents("deductible") or 0,
        no_deductible=frozenset(form.free) & frozenset(categories),
        household_deductible_cents=cents("household_deductible") or 0,
        percents_out=each("out", _percent),
        copays=tuple(
            Copay(c, copay, "service" if f.get(f"per-{c}") == "service" else "visit")
            for c, copay in copays.items()
            if copay
        ),
        maximum_cents=cents("maximum"),
        household_maximum_cents=cents("household_maximum"),
        category_maximums=each("yearly", _cents),
        lifetime_maximums=each("lifetime", _cents),
        waiting_months={c: m for c, m in each("waiting", _months).items() if m},
        frequencies=tuple(
            often
            for n, row in enumerate(form.frequencies)
            if (often := wrong.take(_frequency, n, row, codes))
        ),
        ages=tuple(age for n, row in enumerate(form.ages) if (age := wrong.take(_age, n, row, codes))),
        alternates=dict(
            instead
            for n, row in enumerate(form.alternates)
            if (instead := wrong.take(_alternate, n, row, codes))
        ),
        needs_authorization=listed("authorization"),
        missing_tooth_codes=listed("missing_tooth"),
        coordination=f.get("coordination", "standard"),
        year_starts_month=wrong.take(_month, f.get("year_starts", "1")) or 1,
        code_percents={code: percent for code, percent, _ in singles if percent is not None},
        code_copays={code: copay for code, _, copay in singles if copay is not None},
        no_maximum=frozenset(form.unmaxed) & frozenset(categories),
        out_of_pocket_cents=cents("out_of_pocket"),
        household_out_of_pocket_cents=cents("household_out_of_pocket"),
        deductible_out_cents=cents("deductible_out"),
        maximum_out_cents=cents("maximum_out"),
    )
    if benefits.coordination not in COORDINATION_WORDS:
        wrong.add("coordination", "Choose one from the list.")
    if (
        benefits.household_deductible_cents
        and benefits.household_deductible_cents < benefits.deductible_cents
    ):
        wrong.add("household_deductible", "The family deductible can’t be less than the individual one.")
    wrong.raise_if_any()
    return benefits


def _percent(text: str, field: str) -> int | None:
    text = text.strip().rstrip("%").strip()
    if not text:
        return None
    return needed_number(text, field, 0, 100, "0 to 100.")


def _cents(text: str, field: str) -> int | None:
    text = text.strip()
    if not text:
        return None
    return 0 if text.strip("0.") == "" and any(ch == "0" for ch in text) else parse_amount(text, field)


def _months(text: str, field: str) -> int | None:
    if not text.strip():
        return None
    return needed_number(text, field, 0, 120, "Months, 0 to 120.")


def _month(text: str) -> int:
    return needed_number(text, "year_starts", 1, 12, "1 to 12.")


def _codes(text: str, field: str, codes: frozenset[str]) -> frozenset[str]:
    found = frozenset(text.upper().replace(",", " ").split())
    if unknown := sorted(found - codes):
        raise Refused(f"The clinic has no service {unknown[0][:12]}.", field)
    return found


def _single(
    number: int, row: tuple[str, str, str], codes: frozenset[str]
) -> tuple[str, int | None, int | None] | None:
    """A service with a percentage or a copay of its own."""
    field = f"single-{number}"
    found, percent, copay = _codes(row[0], field, codes), _percent(row[1], field), _cents(row[2], field)
    if not found and percent is None and copay is None:
        return None
    if len(found) != 1 or (percent is None and copay is None):
        raise Refused("One service, and its percentage or its copay.", field)
    return next(iter(found)), percent, copay


def _frequency(number: int, row: tuple[str, str, str, str, str], codes: frozenset[str]) -> Frequency | None:
    field = f"frequency-{number}"
    listed, count, months, per, counts = row
    found = _codes(listed, field, codes)
    if not found:
        return None
    times = needed_number(count, field, 1, 99, "How often? 1 to 99.")
    if per not in PER_WORDS:
        raise Refused("Per person, tooth or quadrant.", field)
    if counts not in COUNTS_WORDS:
        raise Refused("What counts: all that was done, or what this plan paid.", field)
    return Frequency(found, times, _months(months, field) or 0, per, counts)


def _age(number: int, row: tuple[str, str, str, str], codes: frozenset[str]) -> AgeLimit | None:
    field = f"age-{number}"
    found = _codes(row[0], field, codes)
    if not found:
        return None
    wrong = "From or to which age? Whole years."
    youngest, oldest = (
        needed_number(text, field, 0, 150, wrong) if text.strip() else None for text in row[1:3]
    )
    if row[3] not in UNTIL_WORDS:
        raise Refused("Until the birthday, or the end of its month.", field)
    if youngest is None and oldest is None:
        raise Refused(wrong, field)
    if youngest is not None and oldest is not None and oldest < youngest:
        raise Refused("The ages are reversed.", field)
    return AgeLimit(found, youngest, oldest, row[3])


def _alternate(number: int, row: tuple[str, str], codes: frozenset[str]) -> tuple[str, str] | None:
    field = f"alternate-{number}"
    done, paid = (_codes(text, field, codes) for text in row)
    if not done and not paid:
        return None
    if len(done) != 1 or len(paid) != 1 or done == paid:
        raise Refused("One service, and the cheaper one it’s paid as.", field)
    return next(iter(done)), next(iter(paid))


@act("plans")
def save_plan(
    tx: Transaction,
    plan_id: int,
    payer_id: int,
    name: str,
    dental: bool,
    note: str,
    form: PlanTermsForm,
    version: int,
) -> int:
    """A new plan (0) or a correction that holds for every patient of it at once; raises Problems, Stale."""
    names, benefits = _checked_plan(tx, plan_id, payer_id, name, dental, note, form)
    if not plan_id:
        plan_id = stored.add_plan(tx.connection, names, terms_of(benefits))
        tx.change_setup("plan.saved", plan_id=plan_id, name=names.name, changed={})
        return plan_id
    stored.save_names(tx.connection, plan_id, names)
    correct_plan(tx, plan_id, benefits, version)
    return plan_id


def put_plan(tx: Transaction, payer_id: int, name: str, dental: bool, note: str, form: PlanTermsForm) -> int:
    """A new plan within an act, which then tells the setup's change."""
    names, benefits = _checked_plan(tx, 0, payer_id, name, dental, note, form)
    return stored.add_plan(tx.connection, names, terms_of(benefits))


def _checked_plan(
    tx: Transaction, plan_id: int, payer_id: int, name: str, dental: bool, note: str, form: PlanTermsForm
) -> tuple[PlanNames, Benefits]:
    kept = " ".join(name.split())
    wrong = ProblemCollector()
    if payer_id not in tx.clinic.payers:
        wrong.add("payer_id", "Choose the payer.")
    if not 2 <= len(kept) <= 80:
        wrong.add("name", "Enter the plan name as it appears on the card.")
    before = tx.clinic.plans.get(plan_id)
    if plan_id and before is None:
        raise NotFound("There is no such plan.")
    if any(
        p.name.lower() == kept.lower() and p.payer_id == payer_id and p.id != plan_id
        for p in tx.clinic.plans.values()
    ):
        wrong.add("name", "This payer already has a plan with that name.")
    kind = before.dental if before else dental
    benefits = wrong.take(read_benefits, form, kept, kind, frozenset(tx.clinic.fees))
    wrong.raise_if_any()
    assert benefits is not None
    names = PlanNames(payer_id=payer_id, name=kept, dental=kind, note=" ".join(note.split())[:200])
    return names, benefits


def correct_plan(tx: Transaction, plan_id: int, benefits: Benefits, version: int) -> None:
    """Its terms as they are now, for every patient of it. Raises Stale when its version is another by now."""
    kept, terms = stored.terms_for_update(tx.connection, plan_id), terms_of(benefits)
    if kept is None:
        raise NotFound("There is no such plan.")
    if kept.version != version:
        raise Stale(
            "Someone changed this plan since you opened it. What you typed is still here: compare, then"
            " save again."
        )
    stored.save_terms(tx.connection, plan_id, terms, version + 1)
    changed = {
        key: [kept.terms.get(key), value] for key, value in terms.items() if kept.terms.get(key) != value
    }
    tx.change_setup("plan.saved", plan_id=plan_id, name=benefits.name, changed=changed)


@act("plans")
def retire_plan(tx: Transaction, plan_id: int, active: bool) -> None:
    """No longer (or again) offered for new coverages; those who have it keep it."""
    stored.set_plan_active(tx.connection, plan_id, active)
    tx.change_setup("plan.retired" if not active else "plan.revived", plan_id=plan_id)


@act("plans")
def delete_plan(tx: Transaction, plan_id: int) -> None:
    """Only a plan that nobody ever had can go; Conflict for one in use, with how many have it."""
    used = stored.coverages_with(tx.connection, plan_id)
    if used:
        raise Conflict(
            f"{used} coverage{'s' if used > 1 else ''} on file name this plan, so it stays. Retire it"
            " instead: it won’t be offered anymore, and patients who have it keep it."
        )
    if stored.has_schedule(tx.connection, plan_id):
        raise Conflict("A fee schedule is made for this plan. End that one first.")
    stored.delete_plan(tx.connection, plan_id)
    tx.change_setup("plan.deleted", plan_id=plan_id)


@act("plans")
def save_payer(
    tx: Transaction, payer_id: int, typed: Mapping[str, str], out_of_network: Sequence[int]
) -> int:
    """A payer with its ids, filing limit and how it answers; and who of us is not in its network."""
    payer_id, name = put_payer(tx, payer_id, typed, out_of_network)
    tx.change_setup("payer.saved", payer_id=payer_id, name=name)
    return payer_id


def put_payer(
    tx: Transaction, payer_id: int, typed: Mapping[str, str], out_of_network: Sequence[int] = ()
) -> tuple[int, str]:
    """The same within an act, which then tells the setup's change: the id and the name."""
    wrong = ProblemCollector()
    name, number = " ".join(typed["name"].split()), typed["electronic_id"].strip().upper()
    if not 2 <= len(name) <= 80:
        wrong.add("name", "Enter the payer’s name.")
    if not 2 <= len(number) <= 20 or not number.isalnum() or not number.isascii():
        wrong.add("electronic_id", "The ID for electronic claims: 2 to 20 letters and digits.")
    if any(p.electronic_id == number and p.id != payer_id for p in tx.clinic.payers.values()):
        wrong.add("electronic_id", "Another payer has this ID.")
    days = wrong.take(
        needed_number,
        typed["filing_days"],
        "filing_days",
        1,
        1825,
        "Days after the service a claim can be filed, 1 to 1825.",
    )
    appeal_days = wrong.take(
        needed_number,
        typed.get("appeal_days") or str(USUAL_APPEAL_DAYS),
        "appeal_days",
        1,
        1825,
        "Days after a decision an appeal can be sent, 1 to 1825.",
    )
    for field, choices in (("kind", PAYER_KINDS), ("eligibility", ELIGIBILITY)):
        if typed[field] not in choices:
            wrong.add(field, "Choose one from the list.")
    wrong.raise_if_any()
    assert days is not None and appeal_days is not None
    terms = PayerTerms(
        name=name,
        electronic_id=number,
        filing_days=days,
        appeal_days=appeal_days,
        kind=typed["kind"],
        eligibility=typed["eligibility"],
        filing_indicator=_indicator(typed["kind"], typed.get("required-facility") == "yes"),
        required=[key for key in REQUIRED if typed.get(f"required-{key}") == "yes"],
        phone="".join(ch for ch in typed.get("phone", "") if ch.isdecimal())[-10:],
    )
    outside = [number for number in out_of_network if number in tx.clinic.providers]
    return stored.save_payer(tx.connection, payer_id, terms, outside), name


def _indicator(kind: str, facility: bool) -> str:
    """The code claims carry for the kind of payer (SBR09, X12 1032): Medicare pays facilities from part A."""
    if kind == "medicare":
        return "MA" if facility else "MB"
    return "MC" if kind == "public" else "CI"


@act("plans")
def save_fees(tx: Transaction, schedule_id: int, typed: Mapping[str, str], fees: Mapping[int, str]) -> int:
    """A fee schedule: for whom, from when, and the fee of each service that has one."""
    wrong = ProblemCollector()
    name = " ".join(typed["name"].split())
    if not 2 <= len(name) <= 80:
        wrong.add("name", "Name the schedule, such as “Guild 2027”.")
    is_list = "flag_id" in typed
    network = "any" if is_list else typed["network"]
    if network not in {"in", "out", "any"}:
        wrong.add("network", "Choose one from the list.")
    days = {
        field: wrong.take(optional_day, typed[field], field, "This is not a day.")
        for field in ("from_day", "to_day")
    }
    if days["from_day"] and days["to_day"] and days["to_day"] < days["from_day"]:
        wrong.add("to_day", "It ends before it starts.")
    ids = {key: reference(typed.get(key, "")) or None for key in ("payer_id", "plan_id", "provider_id")}
    flag_id = (reference(typed["flag_id"]) or None) if is_list else None
    if is_list:
        ids = dict.fromkeys(ids)
        if flag_id not in tx.clinic.flags:
            wrong.add("flag_id", "Choose the flag of the patients who pay by this list.")
    elif ids["payer_id"] not in tx.clinic.payers:
        wrong.add("payer_id", "Choose the payer this contract is with.")
    if ids["plan_id"] and (
        ids["plan_id"] not in tx.clinic.plans or tx.clinic.plans[ids["plan_id"]].payer_id != ids["payer_id"]
    ):
        wrong.add("plan_id", "That plan belongs to another payer.")
    amounts = {n: wrong.take(_cents, text, f"fee-{n}") for n, text in fees.items() if n in tx.clinic.services}
    wrong.raise_if_any()
    terms = ScheduleTerms(
        name=name,
        network=network,
        from_day=days["from_day"],
        to_day=days["to_day"],
        payer_id=ids["payer_id"],
        plan_id=ids["plan_id"],
        provider_id=ids["provider_id"],
        flag_id=flag_id,
    )
    fees_in_cents = {number: cents for number, cents in amounts.items() if cents is not None}
    schedule_id = stored.save_schedule(tx.connection, schedule_id, terms, fees_in_cents)
    tx.change_setup("fees.saved", schedule_id=schedule_id, name=name)
    return schedule_id


@act("plans")
def end_schedule(tx: Transaction, schedule_id: int) -> None:
    """The schedule prices nothing anymore; it stays on record."""
    stored.end_schedule(tx.connection, schedule_id, tx.now)
    tx.change_setup("fees.ended", schedule_id=schedule_id)
