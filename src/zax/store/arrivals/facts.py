"""Facts about many people at once, each kind in one statement: flags, balances, last visits, diagnoses, what
was signed, recalls due.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from datetime import date, datetime

from sqlalchemy import BindParameter, Connection, bindparam, text

_IDS: BindParameter[object] = bindparam("ids", expanding=True)
_FLAGS = text(
    """
    SELECT patient_id, flag_id
    FROM patient_flag
    WHERE patient_id IN :ids AND ended_at IS NULL
    """
).bindparams(_IDS)
_OWES = text(
    """
    SELECT patient_id, SUM(patient_cents) AS cents
    FROM journal
    WHERE patient_id IN :ids
    GROUP BY patient_id
    """
).bindparams(_IDS)
_DIAGNOSES = text(
    """
    SELECT DISTINCT v.patient_id, d.code
    FROM visit v
    JOIN visit_diagnosis d ON d.visit_id = v.id
    WHERE v.patient_id IN :ids
    ORDER BY d.code
    """
).bindparams(_IDS)
_SIGNED = text(
    """
    SELECT patient_id, template_id, MAX(at) AS at
    FROM signed_form
    WHERE patient_id IN :ids AND template_id IS NOT NULL
    GROUP BY patient_id, template_id
    """
).bindparams(_IDS)
_RECALLS = text(
    """
    SELECT patient_id, MIN(due_day) AS day
    FROM recall
    WHERE patient_id IN :ids AND ended_at IS NULL
    GROUP BY patient_id
    """
).bindparams(_IDS)


def flags_by_patient(connection: Connection, ids: Sequence[int]) -> dict[int, list[int]]:
    found: dict[int, list[int]] = defaultdict(list)
    for row in connection.execute(_FLAGS, {"ids": ids}):
        found[row.patient_id].append(row.flag_id)
    return found


def diagnoses_by_patient(connection: Connection, ids: Sequence[int]) -> dict[int, list[str]]:
    found: dict[int, list[str]] = defaultdict(list)
    for row in connection.execute(_DIAGNOSES, {"ids": ids}):
        found[row.patient_id].append(row.code)
    return found


def balances(connection: Connection, ids: Sequence[int]) -> dict[int, int]:
    """Cents of the patient's part of everything."""
    return {row.patient_id: row.cents for row in connection.execute(_OWES, {"ids": ids})}


def signed_by_patient(connection: Connection, ids: Sequence[int]) -> dict[int, dict[int, datetime]]:
    """By patient and template, when it was signed last (UTC)."""
    found: dict[int, dict[int, datetime]] = defaultdict(dict)
    for row in connection.execute(_SIGNED, {"ids": ids}):
        found[row.patient_id][row.template_id] = row.at
    return found


def recalls_due(connection: Connection, ids: Sequence[int]) -> dict[int, date]:
    """The soonest open recall of each."""
    return {row.patient_id: row.day for row in connection.execute(_RECALLS, {"ids": ids})}
