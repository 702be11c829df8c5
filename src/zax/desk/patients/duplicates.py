"""Two records of one person: noticed while typing, listed for somebody to look at, and merged with nothing lost.

Likely pairs come from three blocks, each an indexed join: same birth date and last names that sound alike, same phone and first names that
sound alike, same member id. A merge moves every row that names the one patient to the other (whatever table it is in), keeps the old number
as an alias, and leaves the empty record pointing to the one that stays.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import Connection, bindparam, insert, select, text, update

from zax.core.coverage.member import member_key
from zax.core.errors import Conflict, NotFound, Refused
from zax.core.patients.fields import FIELDS
from zax.core.patients.likeness import LIKELY, NOTICED, Known, Pair, compare
from zax.core.patients.person import search_key
from zax.core.patients.sounds import sound_of
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.patients.details import name_keys
from zax.desk.patients.household import members_of
from zax.store import schema

# Rows that stay with the record they were written for: who looked, what was done, the wake-up calls of screens.
STAYS = frozenset({"audit", "look", "feed", "patient_alias", "import_row"})
_BLOCKS = (
    "SELECT a.id AS a, b.id AS b FROM patient a JOIN patient b ON b.birth = a.birth AND b.last_sound = a.last_sound AND b.id > a.id WHERE a.birth IS NOT NULL AND a.last_sound <> ''",
    "SELECT a.id AS a, b.id AS b FROM patient a JOIN patient b ON b.phone = a.phone AND b.first_sound = a.first_sound AND b.id > a.id WHERE a.phone <> '' AND a.first_sound <> ''",
    "SELECT a.patient_id AS a, b.patient_id AS b FROM coverage a JOIN coverage b ON b.member_key = a.member_key AND b.patient_id > a.patient_id WHERE a.member_key <> ''",
)  # fmt: skip
_PAIRS = text(
    "SELECT DISTINCT x.a, x.b FROM (" + " UNION ALL ".join(f"({block} LIMIT :most)" for block in _BLOCKS) + ") x "
    "JOIN patient p ON p.id = x.a JOIN patient q ON q.id = x.b LEFT JOIN not_same n ON n.low_id = x.a AND n.high_id = x.b "
    "WHERE p.status <> 'merged' AND q.status <> 'merged' AND n.low_id IS NULL"
)
_KNOWN = text(
    "SELECT p.*, (SELECT GROUP_CONCAT(c.member_key) FROM coverage c WHERE c.patient_id = p.id AND c.member_key <> '') AS members FROM patient p WHERE p.id IN :ids"
).bindparams(bindparam("ids", expanding=True))
_NEAR = text(
    "(SELECT id FROM patient WHERE birth = :birth AND last_sound = :last LIMIT 20) UNION (SELECT id FROM patient WHERE birth = :birth AND first_sound = :first LIMIT 20) "
    "UNION (SELECT id FROM patient WHERE phone = :phone AND :phone <> '' AND first_sound = :first LIMIT 20) "
    "UNION (SELECT id FROM patient WHERE last_sound = :last AND first_sound = :first AND :last <> '' LIMIT 20) "
    "UNION (SELECT patient_id FROM coverage WHERE member_key = :member AND :member <> '' LIMIT 20)"
)


@dataclass(frozen=True, slots=True)
class Found:
    """A likely pair with both rows; for typing, `a` is what was typed and has no row."""

    pair: Pair
    a: Any
    b: Any


def known_of(row: Any) -> Known:
    """A patient's row (with `members`, ids joined by commas) as it is compared."""
    phones = frozenset(each for each in (row.phone, row.home_phone, row.work_phone) if each)
    members = frozenset((row.members or "").split(",")) - {""}
    return Known(
        row.id,
        row.first_key,
        row.last_key,
        row.birth,
        phones,
        members,
        row.street,
        row.email,
        row.sex,
        search_key(row.used_name),
    )


def rows_of(connection: Connection, ids: Iterable[int]) -> dict[int, Any]:
    return {row.id: row for row in connection.execute(_KNOWN, {"ids": list(ids) or [0]})}


def like_typed(
    connection: Connection, first: str, last: str, birth: date | None, phone: str, member: str = ""
) -> list[Found]:
    """Who on file may be the person being typed, the likeliest first; inactive ones too."""
    keys = name_keys(first, last)
    near = connection.execute(
        _NEAR, {"birth": birth, "last": sound_of(search_key(last)), "first": sound_of(search_key(first)), "phone": phone, "member": member_key(member)}
    ).scalars()  # fmt: skip
    typed = Known(
        0,
        keys["first_key"],
        keys["last_key"],
        birth,
        frozenset({phone} - {""}),
        frozenset({member_key(member)} - {""}),
    )
    rows = rows_of(connection, near)
    found = [Found(compare(typed, known_of(row)), None, row) for row in rows.values() if row.status != "merged"]
    return sorted((each for each in found if each.pair.points >= NOTICED), key=lambda each: -each.pair.points)[:5]


