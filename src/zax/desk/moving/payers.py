"""Payers and plans from lists. What is there already is left alone: a plan's terms are changed on its own
page, where everybody who has it is seen.
"""

from __future__ import annotations

from collections.abc import Mapping

from zax.core.coverage.benefits import CATEGORY_WORDS, DENTAL_CATEGORIES, MEDICAL_CATEGORIES
from zax.core.coverage.plan import Payer
from zax.core.errors import Refused
from zax.core.moving.columns import ColumnSet
from zax.core.moving.job import Outcome
from zax.core.patients.person import search_key
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.plans import ELIGIBILITY, PAYER_KINDS, PlanTermsForm, put_payer, put_plan
from zax.desk.moving.taking import ListIn, Step, Taken, each_row, key_named, setup_changed

USUAL_FILING_DAYS = "365"
_PAYERS = ColumnSet(
    {
        "name": "Name",
        "electronic_id": "Payer ID",
        "kind": "Type",
        "filing_days": "Days to file a claim",
        "appeal_days": "Days to appeal",
        "eligibility": "Eligibility",
        "phone": "Phone",
    },
    {
        "name": "payer|insurance|insurer|carrier|payer name|insurance company|carrier name",
        "electronic_id": "payer id|electronic id|payerid|edi number|edi id|carrier id",
        "kind": "kind|payer type",
        "filing_days": "filing limit|timely filing|filing days",
        "appeal_days": "appeal limit|appeal days",
        "phone": "telephone|phone number",
    },
    ("name", "electronic_id"),
)
_TERMS = {
    "deductible": "Deductible",
    "household_deductible": "Family deductible",
    "maximum": "Annual maximum",
    "household_maximum": "Family maximum",
    "out_of_pocket": "Out-of-pocket limit",
    "year_starts": "Benefit year starts in month",
}
_CATEGORIES = tuple(dict.fromkeys((*DENTAL_CATEGORIES, *MEDICAL_CATEGORIES)))
_PLANS = ColumnSet(
    {"payer": "Payer", "name": "Plan", "kind": "Dental or medical", "note": "Note"}
    | _TERMS
    | {f"percent-{each}": f"{CATEGORY_WORDS[each].capitalize()}, percent" for each in _CATEGORIES}
    | {f"copay-{each}": f"{CATEGORY_WORDS[each].capitalize()}, copay" for each in _CATEGORIES},
    {
        "payer": "insurance|insurer|carrier|payer name|insurance company|carrier name|payer id",
        "name": "plan name|group name|name",
        "kind": "type|plan type|benefit type",
        "note": "notes|remark",
        "deductible": "individual deductible|deductible per person",
        "maximum": "maximum|annual maximum|annual max|yearly max",
    }
    | {f"percent-{each}": f"{each}|{each} %|{each} percent" for each in _CATEGORIES}
    | {f"copay-{each}": f"{each} copay" for each in _CATEGORIES},
    ("payer", "name"),
)


def take_payer(step: Step, _line: int, cells: Mapping[str, str]) -> Taken:
    number = cells["electronic_id"].strip().upper()
    if any(each.electronic_id == number for each in step.tx.clinic.payers.values()):
        return Taken(Outcome.KNOWN, f"payer ID {number} is on the list already")
    typed = {
        "name": cells["name"],
        "electronic_id": number,
        "filing_days": cells.get("filing_days") or USUAL_FILING_DAYS,
        "appeal_days": cells.get("appeal_days", ""),
        "kind": key_named(cells.get("kind") or "insurer", PAYER_KINDS),
        "eligibility": key_named(cells.get("eligibility") or "auto", ELIGIBILITY),
        "phone": cells.get("phone", ""),
    }
    put_payer(step.tx, 0, typed)
    return Taken(Outcome.MADE)


def take_plan(step: Step, _line: int, cells: Mapping[str, str]) -> Taken:
    clinic = step.tx.clinic
    payer, name = _payer(clinic, cells["payer"]), " ".join(cells["name"].split())
    if any(
        each.payer_id == payer.id and search_key(each.name) == search_key(name)
        for each in clinic.plans.values()
    ):
        return Taken(Outcome.KNOWN, f"{payer.name} has a plan {name} already")
    dental = _is_dental(cells.get("kind", ""))
    fields = {
        key: text for key, text in cells.items() if key in _TERMS or key.startswith(("percent-", "copay-"))
    }
    form = PlanTermsForm(fields=fields, free=(), frequencies=(), ages=(), alternates=())
    put_plan(step.tx, payer.id, name, dental, cells.get("note", ""), form)
    return Taken(Outcome.MADE)


def _payer(clinic: Clinic, named: str) -> Payer:
    """By name or payer ID."""
    found = [
        each
        for each in clinic.payers.values()
        if search_key(named) == search_key(each.name) or named.strip().upper() == each.electronic_id
    ]
    if len(found) != 1:
        raise Refused(f"There is no payer “{named[:40]}”. Import or add it first.", "payer")
    return found[0]


def _is_dental(text: str) -> bool:
    typed = text.strip().lower()
    if typed in {"", "dental", "d"}:
        return True
    if typed in {"medical", "m", "health"}:
        return False
    raise Refused("Write dental or medical.", "kind")


PAYERS = ListIn(
    key="payers",
    words="Payers",
    things="payers",
    hint="name, payer ID, type, days to file",
    right="plans",
    columns=lambda _: _PAYERS,
    take=each_row(take_payer, setup_changed("payers")),
    same=(("electronic_id",),),
)
PLANS = ListIn(
    key="plans",
    words="Plans",
    things="plans",
    hint="payer, plan, percent by category, deductible, maximum",
    right="plans",
    columns=lambda _: _PLANS,
    take=each_row(take_plan, setup_changed("plans")),
    same=(("payer", "name"),),
    rows_at_once=1,
)
