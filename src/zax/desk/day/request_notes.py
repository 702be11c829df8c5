"""What is worth knowing before a time asked for online is accepted: who isn't on file, or likely is already,
who missed visits, who owes.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.patients.fields import ASKED
from zax.core.patients.likeness import LIKELY
from zax.core.wording import dollars
from zax.desk.patients.duplicates import likely_of
from zax.store.arrivals.facts import noted_of
from zax.store.book.records import HeldRequest
from zax.store.engine import Connection
from zax.store.patients.attendance import tallies_of
from zax.store.patients.duplicates import known_patients

MISSED = 2


@dataclass(frozen=True, slots=True)
class Note:
    """`patient_id` is whose record it leads to; 0 for none."""

    words: str
    patient_id: int = 0


def notes_on(connection: Connection, asked: Sequence[HeldRequest], today: date) -> dict[int, list[Note]]:
    """By visit; those without anything odd are missing."""
    people = sorted({each.patient_id for each in asked})
    rows = known_patients(connection, people)
    noted = noted_of(connection, people, [0], today) if people else {}
    tallies = tallies_of(connection, people)
    found: dict[int, list[Note]] = {}
    for each in asked:
        notes: list[Note] = []
        row = rows.get(each.patient_id)
        if row is not None and row.status == ASKED:
            notes.append(Note("new online, not on file"))
            notes += [
                Note(f"may be {other.b.first} {other.b.last}", other.b.id)
                for other in likely_of(connection, row)
                if other.pair.points >= LIKELY
            ]
        missed = tallies[each.patient_id].missed
        if missed >= MISSED:
            notes.append(Note(f"missed {missed} visits"))
        owes = noted[each.patient_id].owes if each.patient_id in noted else 0
        if owes > 0:
            notes.append(Note(f"owes {dollars(owes)}"))
        if notes:
            found[each.id] = notes
    return found
