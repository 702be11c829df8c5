"""Looking for two records of one person, and moving everything from one to the other.

Likely pairs come from three blocks, each an indexed join: same birth date and last names that sound alike,
same phone and first names that sound alike, same member id. Which columns name a patient is read from the
schema, so that no table can be forgotten.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, bindparam, insert, or_, select, text, update

from zax.store.acts.outbox import ErrandState
from zax.store.patients.records import Patient
from zax.store.patients.tables import not_same, patient, patient_alias
from zax.store.rows import many
from zax.store.schema import metadata

# Rows that stay with the record they were written for: who looked, what was done, the wake-up calls of
# screens; and who had the one that goes on the phone.
STAYS = frozenset({"audit", "look", "feed", "patient_alias", "import_row", "call_lock"})
_BLOCKS = (
    (
        "SELECT a.id AS a, b.id AS b FROM patient a JOIN patient b ON b.birth = a.birth AND b.last_sound ="
        " a.last_sound AND b.id > a.id WHERE a.birth IS NOT NULL AND a.last_sound <> ''"
    ),
    (
        "SELECT a.id AS a, b.id AS b FROM patient a JOIN patient b ON b.phone = a.phone AND b.first_sound ="
        " a.first_sound AND b.id > a.id WHERE a.phone <> '' AND a.first_sound <> ''"
    ),
    (
        "SELECT a.patient_id AS a, b.patient_id AS b FROM coverage a JOIN coverage b ON b.member_key ="
        " a.member_key AND b.patient_id > a.patient_id WHERE a.member_key <> ''"
    ),
)
_PAIRS = text(
    "SELECT DISTINCT x.a, x.b FROM ("
    + " UNION ALL ".join(f"({block} LIMIT :most)" for block in _BLOCKS)
    + ") x JOIN patient p ON p.id = x.a JOIN patient q ON q.id = x.b LEFT JOIN not_same n ON n.low_id = x.a"
    " AND n.high_id = x.b WHERE p.status <> 'merged' AND q.status <> 'merged' AND n.low_id IS NULL"
)
_KNOWN = text(
    """
    SELECT p.*, (SELECT GROUP_CONCAT(c.member_key) FROM coverage c WHERE c.patient_id = p.id AND
        c.member_key <> '') AS members
    FROM patient p
    WHERE p.id IN :ids
    """
).bindparams(bindparam("ids", expanding=True))
_NEAR = text(
    """
    (SELECT id FROM patient WHERE birth = :birth AND last_sound = :last LIMIT 20) UNION (SELECT id FROM
        patient WHERE birth = :birth AND first_sound = :first LIMIT 20) UNION (SELECT id FROM patient WHERE
        phone = :phone AND :phone <> '' AND first_sound = :first LIMIT 20) UNION (SELECT id FROM patient
        WHERE last_sound = :last AND first_sound = :first AND :last <> '' LIMIT 20) UNION (SELECT patient_id
        FROM coverage WHERE member_key = :member AND :member <> '' LIMIT 20)
    """
)


@dataclass(frozen=True, slots=True, kw_only=True)
class KnownPatient(Patient):
    """A patient with their member ids as they are compared, joined by commas."""

    members: str | None


def known_patients(connection: Connection, ids: Iterable[int]) -> dict[int, KnownPatient]:
    return {each.id: each for each in many(connection, _KNOWN, KnownPatient, ids=list(ids) or [0])}


def near_patients(
    connection: Connection, *, birth: date | None, first_sound: str, last_sound: str, phone: str, member: str
) -> list[int]:
    """Who shares enough with these facts to be compared."""
    values = {"birth": birth, "last": last_sound, "first": first_sound, "phone": phone, "member": member}
    return [*connection.execute(_NEAR, values).scalars()]


def pairs_to_compare(connection: Connection, most: int) -> list[tuple[int, int]]:
    """At most so many pairs of each block, without those that somebody has called two people."""
    return [(row.a, row.b) for row in connection.execute(_PAIRS, {"most": most})]


def call_two(connection: Connection, low_id: int, high_id: int, at: datetime, by_id: int | None) -> None:
    values = {"low_id": low_id, "high_id": high_id, "at": at, "by_id": by_id}
    connection.execute(insert(not_same).prefix_with("IGNORE").values(**values))


def called_two(connection: Connection, patient_id: int) -> set[int]:
    """Whom somebody has looked at and found to be another person than this one."""
    pairs = select(not_same.c.low_id, not_same.c.high_id).where(
        or_(not_same.c.low_id == patient_id, not_same.c.high_id == patient_id)
    )
    return {number for pair in connection.execute(pairs) for number in pair} - {patient_id}


def both_for_update(connection: Connection, one_id: int, other_id: int) -> dict[int, Patient]:
    """Both held, always in the same order."""
    query = (
        select(patient).where(patient.c.id.in_((one_id, other_id))).order_by(patient.c.id).with_for_update()
    )
    return {each.id: each for each in many(connection, query, Patient)}


def count_rows(connection: Connection, table: str, patient_id: int) -> int:
    """How many rows of a table name the patient; `table` is one of ours, never typed."""
    query = text(f"SELECT COUNT(*) FROM `{table}` WHERE patient_id = :id")
    return int(connection.execute(query, {"id": patient_id}).scalar_one())


def end_doubles(connection: Connection, keep_id: int, drop_id: int, now: datetime, by_id: int | None) -> None:
    """What may be open only once a person ends on the side that goes: flags both have, waitlist reasons both
    have, recalls of one type, of which the sooner day stays and a pause only where both are paused; a second
    password, everybody's session at the record that goes (it would show more than its sign-in proved), and
    whom both may see, or each other.
    """
    both = {"keep": keep_id, "drop": drop_id, "now": now, "who": by_id}
    connection.execute(_END_FLAGS, both)
    connection.execute(_END_WAITING, both)
    connection.execute(_SOONER_RECALLS, both)
    connection.execute(_END_RECALLS, both)
    for ends in _END_OWN:
        connection.execute(ends, both)


_END_FLAGS = text(
    """
    UPDATE patient_flag d
    JOIN patient_flag k ON k.flag_id = d.flag_id AND k.patient_id = :keep AND k.ended_at IS NULL
    SET d.ended_at = :now
    WHERE d.patient_id = :drop AND d.ended_at IS NULL
    """
)
_END_WAITING = text(
    """
    UPDATE waiting d
    JOIN waiting k ON k.why = d.why AND k.type_id = d.type_id AND k.patient_id = :keep AND k.ended_at IS
        NULL
    SET d.ended_at = :now, d.ended_by = :who, d.ended_why = 'records merged'
    WHERE d.patient_id = :drop AND d.ended_at IS NULL
    """
)
_BOTH_RECALLED = """
    UPDATE recall d
    JOIN recall k ON k.recall_type_id = d.recall_type_id AND k.patient_id = :keep AND k.ended_at IS NULL
    {0}
    WHERE d.patient_id = :drop AND d.ended_at IS NULL
    """
_SOONER_RECALLS = text(
    _BOTH_RECALLED.format(
        "SET k.paused_until = LEAST(k.paused_until, d.paused_until), k.due_day = LEAST(k.due_day, d.due_day)"
    )
)
_END_RECALLS = text(
    _BOTH_RECALLED.format("SET d.ended_at = :now, d.ended_by = :who, d.ended_how = 'records merged'")
)
_BOTH_ALLOWED = """
    UPDATE own_allowed d
    JOIN own_allowed k ON k.{0} = d.{0} AND k.{1} = :keep AND k.ended_at IS NULL
    SET d.ended_at = :now, d.ended_by = :who
    WHERE d.{1} = :drop AND d.ended_at IS NULL
    """
_END_OWN = (
    text("DELETE d FROM own_login d JOIN own_login k ON k.patient_id = :keep WHERE d.patient_id = :drop"),
    text("UPDATE own_session SET ended_at = :now WHERE patient_id = :drop AND ended_at IS NULL"),
    text(
        """
        UPDATE own_allowed
        SET ended_at = :now, ended_by = :who
        WHERE patient_id IN (:keep, :drop) AND for_id IN (:keep, :drop) AND ended_at IS NULL
        """
    ),
    text(_BOTH_ALLOWED.format("for_id", "patient_id")),
    text(_BOTH_ALLOWED.format("patient_id", "for_id")),
)
_MOVE_ERRANDS = text(
    f"""
    UPDATE outbox
    SET payload = JSON_SET(payload, '$.patient_id', :keep)
    WHERE state = '{ErrandState.WAITING}' AND JSON_VALUE(payload, '$.patient_id') = :drop
    """
)


def naming_columns() -> Sequence[tuple[str, str]]:
    """Every (table, column) that names a patient and follows a merge."""
    named = [
        (table.name, column.name)
        for table in metadata.sorted_tables
        for column in table.columns
        if table.name not in STAYS | {"not_same"}
        and (
            column.name == "patient_id"
            or any(key.target_fullname == "patient.id" for key in column.foreign_keys)
        )
    ]
    return [(table, column) for table, column in named if table != "patient"]


def move_rows(connection: Connection, keep_id: int, drop_id: int) -> dict[str, int]:
    """Everything of the one to the other; how many rows by table and column."""
    both = {"keep": keep_id, "drop": drop_id}
    moved = {}
    for table, column in naming_columns():
        done = connection.execute(text(f"UPDATE `{table}` SET {column} = :keep WHERE {column} = :drop"), both)
        if done.rowcount:
            moved[f"{table}.{column}"] = done.rowcount
    connection.execute(_MOVE_ERRANDS, both)
    return moved


def leave_numbers(connection: Connection, keep_id: int, drop: Patient) -> None:
    """The number that goes, and all that went before it, find the one that stays."""
    a, p = patient_alias, patient
    connection.execute(update(a).where(a.c.patient_id == drop.id).values(patient_id=keep_id))
    connection.execute(update(p).where(p.c.merged_into_id == drop.id).values(merged_into_id=keep_id))
    for number in {str(drop.id), drop.chart or ""} - {""}:
        connection.execute(insert(a).values(number=number, patient_id=keep_id))


def move_members(connection: Connection, patient_ids: Sequence[int], household_id: int) -> None:
    connection.execute(update(patient).where(patient.c.id.in_(patient_ids)).values(household_id=household_id))
