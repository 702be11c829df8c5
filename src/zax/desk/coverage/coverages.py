"""A patient's coverages: entered, corrected, ended. Two of one rank and kind never hold on one day; what a
claim went out on stays on file.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace
from datetime import date, timedelta

from zax.core.coverage.member import RELATIONSHIP_WORDS, check_group_number, check_member_id, member_key
from zax.core.coverage.order import Candidate, order_reason, suggested_order
from zax.core.errors import Conflict, NotFound, ProblemCollector, Refused, Stale
from zax.core.patients.fields import FIELDS
from zax.core.patients.person import check_name, parse_birth
from zax.core.reading import day_or_none, optional_day, reference
from zax.core.wording import day_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.patients.details import locked_patient
from zax.store.coverage import queries as stored
from zax.store.coverage.records import Coverage, CoverageTerms
from zax.store.patients.patients import patient_of
from zax.store.patients.records import Patient

RANKS = {1: "first", 2: "second", 3: "third"}
HOLDERS = {"self": "the patient", "patient": "another patient", "outside": "someone else"}


@act("patients")
def save_coverage(
    tx: Transaction, patient_id: int, coverage_id: int, typed: Mapping[str, str], version: int | None
) -> int:
    """Enter (`coverage_id` 0) or correct a coverage; its id. `typed` has the fields of the form; raises
    Problems beside them.

    `end_other` ends an overlapping coverage the day before; `same_card` says that a member id is really
    shared.
    """
    return enter_coverage(tx, patient_id, coverage_id, typed, version)


def enter_coverage(
    tx: Transaction, patient_id: int, coverage_id: int, typed: Mapping[str, str], version: int | None
) -> int:
    """The same within an act."""
    patient = locked_patient(tx, patient_id)
    before = _before(tx, patient_id, coverage_id, version)
    wrong = ProblemCollector()
    plan_id = wrong.take(_plan, tx.clinic, typed["plan_id"], before)
    rank = wrong.take(_rank, typed["rank"])
    member_id = wrong.take(check_member_id, typed["member_id"])
    group = wrong.take(check_group_number, typed["group_number"])
    first = wrong.take(_day, typed["from_day"], "from_day")
    last = wrong.take(_day, typed["to_day"], "to_day")
    subscriber_id, relationship, holder = _holder(tx, patient, typed, wrong)
    if first and last and last < first:
        wrong.add("to_day", "It ends before it starts. Check the two dates.")
    wrong.raise_if_any()
    terms = CoverageTerms(
        plan_id=plan_id or 0,
        rank=rank or 0,
        subscriber_id=subscriber_id,
        relationship=relationship,
        member_id=member_id or "",
        member_key=member_key(member_id or ""),
        group_number=group or "",
        from_day=first,
        to_day=last,
        holder=holder,
    )
    _check_member(tx, patient, terms, typed.get("same_card") == "yes")
    _make_room(tx, patient_id, coverage_id, terms, typed.get("end_other") == "yes")
    return _write(tx, patient_id, before, terms)


def _before(tx: Transaction, patient_id: int, coverage_id: int, version: int | None) -> Coverage | None:
    if not coverage_id:
        return None
    row = stored.coverage_for_update(tx.connection, patient_id, coverage_id)
    if row is None:
        raise NotFound("This patient has no such coverage.")
    if version is not None and row.version != version:
        raise Stale(
            "Someone changed this coverage since you opened it. What you typed is still here: compare,"
            " then save again."
        )
    return row


def _known(tx: Transaction, patient_id: int, coverage_id: int) -> Coverage:
    row = _before(tx, patient_id, coverage_id, None)
    if row is None:
        raise NotFound("This patient has no such coverage.")
    return row


def _plan(clinic: Clinic, text: str, before: Coverage | None) -> int:
    plan = clinic.plans.get(reference(text))
    if plan is None or not (plan.active or (before and before.plan_id == plan.id)):
        raise Refused("Choose a plan from the list.", "plan_id")
    return plan.id


def _rank(text: str) -> int:
    if text not in {"1", "2", "3"}:
        raise Refused("First, second or third.", "rank")
    return int(text)


def _day(text: str, field: str) -> date | None:
    return optional_day(text, field, "This is not a day. Choose it from the calendar.")


def _holder(
    tx: Transaction, patient: Patient, typed: Mapping[str, str], wrong: ProblemCollector
) -> tuple[int | None, str, dict[str, str]]:
    """(subscriber, relationship, holder): the patient, another patient, or a person outside, who then stands
    in the last.
    """
    kind, relationship = typed["holder"] or "self", typed["relationship"]
    if kind == "self":
        return patient.id, "18", {}
    if relationship not in RELATIONSHIP_WORDS or relationship == "18":
        wrong.add("relationship", f"What is {patient.first} to the holder? Choose one of the list.")
    if kind == "patient":
        return wrong.take(_subscriber, tx, patient, typed), relationship, {}
    today = tx.clinic_day
    born = (
        wrong.take(parse_birth, typed["holder_birth"], today, "holder_birth")
        if typed["holder_birth"].strip()
        else None
    )
    holder = {
        "first": wrong.take(check_name, typed["holder_first"], "holder’s first name", "holder_first") or "",
        "last": wrong.take(check_name, typed["holder_last"], "holder’s last name", "holder_last") or "",
        "birth": born.isoformat() if born else "",
    }
    for name in ("sex", "street", "city", "state", "zip"):
        field = f"holder_{name}"
        holder[name] = wrong.take(FIELDS[name].check, typed.get(field, ""), field, today) or ""
    return None, relationship, holder


def _subscriber(tx: Transaction, patient: Patient, typed: Mapping[str, str]) -> int:
    """The patient who holds the coverage. Refused for oneself, and for somebody who is covered through this
    very patient.
    """
    text = typed["subscriber_id"]
    found = patient_of(tx.connection, reference(text))
    if found is None or found.merged_into_id:
        raise Refused("Choose the subscriber: type part of the name, then pick.", "subscriber_id")
    if found.id == patient.id:
        raise Refused(f"{found.first} is the subscriber then: choose “{HOLDERS['self']}”.", "subscriber_id")
    if stored.is_covered_through(tx.connection, found.id, patient.id, tx.clinic_day):
        raise Refused(
            f"{found.first} is covered through {patient.first}, so {patient.first} can’t be covered through"
            f" {found.first}.",
            "subscriber_id",
        )
    return found.id


def _check_member(tx: Transaction, patient: Patient, terms: CoverageTerms, same_card: bool) -> None:
    """The same payer's member id on somebody else's record, who is neither of the household nor the holder,
    is a slip until somebody says it is not.
    """
    other = stored.other_with_member_key(
        tx.connection,
        key=terms.member_key,
        payer_id=tx.clinic.plans[terms.plan_id].payer_id,
        patient_id=patient.id,
        household_id=patient.household_id,
        holder_id=terms.subscriber_id or 0,
    )
    if other is not None and not same_card:
        raise Conflict(
            f"{terms.member_id} is on file for {other}. Check the card. If they really share it, say so"
            " below.",
            "member_id",
        )


def _make_room(
    tx: Transaction, patient_id: int, coverage_id: int, terms: CoverageTerms, end_other: bool
) -> None:
    """No other coverage of that kind and rank on the same days."""
    dental = tx.clinic.plans[terms.plan_id].dental
    first, last = terms.from_day or date.min, terms.to_day or date.max
    for other in stored.rivals_for_update(tx.connection, patient_id, coverage_id, terms.rank, dental):
        if (other.from_day or date.min) > last or (other.to_day or date.max) < first:
            continue
        rank, kind = RANKS[terms.rank], "dental" if dental else "medical"
        until = f"until {day_words(other.to_day, year=True)}" if other.to_day else "no end date"
        if not end_other:
            raise Conflict(
                f"{other.plan_name} is already the {rank} {kind} coverage, {until}. End it the day before, or"
                " choose another order.",
                "end_other",
            )
        if terms.from_day is None or (other.from_day or date.min) >= first:
            raise Conflict(
                "To end the other one the day before, this one needs a start date after the other began.",
                "from_day",
            )
        ends = first - timedelta(days=1)
        stored.save_coverage(tx.connection, other, replace(other, to_day=ends, version=other.version + 1))
        tx.audit(
            "coverage.ended",
            patient_id=patient_id,
            coverage_id=other.id,
            changed={other.plan_name: ["", f"ends {ends}"]},
        )


def _write(tx: Transaction, patient_id: int, before: Coverage | None, terms: CoverageTerms) -> int:
    if before is None:
        plan = tx.clinic.plans[terms.plan_id]
        coverage_id = stored.add_coverage(tx.connection, patient_id, terms)
        changed: dict[str, list[str]] = {"coverage": ["", f"{plan.name} {terms.member_id}"]}
    else:
        coverage_id = before.id
        values = {each.name: getattr(terms, each.name) for each in fields(terms)}
        changed = {
            name: [str(getattr(before, name)), str(value)]
            for name, value in values.items()
            if getattr(before, name) != value and name != "member_key"
        }
        after = replace(before, **values, version=before.version + 1)
        if {"member_id", "plan_id", "subscriber_id"} & set(changed):  # another card has not been checked yet
            after = replace(after, checked_at=None, check_state="")
        stored.save_coverage(tx.connection, before, after)
    tx.audit("coverage.changed", patient_id=patient_id, coverage_id=coverage_id, changed=changed)
    tx.tell("patient", patient_id=patient_id)
    return coverage_id


def change_card(tx: Transaction, coverage_id: int, typed: Mapping[str, str]) -> None:
    """What the insurance card says, `member_id` or `group_number`, of a coverage that stays as it is
    otherwise. Refused beside the field.
    """
    row = stored.one_coverage(tx.connection, coverage_id)
    if row is None:
        raise NotFound("This patient has no such coverage.")
    before = _known(tx, row.patient_id, coverage_id)
    member_id = check_member_id(typed["member_id"]) if "member_id" in typed else before.member_id
    group = check_group_number(typed["group_number"]) if "group_number" in typed else before.group_number
    kept = {each.name: getattr(before, each.name) for each in fields(CoverageTerms)}
    said = {"member_id": member_id, "member_key": member_key(member_id), "group_number": group}
    terms = CoverageTerms(**(kept | said))
    _check_member(tx, locked_patient(tx, row.patient_id), terms, same_card=False)
    _write(tx, row.patient_id, before, terms)


@act("patients")
def end_coverage(tx: Transaction, patient_id: int, coverage_id: int, last_day: str) -> None:
    """The coverage ends on this day (included)."""
    row = _known(tx, patient_id, coverage_id)
    day = _day(last_day, "last_day")
    if day is None:
        raise Refused("Choose its last day.", "last_day")
    if row.from_day and day < row.from_day:
        raise Refused("It ends before it starts. Check the dates.", "last_day")
    stored.save_coverage(tx.connection, row, replace(row, to_day=day, version=row.version + 1))
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
    row = _known(tx, patient_id, coverage_id)
    after = replace(
        row,
        elsewhere_deductible_cents=max(0, deductible_cents),
        elsewhere_paid_cents=max(0, paid_cents),
        elsewhere_year=year,
        version=row.version + 1,
    )
    words = f"{after.elsewhere_deductible_cents} deductible, {after.elsewhere_paid_cents} paid, in {year}"
    stored.save_coverage(tx.connection, row, after)
    tx.audit(
        "coverage.elsewhere",
        patient_id=patient_id,
        coverage_id=row.id,
        changed={"used elsewhere": ["", words]},
    )
    tx.tell("patient", patient_id=patient_id)


def order_words(clinic: Clinic, rows: Sequence[Coverage]) -> str:
    """Whether two coverages of one kind stand in the order the rules suggest, and why; empty when there is
    nothing to say.
    """
    if len(rows) < 2:
        return ""
    found = [
        Candidate(
            r.id, r.relationship, holder_of(r).birth, r.from_day, clinic.payers[r.payer_id].kind == "public"
        )
        for r in rows[:2]
    ]
    first, second = suggested_order(found)
    reason = order_reason(first, second)
    return reason if first.coverage_id == rows[0].id else f"Usually the other one pays first: {reason}."


@dataclass(frozen=True, slots=True)
class Holder:
    first: str
    last: str
    birth: date | None


def holder_of(row: Coverage) -> Holder:
    """A coverage's subscriber, wherever they stand."""
    if row.subscriber_id is not None:
        return Holder(row.holder_first or "", row.holder_last or "", row.holder_birth)
    kept = row.holder
    born = day_or_none(kept.get("birth", ""))
    return Holder(kept.get("first", ""), kept.get("last", ""), born)