def likely_pairs(connection: Connection, limit: int = 100, most: int = 5000) -> list[Found]:
    """The likeliest pairs on file that nobody has called two people, the best first."""
    pairs = connection.execute(_PAIRS, {"most": most}).all()
    rows = rows_of(connection, {number for pair in pairs for number in (pair.a, pair.b)})
    found = [Found(compare(known_of(rows[p.a]), known_of(rows[p.b])), rows[p.a], rows[p.b]) for p in pairs]
    return sorted(
        (each for each in found if each.pair.points >= LIKELY), key=lambda each: (-each.pair.points, each.pair.a)
    )[:limit]


def likely_of(connection: Connection, row: Any) -> list[Found]:
    """Who on file may be the same person as this one."""
    member = next(iter((row.members or "").split(",")), "")
    found = like_typed(connection, row.first, row.last, row.birth, row.phone, member)
    others = [each.b for each in found if each.b.id != row.id]
    return [Found(compare(known_of(row), known_of(other)), row, other) for other in others]


def compare_rows(connection: Connection, a: int, b: int) -> Pair:
    rows = rows_of(connection, [a, b])
    return compare(known_of(rows[a]), known_of(rows[b]))


@act("patients")
def call_two(tx: Transaction, a: int, b: int) -> None:
    """Somebody looked: these are two people. They are not offered again."""
    low, high = min(a, b), max(a, b)
    n = schema.not_same
    tx.connection.execute(
        insert(n).prefix_with("IGNORE").values(low_id=low, high_id=high, at=tx.now, by_id=tx.actor.id)
    )
    tx.audit("patient.two", patient_id=low, other=high)


@dataclass(frozen=True, slots=True)
class Choice:
    """One field of a preview: both values as stored, and which side is kept unless somebody says otherwise."""

    name: str
    words: str
    keep: Any
    drop: Any
    suggested: str


def preview(
    connection: Connection, keep_id: int, drop_id: int
) -> tuple[Any, Any, list[Choice], dict[str, tuple[int, int]]]:
    """(both rows, the fields that differ, how many rows of each kind either side has). NotFound, or Refused for one and the same."""
    keep, drop = _pair(connection, keep_id, drop_id)
    choices = [
        Choice(name, field.words, getattr(keep, name), getattr(drop, name), "keep" if getattr(keep, name) else "drop")
        for name, field in FIELDS.items()
        if getattr(keep, name) != getattr(drop, name)
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
    ):
        sides = [
            int(
                connection.execute(
                    text(f"SELECT COUNT(*) FROM {table} WHERE patient_id = :id"), {"id": number}
                ).scalar_one()
            )
            for number in (keep_id, drop_id)
        ]
        counted[words] = (sides[0], sides[1])
    return keep, drop, choices, counted


def _pair(connection: Connection, keep_id: int, drop_id: int, lock: bool = False) -> tuple[Any, Any]:
    if keep_id == drop_id:
        raise Refused("Choose two different records.")
    query = select(schema.patient).where(schema.patient.c.id.in_((keep_id, drop_id))).order_by(schema.patient.c.id)
    rows = {row.id: row for row in connection.execute(query.with_for_update() if lock else query)}
    if set(rows) != {keep_id, drop_id}:
        raise NotFound("There is no such patient.")
    if any(row.merged_into_id for row in rows.values()):
        raise Conflict("One of them was merged before. Look at the list again.")
    return rows[keep_id], rows[drop_id]


