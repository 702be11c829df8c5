"""Two records of one person: noticed while typing, listed for somebody to look at, and merged with nothing
lost.

Likely pairs come from three blocks, each an indexed join: same birth date and last names that sound alike,
same phone and first names that sound alike, same member id. A merge moves every row that names the one
patient to the other (whatever table it is in), keeps the old number as an alias, and leaves the empty record
pointing to the one that stays.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import date

from zax.core.coverage.member import member_key
from zax.core.errors import Conflict, NotFound, Refused
from zax.core.json import KeptJson
from zax.core.patients.fields import FIELDS
from zax.core.patients.likeness import LIKELY, NOTICED, Known, Pair, compare
from zax.core.patients.person import search_key
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.patients.details import name_keys
from zax.store.engine import Connection
from zax.store.patients import duplicates as stored
from zax.store.patients.duplicates import KnownPatient, known_patients
from zax.store.patients.patients import members_of, patients_of, save_patient
from zax.store.patients.records import Patient


@dataclass(frozen=True, slots=True)
class Found:
    """A likely pair with both rows; for typing, `a` is what was typed and has no row."""

    pair: Pair
    a: KnownPatient | None
    b: KnownPatient


def known_of(row: KnownPatient) -> Known:
    """A patient's row (with `members`, ids joined by commas) as it is compared."""
    phones = frozenset(each for each in (row.phone, row.home_phone, row.work_phone) if each)
    members = frozenset((row.members or "").split(",")) - {""}
    return Known(
        id=row.id,
        first=row.first_key,
        last=row.last_key,
        birth=row.birth,
        phones=phones,
        members=members,
        street=row.street,
        email=row.email,
        sex=row.sex,
        used=search_key(row.used_name),
    )


def like_typed(
    connection: Connection, first: str, last: str, birth: date | None, phone: str, member: str = ""
) -> list[Found]:
    """Who on file may be the person being typed, the likeliest first; inactive ones too."""
    keys = name_keys(first, last)
    near = stored.near_patients(
        connection,
        birth=birth,
        first_sound=keys.first_sound,
        last_sound=keys.last_sound,
        phone=phone,
        member=member_key(member),
    )
    typed = Known(
        id=0,
        first=keys.first_key,
        last=keys.last_key,
        birth=birth,
        phones=frozenset({phone} - {""}),
        members=frozenset({member_key(member)} - {""}),
    )
    rows = known_patients(connection, near)
    found = [
        Found(compare(typed, known_of(row)), None, row) for row in rows.values() if row.status != "merged"
    ]
    return sorted(
        (each for each in found if each.pair.points >= NOTICED), key=lambda each: -each.pair.points
    )[:5]


def likely_pairs(connection: Connection, limit: int = 100, most: int = 5000) -> list[Found]:
    """The likeliest pairs on file that nobody has called two people, the best first."""
    pairs = stored.pairs_to_compare(connection, most)
    rows = known_patients(connection, {number for pair in pairs for number in pair})
    found = [Found(compare(known_of(rows[a]), known_of(rows[b])), rows[a], rows[b]) for a, b in pairs]
    return sorted(
        (each for each in found if each.pair.points >= LIKELY),
        key=lambda each: (-each.pair.points, each.pair.a),
    )[:limit]


def likely_of(connection: Connection, row: KnownPatient) -> list[Found]:
    """Who on file may be the same person as this one, and nobody has called another."""
    member = next(iter((row.members or "").split(",")), "")
    found = like_typed(connection, row.first, row.last, row.birth, row.phone, member)
    apart = stored.called_two(connection, row.id) | {row.id}
    others = [each.b for each in found if each.b.id not in apart]
    return [Found(compare(known_of(row), known_of(other)), row, other) for other in others]


def compare_rows(connection: Connection, a: int, b: int) -> Pair:
    rows = known_patients(connection, [a, b])
    return compare(known_of(rows[a]), known_of(rows[b]))


@act("patients")
def call_two(tx: Transaction, a: int, b: int) -> None:
    """Somebody looked: these are two people. They are not offered again."""
    low, high = min(a, b), max(a, b)
    stored.call_two(tx.connection, low, high, tx.now, tx.actor.id)
    tx.audit("patient.two", patient_id=low, other=high)


@dataclass(frozen=True, slots=True)
class Choice:
    """One field of a preview: both values as stored, and which side is kept unless somebody says
    otherwise.
    """

    name: str
    words: str
    keep: object
    drop: object
    suggested: str


