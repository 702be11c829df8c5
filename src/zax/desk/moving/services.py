"""Services and fees from a list: new codes, and what the list says otherwise of codes that are there. An
empty cell says nothing. Contract fees stand in a column for each schedule.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import asdict
from datetime import date

from zax.core.charges.lines import ServiceRule
from zax.core.charges.new_service import DONE_ON
from zax.core.charges.teeth import TEETH_WORDS
from zax.core.charges.usual import TypedUsual, check_usual
from zax.core.clinic.services import Service
from zax.core.coverage.benefits import CATEGORY_WORDS
from zax.core.errors import ProblemCollector, Refused
from zax.core.money.cents import parse_balance
from zax.core.moving.columns import ColumnSet, listed_day
from zax.core.moving.job import Outcome
from zax.core.wording import dollars
from zax.desk.clinic.clinic import Clinic
from zax.desk.moving.taking import ListIn, Step, Taken, each_row, key_named, setup_changed
from zax.desk.setup.services import ServiceForm, put_service
from zax.store.coverage.plans import put_fee

FEE = "fee-"
_WORDS = {
    "code": "Code",
    "words": "What it is",
    "category": "Category",
    "fee": "Clinic’s fee",
    "done_on": "Done on",
    "surfaces": "Surfaces",
    "teeth": "Which teeth",
    "retired_on": "Out of use from",
    "units": "Usual units",
    "modifiers": "Usual modifiers",
    "diagnosis": "Usual diagnosis",
    "ndc": "NDC",
    "ndc_quantity": "NDC quantity a unit",
    "ndc_unit": "NDC measured in",
    "taxonomy": "Taxonomy",
    "lab": "Our own lab",
}
USUAL = ("units", "modifiers", "diagnosis", "ndc", "ndc_quantity", "ndc_unit", "taxonomy", "lab")
_OTHERS = {
    "code": "procedure code|service code|cpt|cdt|proc code",
    "words": "description|service|name|words|procedure",
    "category": "type|group",
    "fee": "fee|price|amount|office fee|ucr|ucr fee|standard fee",
    "done_on": "area|treatment area",
    "surfaces": "number of surfaces",
    "retired_on": "retired|retired on|inactive since",
}


def columns(clinic: Clinic) -> ColumnSet:
    schedules = {f"{FEE}{each.id}": f"Fee: {each.name}" for each in clinic.contracts.schedules}
    others = {f"{FEE}{each.id}": each.name.lower() for each in clinic.contracts.schedules}
    return ColumnSet(_WORDS | schedules, _OTHERS | others, ("code",))


def done_on(rule: ServiceRule) -> str:
    """What a service is done on, as its form and a list say it."""
    if rule.area:
        return rule.area
    if rule.surfaces:
        return "surfaces"
    return "tooth" if rule.needs_tooth else ""


def take_service(step: Step, _line: int, cells: Mapping[str, str]) -> Taken:
    code = cells["code"].strip().upper()
    before = next((each for each in step.tx.clinic.services.values() if each.code == code), None)
    form = _form(cells, before, step.tx.clinic_day)
    number, changed = before.id if before else 0, said_otherwise(before, form) if before else []
    if before is None or changed:
        number, _ = put_service(step.tx, number, form)
    changed += _contract_fees(step, number, cells)
    if before is None:
        return Taken(Outcome.MADE)
    return Taken(Outcome.CHANGED, f"{code}: {'; '.join(changed)}") if changed else Taken(Outcome.KNOWN, code)


def _form(cells: Mapping[str, str], before: Service | None, today: date) -> ServiceForm:
    wrong = ProblemCollector()
    given = {name: text for name, text in cells.items() if text.strip()}
    fee = wrong.take(_fee, given["fee"], "fee") if "fee" in given else None
    surfaces = given.get("surfaces", "")
    if surfaces and not surfaces.isdecimal():
        wrong.add("surfaces", "Write the number of surfaces.")
    retired = (
        wrong.take(listed_day, given["retired_on"], "retired_on", today) if "retired_on" in given else None
    )
    wrong.raise_if_any()
    if before is None:
        kept = ServiceForm(code=cells["code"])
    else:
        kept = ServiceForm(
            code=before.code,
            words=before.words,
            category=before.category,
            done_on=done_on(before.rule),
            surfaces=before.rule.surfaces,
            teeth=before.rule.teeth,
            **asdict(TypedUsual.of(before.usual)),
        ).model_copy(update={"fee": before.fee_cents, "retired_on": before.retired_on})
    update: dict[str, object] = {}
    if "words" in given:
        update["words"] = given["words"]
    for name, words in (("category", CATEGORY_WORDS), ("done_on", DONE_ON), ("teeth", TEETH_WORDS)):
        if name in given:
            update[name] = key_named(given[name], words)
    update |= {name: given[name].strip() for name in USUAL if name in given}
    if fee is not None:
        update["fee"] = fee
    if surfaces:
        update["surfaces"] = int(surfaces)
    if retired is not None:
        update["retired_on"] = retired
    return kept.model_copy(update=update)


def _fee(text: str, field: str) -> int:
    """Cents; nothing is a fee too."""
    cents = parse_balance(text, field)
    if cents < 0:
        raise Refused("A fee can’t be negative.", field)
    return cents


def said_otherwise(before: Service, form: ServiceForm) -> list[str]:
    """What the list says otherwise, in words."""
    pairs = (
        ("", before.words, " ".join(form.words.split())),
        ("", CATEGORY_WORDS.get(before.category, ""), CATEGORY_WORDS.get(form.category, form.category)),
        ("", dollars(before.fee_cents), dollars(form.fee)),
        ("done on ", DONE_ON[done_on(before.rule)], DONE_ON.get(form.done_on, form.done_on)),
        ("surfaces ", str(before.rule.surfaces), str(form.surfaces if form.done_on == "surfaces" else 0)),
        ("for ", TEETH_WORDS.get(before.rule.teeth, ""), TEETH_WORDS.get(form.teeth, form.teeth)),
        *_usual_pairs(before, form),
        ("out of use ", str(before.retired_on or "never"), str(form.retired_on or "never")),
    )
    return [f"{name}{was} → {now}" for name, was, now in pairs if was != now]


def _usual_pairs(before: Service, form: ServiceForm) -> Iterator[tuple[str, str, str]]:
    """What it usually comes with: its words, as it is and as the list says it, both as they are kept."""
    now = TypedUsual.of(check_usual(form.usual, before.code, before.dental))
    for name, was in asdict(TypedUsual.of(before.usual)).items():
        yield f"{_WORDS[name].lower()} ", was or "none", str(getattr(now, name)) or "none"


def _contract_fees(step: Step, service_id: int, cells: Mapping[str, str]) -> list[str]:
    """The fees of schedules that differ, written; in words."""
    changed, wrong = [], ProblemCollector()
    code = cells["code"].strip().upper()
    for schedule in step.tx.clinic.contracts.schedules:
        field = f"{FEE}{schedule.id}"
        text = cells.get(field, "")
        if not text.strip():
            continue
        cents = wrong.take(_fee, text, field)
        was = schedule.fees.get(code)
        if cents is None or cents == was:
            continue
        put_fee(step.tx.connection, schedule.id, service_id, cents)
        changed.append(f"{schedule.name} {'none' if was is None else dollars(was)} → {dollars(cents)}")
    wrong.raise_if_any()
    return changed


SERVICES = ListIn(
    key="services",
    words="Services and fees",
    things="services",
    hint="code, what it is, category, your fee, and a column for each contract’s fees",
    right="plans",
    columns=columns,
    take=each_row(take_service, setup_changed("services")),
    same=(("code",),),
)
