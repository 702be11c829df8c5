"""The diagnoses of a visit, from the whole of ICD-10-CM: found by code or words, at most twelve, the first one the main reason."""

from __future__ import annotations

from typing import Any

from sqlalchemy import delete, func, select, text, update

from zax.core.charges.lines import MOST_DIAGNOSES
from zax.core.errors import Refused
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.charges.charges import lines_changed, open_visit
from zax.store import schema
from zax.store.money import queries as money


@act("charges")
def add_diagnosis(tx: Transaction, visit_id: int, code: str, patient_id: int | None = None) -> None:
    """The next diagnosis of the visit; it must be a billable code of ICD-10-CM, not a heading."""
    visit = open_visit(tx, visit_id, patient_id)
    found = tx.one(select(schema.diagnosis_code).where(schema.diagnosis_code.c.code == code.strip().upper()))
    if found is None:
        raise Refused("Choose a diagnosis from the list.", "diagnosis")
    if not found.billable:
        raise Refused(f"{found.code} is a heading. Choose one of the codes below it.", "diagnosis")
    present = money.visit_diagnoses(tx.connection, visit.id)
    if any(row.code == found.code for row in present):
        raise Refused(f"{found.code} is already on this visit.", "diagnosis")
    if len(present) >= MOST_DIAGNOSES:
        raise Refused(f"A claim carries at most {MOST_DIAGNOSES} diagnoses.", "diagnosis")
    position = max((row.position for row in present), default=0) + 1
    tx.connection.execute(
        schema.visit_diagnosis.insert().values(visit_id=visit.id, position=position, code=found.code)
    )
    lines_changed(tx, visit, "diagnosis.added", code=found.code)


@act("charges")
def remove_diagnosis(tx: Transaction, visit_id: int, code: str) -> None:
    """Off the visit, and off the lines that pointed to it."""
    visit = open_visit(tx, visit_id)
    table, line = schema.visit_diagnosis, schema.charge_line
    tx.connection.execute(delete(table).where(table.c.visit_id == visit.id, table.c.code == code))
    for row in money.visit_lines(tx.connection, visit.id):
        if code in row.points_to:
            left = [each for each in row.points_to if each != code]
            tx.connection.execute(update(line).where(line.c.id == row.id).values(points_to=left))
    lines_changed(tx, visit, "diagnosis.removed", code=code)


@act("charges")
def make_main(tx: Transaction, visit_id: int, code: str) -> None:
    """This diagnosis first: it becomes A, the others follow in their order."""
    visit = open_visit(tx, visit_id)
    table = schema.visit_diagnosis
    codes = [row.code for row in money.visit_diagnoses(tx.connection, visit.id)]
    if code not in codes:
        raise Refused(f"{code} is not on this visit any more.", "diagnosis")
    tx.connection.execute(delete(table).where(table.c.visit_id == visit.id))
    ordered = [code, *(each for each in codes if each != code)]
    tx.connection.execute(
        table.insert(),
        [{"visit_id": visit.id, "position": at, "code": each} for at, each in enumerate(ordered, 1)],
    )
    lines_changed(tx, visit, "diagnosis.first", code=code)


def find_diagnoses(connection: Any, typed: str, limit: int = 12) -> list[Any]:
    """Codes by their beginning, or by words in any order (the last may be unfinished); billable ones first."""
    typed = " ".join(typed.split())[:60]
    table = schema.diagnosis_code
    if len(typed) < 2:
        return []
    if typed[0].isalpha() and any(ch.isdecimal() for ch in typed[1:3]):
        query = select(table).where(table.c.code.like(typed.upper().replace("%", "") + "%")).order_by(table.c.code)
        return list(connection.execute(query.limit(limit)).all())
    words = ["".join(ch for ch in word if ch.isalnum()) for word in typed.lower().split()]
    terms = " ".join(f"+{word}*" for word in words if len(word) > 1)
    if not terms:
        return []
    match = text("MATCH(words) AGAINST (:terms IN BOOLEAN MODE)")
    query = select(table).where(match).order_by(table.c.billable.desc(), func.length(table.c.words), table.c.code)
    return list(connection.execute(query.limit(limit), {"terms": terms}).all())