def preview(
    connection: Connection, clinic: Clinic, keep_id: int, drop_id: int
) -> tuple[Patient, Patient, list[Choice], dict[str, tuple[int, int]]]:
    """(both rows, the fields that differ, how many rows of each kind either side has). NotFound, or Refused
    for one and the same.
    """
    keep, drop = _pair(connection, keep_id, drop_id)
    choices = [
        Choice(
            name,
            field.words,
            keep.value(name),
            drop.value(name),
            "keep" if keep.value(name) else "drop",
        )
        for name, field in clinic.record_fields.items()
        if keep.value(name) != drop.value(name)
    ]
    counted = {}
    for words, table in (
        ("visits", "visit"),
        ("journal entries", "journal"),
        ("claims", "claim"),
        ("coverages", "coverage"),
        ("files", "patient_file"),
        ("notes", "patient_note"),
        ("planned services", "planned_service"),
        ("earlier dental work", "tooth_work"),
    ):
        counted[words] = (
            stored.count_rows(connection, table, keep_id),
            stored.count_rows(connection, table, drop_id),
        )
    return keep, drop, choices, counted


def _pair(connection: Connection, keep_id: int, drop_id: int, lock: bool = False) -> tuple[Patient, Patient]:
    if keep_id == drop_id:
        raise Refused("Choose two different records.")
    both = (keep_id, drop_id)
    rows = stored.both_for_update(connection, *both) if lock else patients_of(connection, both)
    if set(rows) != {keep_id, drop_id}:
        raise NotFound("There is no such patient.")
    if any(row.merged_into_id for row in rows.values()):
        raise Conflict("One of them was already merged. Check the list again.")
    return rows[keep_id], rows[drop_id]


@act("merge")
def merge(
    tx: Transaction, keep_id: int, drop_id: int, sides: Mapping[str, str], versions: tuple[int, int]
) -> int:
    """Make one record of two; the id that stays. `sides` says for a field which side's value is kept ("keep"
    or "drop").
    """
    return make_one(tx, keep_id, drop_id, sides, versions)


def make_one(
    tx: Transaction, keep_id: int, drop_id: int, sides: Mapping[str, str], versions: tuple[int, int]
) -> int:
    """The same within an act."""
    keep, drop = _pair(tx.connection, keep_id, drop_id, lock=True)
    if (keep.version, drop.version) != versions:
        raise Conflict("One of the records changed since you opened this. Compare them again.")
    values = {
        name: drop.value(name)
        for name in (*FIELDS, *{**keep.own, **drop.own})
        if (sides.get(name) or ("keep" if keep.value(name) else "drop")) == "drop"
    }
    changed = {
        name: [str(keep.value(name) or ""), str(value or "")]
        for name, value in values.items()
        if keep.value(name) != value
    }
    stored.end_doubles(tx.connection, keep_id, drop_id, tx.now, tx.actor.id)
    moved = stored.move_rows(tx.connection, keep_id, drop_id)
    stored.leave_numbers(tx.connection, keep_id, drop)
    keep, drop = _hand_household(tx, keep, drop)
    gone = replace(
        drop, status="merged", merged_into_id=keep_id, guarantor=False, chart=None, version=drop.version + 1
    )
    save_patient(tx.connection, drop, gone)
    save_patient(tx.connection, keep, _together(keep, drop, values))
    tx.audit(
        "patient.merged",
        patient_id=keep_id,
        other=drop_id,
        name=f"{drop.first} {drop.last}",
        changed=changed,
        moved=moved,
    )
    tx.audit("patient.merged_away", patient_id=drop_id, into=keep_id)
    tx.tell("patient", patient_id=keep_id)
    return keep_id


def _together(keep: Patient, drop: Patient, chosen: KeptJson) -> Patient:
    """The record that stays, with the chosen fields of the other and what it did not have itself."""
    made = keep.with_values(chosen)
    keys = name_keys(made.first, made.last)
    return replace(
        made,
        first_key=keys.first_key,
        last_key=keys.last_key,
        first_sound=keys.first_sound,
        last_sound=keys.last_sound,
        photo=keep.photo or drop.photo,
        ssn_cipher=keep.ssn_cipher or drop.ssn_cipher,
        died_on=keep.died_on or drop.died_on,
        reach={**drop.reach, **keep.reach},
        likes=keep.likes or drop.likes,
        never=keep.never or drop.never,
        chart=keep.chart or drop.chart,
        version=keep.version + 1,
    )


def _hand_household(tx: Transaction, keep: Patient, drop: Patient) -> tuple[Patient, Patient]:
    """Who was paid for by the record that goes comes along to the one that stays; inside one household only
    the paying moves.

    Both records as they are written now.
    """
    kept, gone = keep, replace(drop, household_id=keep.household_id)
    others = [
        each.id for each in members_of(tx.connection, drop.household_id) if each.id not in (keep.id, drop.id)
    ]
    if keep.household_id == drop.household_id:
        kept = replace(keep, guarantor=keep.guarantor or drop.guarantor)
    elif drop.guarantor and others:
        stored.move_members(tx.connection, others, keep.household_id)
    save_patient(tx.connection, keep, kept)
    save_patient(tx.connection, drop, gone)
    return kept, gone
