"""Taking over the insurance that somebody typed: a new coverage in place of the old one, another card of the
same plan, none anymore; or a word to billing where no plan is sure. And back again.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from typing import Any

from zax.core.coverage.member import member_key
from zax.core.errors import Problems, Refused
from zax.core.json import Json, KeptJson
from zax.core.online.comparing import LATER, Row
from zax.core.online.registration import WHOSE
from zax.core.patients.person import search_key
from zax.core.people.roles import BILLER
from zax.desk.acts.transaction import Transaction
from zax.desk.coverage.coverages import change_card, enter_coverage
from zax.desk.coverage.eligibility import ask_soon
from zax.desk.followup.hand_overs import HandOverForm, hand
from zax.desk.online.comparing import Comparison, on_card, typed_values
from zax.desk.online.registering import pages_for
from zax.store.coverage import queries as covers
from zax.store.coverage.queries import coverages_of
from zax.store.coverage.records import Coverage
from zax.store.patients.patients import members_of


@dataclass(slots=True)
class Taken:
    """What was done, so that it can be undone."""

    fields: dict[str, list[str]] = field(default_factory=dict)
    new_coverages: list[int] = field(default_factory=list)
    ended: list[list[object]] = field(default_factory=list)
    cards: list[list[object]] = field(default_factory=list)
    notes: list[int] = field(default_factory=list)
    files: list[int] = field(default_factory=list)
    status: str = ""

    def as_json(self) -> Json:
        return {
            "fields": self.fields,
            "new_coverages": self.new_coverages,
            "ended": self.ended,
            "cards": self.cards,
            "notes": self.notes,
            "files": self.files,
            "status": self.status,
        }


def picked(row: Row, choices: Mapping[str, str]) -> str:
    """Where nothing comes near there is nothing to choose: it goes to billing."""
    if row.key.endswith("-payer") and not row.picks:
        return LATER
    return choices.get(f"pick-{row.key}", "") or row.chosen


def take_card(
    tx: Transaction, found: Comparison, kind: str, rows: list[Row], choices: Mapping[str, str], done: Taken
) -> None:
    keys = {row.key.removeprefix(f"{kind}-"): row for row in rows}
    if not keys:
        return
    pages = pages_for(tx.connection, tx.clinic, found.row, tx.clinic_day)
    typed = typed_values(found.row, pages, tx.clinic_day).get(kind, {})
    held = on_card(coverages_of(tx.connection, [found.patient.id]), kind, tx.clinic_day)
    if "none" in keys:
        _end(tx, found, held, done)
        return
    if "payer" in keys:
        pick = picked(keys["payer"], choices)
        if pick == LATER:
            _to_billing(tx, found, kind, typed)
            return
        _new_coverage(tx, found, typed, int(pick.removeprefix("plan-")), held, keys, done)
        return
    proposed_payer = any(row.key == f"{kind}-payer" for row in found.rows)
    if held is None or proposed_payer:
        return  # the member ID and group went with a payer that isn't taken
    card = {
        name: typed[part]
        for part, name in (("member", "member_id"), ("group", "group_number"))
        if part in keys
    }
    done.cards.append([held.id, held.member_id, held.group_number])
    change_card(tx, held.id, card)
    ask_soon(tx, held.id, tx.clinic_day)


def _end(tx: Transaction, found: Comparison, held: Coverage | None, done: Taken) -> None:
    if held is None:
        return
    last = tx.clinic_day - timedelta(days=1)
    done.ended.append([held.id, held.to_day.isoformat() if held.to_day else ""])
    covers.save_coverage(tx.connection, held, replace(held, to_day=last, version=held.version + 1))
    tx.audit(
        "coverage.ended",
        patient_id=found.patient.id,
        coverage_id=held.id,
        changed={held.plan_name: ["", f"ends {last}"]},
    )


def _new_coverage(
    tx: Transaction,
    found: Comparison,
    typed: Mapping[str, str],
    plan_id: int,
    held: Coverage | None,
    keys: Mapping[str, Row],
    done: Taken,
) -> None:
    """From today on; the one that it takes the place of ends the day before."""
    if held is not None:
        done.ended.append([held.id, held.to_day.isoformat() if held.to_day else ""])
    whose = typed.get("whose", "") if "whose" in keys else "self"
    holder = _holder_of(tx, found, typed) if whose not in {"", "self"} else {}
    form = {
        "plan_id": str(plan_id),
        "rank": "1",
        "member_id": typed.get("member", ""),
        "group_number": typed.get("group", ""),
        "from_day": tx.clinic_day.isoformat() if held is not None else "",
        "to_day": "",
        "relationship": WHOSE.get(whose, "18"),
        "end_other": "yes",
        "holder": "self",
        "holder_birth": "",
        "holder_first": "",
        "holder_last": "",
        "subscriber_id": "",
    }
    try:
        coverage_id = enter_coverage(tx, found.patient.id, 0, form | holder, None)
    except Problems as error:
        raise Refused(
            f"The plan can’t be taken as typed: {' '.join(error.problems.values())} Leave it for billing, or"
            " correct it on the record.",
            f"pick-{'dental' if tx.clinic.plans[plan_id].dental else 'medical'}-payer",
        ) from error
    done.new_coverages.append(coverage_id)
    ask_soon(tx, coverage_id, tx.clinic_day)


def _holder_of(tx: Transaction, found: Comparison, typed: Mapping[str, str]) -> dict[str, str]:
    """Somebody of the household by that name, else a person outside."""
    first, last = typed.get("holder_first", ""), typed.get("holder_last", "")
    same = [
        each
        for each in members_of(tx.connection, found.patient.household_id)
        if (each.first_key, each.last_key) == (search_key(first), search_key(last))
        and each.id != found.patient.id
    ]
    if len(same) == 1:
        return {"holder": "patient", "subscriber_id": str(same[0].id)}
    return {
        "holder": "outside",
        "holder_first": first,
        "holder_last": last,
        "holder_birth": typed.get("holder_birth", ""),
    }


def _to_billing(tx: Transaction, found: Comparison, kind: str, typed: Mapping[str, str]) -> None:
    said = [f"Find the {kind} plan: “{typed.get('payer', '')}”"]
    said += [f"ID {typed['member']}"] if typed.get("member") else []
    said += [f"group {typed['group']}"] if typed.get("group") else []
    form = HandOverForm(
        about=f"patient-{found.patient.id}", to=f"role-{BILLER.key}", words=", ".join(said)[:200]
    )
    hand(tx, form)


def undo_coverages(tx: Transaction, patient_id: int, taken: KeptJson) -> None:
    for coverage_id in taken.get("new_coverages", ()):
        row = covers.coverage_for_update(tx.connection, patient_id, coverage_id)
        if row is not None:
            _set_days(tx, row, row.from_day or tx.clinic_day, _day_before(row.from_day or tx.clinic_day))
    for coverage_id, to_day in taken.get("ended", ()):
        row = covers.coverage_for_update(tx.connection, patient_id, coverage_id)
        if row is not None:
            _set_days(tx, row, row.from_day, date.fromisoformat(to_day) if to_day else None)
    for coverage_id, member, group in taken.get("cards", ()):
        row = covers.coverage_for_update(tx.connection, patient_id, coverage_id)
        if row is not None:
            after: dict[str, Any] = {
                "member_id": member,
                "member_key": member_key(member),
                "group_number": group,
                "version": row.version + 1,
            }
            covers.save_coverage(tx.connection, row, replace(row, **after))


def _day_before(day: date) -> date:
    """A coverage that was never in force ends before it begins."""
    return day - timedelta(days=1)


def _set_days(tx: Transaction, row: Coverage, first: date | None, last: date | None) -> None:
    after = replace(row, from_day=first, to_day=last, version=row.version + 1)
    covers.save_coverage(tx.connection, row, after)
    tx.audit(
        "coverage.changed",
        patient_id=row.patient_id,
        coverage_id=row.id,
        changed={"until": [str(row.to_day or ""), str(last or "")]},
    )