@act("merge")
def merge(tx: Transaction, keep_id: int, drop_id: int, sides: Mapping[str, str], versions: tuple[int, int]) -> int:
    """Make one record of two; the id that stays. `sides` says for a field which side's value is kept ("keep" or "drop")."""
    keep, drop = _pair(tx.connection, keep_id, drop_id, lock=True)
    if (keep.version, drop.version) != versions:
        raise Conflict("One of the records has changed since you opened this. Look at both sides again.")
    values = {
        name: getattr(drop, name)
        for name in FIELDS
        if (sides.get(name) or ("keep" if getattr(keep, name) else "drop")) == "drop"
    }
    changed = {
        name: [str(getattr(keep, name) or ""), str(value or "")]
        for name, value in values.items()
        if getattr(keep, name) != value
    }
    values |= name_keys(values.get("first", keep.first), values.get("last", keep.last))
    for name in ("photo", "ssn_cipher", "died_on"):
        values[name] = getattr(keep, name) or getattr(drop, name)
    values |= {
        "reach": dict(drop.reach) | dict(keep.reach),
        "likes": keep.likes or drop.likes,
        "never": keep.never or drop.never,
    }
    _clear_doubles(tx, keep_id, drop_id)
    moved = _move_rows(tx, keep_id, drop_id)
    _leave_number(tx, keep_id, drop)
    _hand_household(tx, keep, drop)
    p = schema.patient
    tx.connection.execute(
        update(p)
        .where(p.c.id == drop_id)
        .values(status="merged", merged_into_id=keep_id, guarantor=False, chart=None, version=drop.version + 1)
    )
    tx.connection.execute(
        update(p).where(p.c.id == keep_id).values(**values, chart=keep.chart or drop.chart, version=keep.version + 1)
    )
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


def _clear_doubles(tx: Transaction, keep_id: int, drop_id: int) -> None:
    """What may be open only once a person ends on the side that goes: flags both have, waitlist reasons both have."""
    both = {"keep": keep_id, "drop": drop_id, "now": tx.now, "who": tx.actor.id}
    tx.connection.execute(
        text("UPDATE patient_flag d JOIN patient_flag k ON k.flag_id = d.flag_id AND k.patient_id = :keep AND k.ended_at IS NULL SET d.ended_at = :now WHERE d.patient_id = :drop AND d.ended_at IS NULL"), both,
    )  # fmt: skip
    tx.connection.execute(
        text(
            "UPDATE waiting d JOIN waiting k ON k.why = d.why AND k.type_id = d.type_id AND k.patient_id = :keep AND k.ended_at IS NULL "
            "SET d.ended_at = :now, d.ended_by = :who, d.ended_why = 'records merged' WHERE d.patient_id = :drop AND d.ended_at IS NULL"
        ),
        both,
    )


def naming_columns() -> Sequence[tuple[str, str]]:
    """Every (table, column) that names a patient and follows a merge, read from the schema so that no table can be forgotten."""
    named = [
        (table.name, column.name)
        for table in schema.metadata.sorted_tables
        for column in table.columns
        if table.name not in STAYS | {"not_same"}
        and (column.name == "patient_id" or any(key.target_fullname == "patient.id" for key in column.foreign_keys))
    ]
    return [(table, column) for table, column in named if table != "patient"]


def _move_rows(tx: Transaction, keep_id: int, drop_id: int) -> dict[str, int]:
    moved = {}
    for table, column in naming_columns():
        done = tx.connection.execute(
            text(f"UPDATE `{table}` SET {column} = :keep WHERE {column} = :drop"), {"keep": keep_id, "drop": drop_id}
        )
        if done.rowcount:
            moved[f"{table}.{column}"] = done.rowcount
    tx.connection.execute(
        text("UPDATE outbox SET payload = JSON_SET(payload, '$.patient_id', :keep) WHERE state = 'waiting' AND JSON_VALUE(payload, '$.patient_id') = :drop"), {"keep": keep_id, "drop": drop_id}
    )  # fmt: skip
    return moved


def _leave_number(tx: Transaction, keep_id: int, drop: Any) -> None:
    """The number that goes, and all that went before it, find the one that stays."""
    a, p = schema.patient_alias, schema.patient
    tx.connection.execute(update(a).where(a.c.patient_id == drop.id).values(patient_id=keep_id))
    tx.connection.execute(update(p).where(p.c.merged_into_id == drop.id).values(merged_into_id=keep_id))
    for number in {str(drop.id), drop.chart or ""} - {""}:
        tx.connection.execute(insert(a).values(number=number, patient_id=keep_id))


def _hand_household(tx: Transaction, keep: Any, drop: Any) -> None:
    """Who was paid for by the record that goes comes along to the one that stays; inside one household only the paying moves."""
    p = schema.patient
    others = [each for each in members_of(tx.connection, drop.household_id) if each.id not in (keep.id, drop.id)]
    if keep.household_id == drop.household_id:
        if drop.guarantor:
            tx.connection.execute(update(p).where(p.c.id == keep.id).values(guarantor=True))
    elif drop.guarantor and others:
        tx.connection.execute(
            update(p).where(p.c.id.in_([each.id for each in others])).values(household_id=keep.household_id)
        )
    tx.connection.execute(update(p).where(p.c.id == drop.id).values(household_id=keep.household_id))
