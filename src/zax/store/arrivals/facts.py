"""Facts about many people at once: flags, balances, last visits, diagnoses, what was signed, recalls due. One
statement reads them all, since each way to the server costs more than what it brings for one person.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime

from sqlalchemy import Connection, bindparam, text

from zax.core.book.track import CAME
from zax.store.rows import sql_list

_NOTED = text(
    f"""
    SELECT 'flag' AS kind, patient_id, flag_id AS number, NULL AS code, NULL AS at, NULL AS day
    FROM patient_flag
    WHERE patient_id IN :ids AND ended_at IS NULL
    UNION ALL
    SELECT 'owes', patient_id, SUM(patient_cents), NULL, NULL, NULL
    FROM journal
    WHERE patient_id IN :ids
    GROUP BY patient_id
    UNION ALL
    SELECT DISTINCT 'diagnosis', v.patient_id, NULL, d.code, NULL, NULL
    FROM visit v
    JOIN visit_diagnosis d ON d.visit_id = v.id
    WHERE v.patient_id IN :ids
    UNION ALL
    SELECT 'signed', patient_id, template_id, NULL, MAX(at), NULL
    FROM signed_form
    WHERE patient_id IN :ids AND template_id IS NOT NULL
    GROUP BY patient_id, template_id
    UNION ALL
    SELECT 'recall', patient_id, NULL, NULL, NULL, MIN(due_day)
    FROM recall
    WHERE patient_id IN :ids AND ended_at IS NULL AND (paused_until IS NULL OR paused_until <= :today)
    GROUP BY patient_id
    UNION ALL
    SELECT 'came', patient_id, NULL, NULL, NULL, MAX(day)
    FROM visit
    WHERE patient_id IN :ids AND day < :today AND state IN {sql_list(CAME)}
    GROUP BY patient_id
    UNION ALL
    SELECT 'kept', patient_id, COUNT(*), CONCAT(state, ' ', off_why), NULL, NULL
    FROM visit
    WHERE patient_id IN :ids
    GROUP BY patient_id, state, off_why
    UNION ALL
    SELECT 'away', patient_id, headsup_id, NULL, NULL, NULL
    FROM headsup_dismissal
    WHERE patient_id IN :ids AND undone_at IS NULL AND (visit_id IN :visits OR (visit_id IS NULL AND day =
        :today))
    """
).bindparams(bindparam("ids", expanding=True), bindparam("visits", expanding=True))


@dataclass(slots=True)
class Noted:
    """Of one person: flags; cents of the patient's part of everything; diagnosis codes in their order; when
    each form was signed last, by template (UTC); the soonest open recall; the last day they came; visits as
    (state, why off, how many); the dismissed heads-ups.
    """

    flags: set[int] = field(default_factory=set)
    owes: int = 0
    diagnoses: list[str] = field(default_factory=list)
    signed: dict[int, datetime] = field(default_factory=dict)
    recall_due: date | None = None
    last_came: date | None = None
    visits: list[tuple[str, str, int]] = field(default_factory=list)
    away: set[int] = field(default_factory=set)


def noted_of(
    connection: Connection, ids: Sequence[int], visits: Sequence[int], today: date
) -> Mapping[int, Noted]:
    """By patient; somebody of whom nothing is on file has an empty one. The last visit is one of an earlier
    day; heads-ups are dismissed for one of the `visits`, or for today without a visit.
    """
    found: dict[int, Noted] = defaultdict(Noted)
    values = {"ids": ids, "visits": visits, "today": today}
    for kind, patient_id, number, code, at, day in connection.execute(_NOTED, values):
        noted = found[patient_id]
        match kind:
            case "flag":
                noted.flags.add(int(number))
            case "owes":
                noted.owes = int(number)
            case "diagnosis":
                noted.diagnoses.append(code)
            case "signed":
                noted.signed[int(number)] = at
            case "recall":
                noted.recall_due = day
            case "came":
                noted.last_came = day
            case "kept":
                state, _, why = code.partition(" ")
                noted.visits.append((state, why, int(number)))
            case "away":
                noted.away.add(int(number))
    for noted in found.values():
        noted.diagnoses.sort()
    return found
