"""The diagnoses of a visit, from the whole of ICD-10-CM: found by code or words, at most twelve, the first
one the main reason.
"""

from __future__ import annotations

import re
from dataclasses import replace

from zax.core.charges.diagnosis_search import Meant, in_order, meant_by, said_otherwise
from zax.core.charges.lines import MOST_DIAGNOSES
from zax.core.errors import Refused
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.charges.charges import lines_changed, open_visit
from zax.store.charges import lines
from zax.store.charges.lines import DiagnosisCode
from zax.store.engine import Connection
from zax.store.money import queries as money

MOST_MEANT = 40
# 'e11', 'e11.9', 'z00.1': a letter, a digit, and what follows in a code. "b12 low" and "h pylori" are words.
_CODE = re.compile(r"[A-TV-Za-tv-z]\d[0-9A-Za-z](\.[0-9A-Za-z]{0,4})?|[A-Za-z]\d")


@act("charges")
def add_diagnosis(tx: Transaction, visit_id: int, code: str, patient_id: int | None = None) -> None:
    """The next diagnosis of the visit; it must be a billable code of ICD-10-CM, not a heading."""
    visit = open_visit(tx, visit_id, patient_id)
    found = lines.diagnosis_of(tx.connection, code.strip().upper())
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
    lines.add_diagnosis(tx.connection, visit.id, position, found.code)
    lines_changed(tx, visit, "diagnosis.added", code=found.code)


@act("charges")
def remove_diagnosis(tx: Transaction, visit_id: int, code: str) -> None:
    """Off the visit, and off the lines that pointed to it."""
    visit = open_visit(tx, visit_id)
    lines.remove_diagnosis(tx.connection, visit.id, code)
    for line in money.visit_lines(tx.connection, visit.id):
        if code in line.points_to:
            left = [each for each in line.points_to if each != code]
            lines.save_line(tx.connection, line, replace(line, points_to=left))
    lines_changed(tx, visit, "diagnosis.removed", code=code)


@act("charges")
def make_main(tx: Transaction, visit_id: int, code: str) -> None:
    """This diagnosis first: it becomes A, the others follow in their order."""
    visit = open_visit(tx, visit_id)
    codes = [row.code for row in money.visit_diagnoses(tx.connection, visit.id)]
    if code not in codes:
        raise Refused(f"{code} isn’t on this visit anymore.", "diagnosis")
    ordered = [code, *(each for each in codes if each != code)]
    lines.set_diagnoses(tx.connection, visit.id, ordered)
    lines_changed(tx, visit, "diagnosis.first", code=code)


@act("charges")
def keep_favorite(tx: Transaction, code: str, kept: bool) -> None:
    """At hand for this person from now on, or no longer."""
    if tx.actor.id is None or lines.diagnosis_of(tx.connection, code) is None:
        raise Refused("Choose a diagnosis from the list.", "diagnosis")
    lines.keep_favorite(tx.connection, tx.actor.id, code, kept)
    tx.audit("diagnosis.favorite", code=code, kept=kept)


def find_diagnoses(connection: Connection, typed: str, limit: int = 12) -> list[DiagnosisCode]:
    """Codes by their beginning; else what the everyday words mean, then codes that have the words (the last
    may be unfinished), billable ones first.
    """
    typed = " ".join(typed.split())[:60]
    if len(typed) < 2:
        return []
    if _CODE.fullmatch(typed):
        return lines.codes_beginning(connection, typed.upper(), limit)
    found = _meant(connection, meant_by(typed)[:MOST_MEANT])[:limit]
    terms = " ".join(f"+{word}*" for word in said_otherwise(typed) if len(word) > 1)
    if terms and len(found) < limit:
        here = {each.code for each in found}
        named = lines.codes_with_words(connection, terms, limit)
        found += [each for each in named if each.code not in here]
    return found[:limit]


def _meant(connection: Connection, meant: list[Meant]) -> list[DiagnosisCode]:
    if not meant:
        return []
    codes = [each.code for each in meant]
    known = {each.code: each for each in lines.diagnoses_of(connection, codes)}
    words = {code: each.words for code, each in known.items() if each.billable}
    return [known[code] for code in in_order(meant, words, lines.uses_of(connection, codes))]
