"""A patient's coverages: entered, corrected, ended. Two of one rank and kind never hold on one day; what a claim went out on stays on file."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, timedelta
from typing import Any

from sqlalchemy import or_, select, update

from zax.core.coverage.member import RELATIONSHIP_WORDS, check_member_id, member_key
from zax.core.coverage.order import Candidate, order_reason, suggested_order
from zax.core.errors import Conflict, NotFound, ProblemCollector, Refused, Stale
from zax.core.patients.fields import FIELDS
from zax.core.patients.person import check_name, parse_birth
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.patients.details import locked_patient
from zax.store import schema

RANKS = {1: "first", 2: "second", 3: "third"}
HOLDERS = {"self": "the patient", "patient": "another patient", "outside": "somebody outside"}


@act("patients")
def save_coverage(
    tx: Transaction, patient_id: int, coverage_id: int, typed: Mapping[str, str], version: int | None
) -> int:
    """Enter (`coverage_id` 0) or correct a coverage; its id. `typed` has the fields of the form; raises Problems beside them.

    `end_other` ends an overlapping coverage the day before; `same_card` says that a member id is really shared.
    """
    patient = locked_patient(tx, patient_id)
    before = _before(tx, patient_id, coverage_id, version)
    wrong = ProblemCollector()
    values: dict[str, Any] = {
        "plan_id": wrong.take(_plan, tx.clinic, typed["plan_id"], before),
        "rank": wrong.take(_rank, typed["rank"]),
        "member_id": wrong.take(check_member_id, typed["member_id"]),
        "group_number": wrong.take(FIELDS["pronouns"].check, typed["group_number"], "group_number", tx.now.date()),
        "from_day": wrong.take(_day, typed["from_day"], "from_day"),
        "to_day": wrong.take(_day, typed["to_day"], "to_day"),
    }
    values |= _holder(tx, patient, typed, wrong)
    if values["from_day"] and values["to_day"] and values["to_day"] < values["from_day"]:
        wrong.add("to_day", "It ends before it begins. Look at the two dates again.")
    wrong.raise_if_any()
    values["member_key"] = member_key(values["member_id"])
    _check_member(tx, patient, values, typed.get("same_card") == "yes")
    _make_room(tx, patient_id, coverage_id, values, typed.get("end_other") == "yes")
    return _write(tx, patient_id, before, values)


def _before(tx: Transaction, patient_id: int, coverage_id: int, version: int | None) -> Any:
    if not coverage_id:
        return None
    c = schema.coverage
    row = tx.one(select(c).where(c.c.id == coverage_id, c.c.patient_id == patient_id).with_for_update())
    if row is None:
        raise NotFound("This patient has no such coverage.")
    if version is not None and row.version != version:
        raise Stale(
            "Somebody has changed this coverage since you opened it. What you typed is still here: compare, then save again."
        )
    return row


def _plan(clinic: Clinic, text: str, before: Any) -> int:
    plan = clinic.plans.get(int(text)) if text.isdecimal() and len(text) < 10 else None
    if plan is None or not (plan.active or (before and before.plan_id == plan.id)):
        raise Refused("Choose a plan from the list.", "plan_id")
    return plan.id


def _rank(text: str) -> int:
    if text not in {"1", "2", "3"}:
        raise Refused("First, second or third.", "rank")
    return int(text)


def _day(text: str, field: str) -> date | None:
    try:
        return date.fromisoformat(text.strip()) if text.strip() else None
    except ValueError:
        raise Refused("This is not a day. Choose it from the calendar.", field) from None


def _holder(tx: Transaction, patient: Any, typed: Mapping[str, str], wrong: ProblemCollector) -> dict[str, Any]:
    """Who the subscriber is: the patient, another patient, or a person outside who stands in `holder`."""
    kind, relationship = typed["holder"] or "self", typed["relationship"]
    if kind == "self":
        return {"subscriber_id": patient.id, "relationship": "18", "holder": {}}
    if relationship not in RELATIONSHIP_WORDS or relationship == "18":
        wrong.add("relationship", f"What is {patient.first} to the holder? Choose one of the list.")
    if kind == "patient":
        return {
            "subscriber_id": wrong.take(_subscriber, tx, patient, typed),
            "relationship": relationship,
            "holder": {},
        }
    today = tx.now.date()
    born = (
        wrong.take(parse_birth, typed["holder_birth"], today, "holder_birth")
        if typed["holder_birth"].strip()
        else None
    )
    holder = {
        "first": wrong.take(check_name, typed["holder_first"], "holder’s first name", "holder_first"),
        "last": wrong.take(check_name, typed["holder_last"], "holder’s last name", "holder_last"),
        "birth": born.isoformat() if born else "",
    }
    for name in ("sex", "street", "city", "state", "zip"):
        holder[name] = wrong.take(FIELDS[name].check, typed.get(f"holder_{name}", ""), f"holder_{name}", today)
    return {"subscriber_id": None, "relationship": relationship, "holder": holder}


def _subscriber(tx: Transaction, patient: Any, typed: Mapping[str, str]) -> int:
    """The patient who holds the coverage. Refused for oneself, and for somebody who is covered through this very patient."""
    text = typed["subscriber_id"]
    found = (
        tx.one(select(schema.patient).where(schema.patient.c.id == int(text)))
        if text.isdecimal() and len(text) < 10
        else None
    )
    if found is None or found.merged_into_id:
        raise Refused("Choose who holds it: type letters of the name, then pick.", "subscriber_id")
    if found.id == patient.id:
        raise Refused(f"{found.first} holds it then: choose “{HOLDERS['self']}”.", "subscriber_id")
    c = schema.coverage
    loop = tx.one(
        select(c.c.id).where(c.c.patient_id == found.id, c.c.subscriber_id == patient.id, or_(c.c.to_day.is_(None), c.c.to_day >= tx.now.date())).limit(1)
    )  # fmt: skip
    if loop is not None:
        raise Refused(
            f"{found.first} is covered through {patient.first}, so {patient.first} cannot be covered through {found.first}.",
            "subscriber_id",
        )
    return int(found.id)


def _check_member(tx: Transaction, patient: Any, values: Mapping[str, Any], same_card: bool) -> None:
    """The same payer's member id on somebody else's record, who is neither of the household nor the holder, is a slip until somebody says it is not."""
    c, p, pl = schema.coverage, schema.patient, schema.plan
    payer_id = tx.clinic.plans[values["plan_id"]].payer_id
    other = tx.one(
        select(p.c.id, p.c.first, p.c.last)
        .join(c, c.c.patient_id == p.c.id)
        .join(pl, pl.c.id == c.c.plan_id)
        .where(
            c.c.member_key == values["member_key"], pl.c.payer_id == payer_id, p.c.id != patient.id, p.c.household_id != patient.household_id,
            p.c.id != (values["subscriber_id"] or 0), p.c.merged_into_id.is_(None),
        )
        .limit(1)
    )  # fmt: skip
    if other is not None and not same_card:
        raise Conflict(
            f"{values['member_id']} is on file for {other.first} {other.last}. Look at the card; if they really share it, say so below.",
            "member_id",
        )


def _make_room(
    tx: Transaction, patient_id: int, coverage_id: int, values: Mapping[str, Any], end_other: bool
) -> None:
    """No other coverage of that kind and rank on the same days."""
    c, pl = schema.coverage, schema.plan
    dental = tx.clinic.plans[values["plan_id"]].dental
    query = select(c.c.id, c.c.from_day, c.c.to_day, pl.c.name).join(pl, pl.c.id == c.c.plan_id)
    query = query.where(
        c.c.patient_id == patient_id, c.c.id != coverage_id, c.c.rank == values["rank"], pl.c.dental == dental
    )
    first, last = values["from_day"] or date.min, values["to_day"] or date.max
    for other in tx.rows(query.with_for_update()):
        if (other.from_day or date.min) > last or (other.to_day or date.max) < first:
            continue
        rank, kind = RANKS[values["rank"]], "dental" if dental else "medical"
        until = f"until {other.to_day:%-d %b %Y}" if other.to_day else "with no end"
        if not end_other:
            raise Conflict(
                f"{other.name} is the {rank} {kind} coverage already, {until}. End it the day before, or choose another rank.",
                "rank",
            )
        if values["from_day"] is None or (other.from_day or date.min) >= first:
            raise Conflict(
                "To end the other one the day before, this one needs a first day after the other began.", "from_day"
            )
        tx.connection.execute(
            update(c).where(c.c.id == other.id).values(to_day=first - timedelta(days=1), version=c.c.version + 1)
        )
        tx.audit(
            "coverage.ended",
            patient_id=patient_id,
            coverage_id=other.id,
            changed={other.name: ["", f"ends {first - timedelta(days=1)}"]},
        )


def _write(tx: Transaction, patient_id: int, before: Any, values: dict[str, Any]) -> int:
    plan = tx.clinic.plans[values["plan_id"]]
    if before is None:
        coverage_id = tx.add(schema.coverage, patient_id=patient_id, **values)
        changed: dict[str, list[str]] = {"coverage": ["", f"{plan.name} {values['member_id']}"]}
    else:
        coverage_id = before.id
        changed = {
            k: [str(getattr(before, k)), str(v)]
            for k, v in values.items()
            if getattr(before, k) != v and k != "member_key"
        }
        # Another card has not been checked yet.
        forget = (
            {"checked_at": None, "check_state": ""}
            if {"member_id", "plan_id", "subscriber_id"} & set(changed)
            else {}
        )
        tx.connection.execute(
            update(schema.coverage)
            .where(schema.coverage.c.id == before.id)
            .values(**values, **forget, version=before.version + 1)
        )
    tx.audit("coverage.changed", patient_id=patient_id, coverage_id=coverage_id, changed=changed)
    tx.tell("patient", patient_id=patient_id)
    return coverage_id


@act("patients")
def end_coverage(tx: Transaction, patient_id: int, coverage_id: int, last_day: str) -> None:
    """The coverage ends on this day (included)."""
    row = _before(tx, patient_id, coverage_id, None)
    day = _day(last_day, "last_day")
    if day is None:
        raise Refused("Choose the last day it holds.", "last_day")
    if row.from_day and day < row.from_day:
        raise Refused("It ends before it begins. Look at the dates again.", "last_day")
    tx.connection.execute(
        update(schema.coverage).where(schema.coverage.c.id == row.id).values(to_day=day, version=row.version + 1)
    )
    tx.audit(
        "coverage.ended",
        patient_id=patient_id,
        coverage_id=row.id,
        changed={"ends": [str(row.to_day or ""), str(day)]},
    )
    tx.tell("patient", patient_id=patient_id)


@act("patients")
def set_elsewhere(
    tx: Transaction, patient_id: int, coverage_id: int, deductible_cents: int, paid_cents: int, year: int
) -> None:
    """What other clinics have used of this year's deductible and maximum."""
    row = _before(tx, patient_id, coverage_id, None)
    values = {
        "elsewhere_deductible_cents": max(0, deductible_cents),
        "elsewhere_paid_cents": max(0, paid_cents),
        "elsewhere_year": year,
    }
    tx.connection.execute(
        update(schema.coverage).where(schema.coverage.c.id == row.id).values(**values, version=row.version + 1)
    )
    tx.audit(
        "coverage.elsewhere", patient_id=patient_id, coverage_id=row.id, changed={"used elsewhere": ["", f"{values}"]}
    )
    tx.tell("patient", patient_id=patient_id)


def order_words(clinic: Clinic, rows: list[Any]) -> str:
    """Whether two coverages of one kind stand in the order the rules suggest, and why; empty when there is nothing to say."""
    if len(rows) < 2:
        return ""
    found = [
        Candidate(r.id, r.relationship, holder_of(r)["birth"], r.from_day, clinic.payers[r.payer_id].kind == "public")
        for r in rows[:2]
    ]
    first, second = suggested_order(found)
    reason = order_reason(first, second)
    return reason if first.coverage_id == rows[0].id else f"By the usual rule the other one pays first: {reason}."


def holder_of(row: Any) -> dict[str, Any]:
    """First and last name and birth date of a coverage's subscriber, wherever they stand. `row` comes from store.coverage."""
    if row.subscriber_id is not None:
        return {"first": row.holder_first, "last": row.holder_last, "birth": row.holder_birth}
    kept = dict(row.holder)
    return {
        "first": kept.get("first", ""),
        "last": kept.get("last", ""),
        "birth": date.fromisoformat(kept["birth"]) if kept.get("birth") else None,
    }
