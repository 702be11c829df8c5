"""Every reason to call anybody, read in one statement from where each of them lives: the call sheet keeps no
list of its own, so what is booked, paid or settled anywhere is gone from it by itself.

Only patients who are active are called; each part says in SQL when its reason holds.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta

from sqlalchemy import Connection, text

from zax.core.book.track import FINISHED, FREES_THE_TIME
from zax.core.coverage.answer import PROBLEM
from zax.core.followup.call_sheet import (
    COVERAGE_WITHIN,
    LEAST_OWED,
    OWED_FOR_DAYS,
    RETURN_WITHIN,
    SOONER_AFTER,
    UNCONFIRMED_WITHIN,
    UNDECIDED_AFTER,
    Reason,
    Why,
)
from zax.core.followup.recall import RecallType
from zax.store.rows import sql_list

# No visit of this kind stands ahead.
_NOT_AHEAD = f"""NOT EXISTS (
    SELECT 1 FROM visit a
    WHERE a.patient_id = {{0}} AND a.day >= :today
      AND a.state NOT IN {sql_list(FINISHED | FREES_THE_TIME)} {{1}}
)"""
_OF_TYPE = "AND a.type_id = {0}"
_RECALLS = f"""
    SELECT r.patient_id, '{Why.RECALL}', r.due_day, CONCAT('recall-', r.id), t.name, 0, 0,
      DATEDIFF(:today, r.due_day) > t.after_days
    FROM recall r
    JOIN recall_type t ON t.id = r.recall_type_id
    JOIN patient p ON p.id = r.patient_id AND p.status = 'active'
    WHERE r.ended_at IS NULL AND r.due_day <= :today
      AND ({{0}} OR JSON_VALUE(p.reach, '$.recalls.by') = 'call')
      AND COALESCE(JSON_VALUE(p.reach, '$.recalls.by'), '') <> 'none'
      AND (r.paused_until IS NULL OR r.paused_until <= :today)
      AND {_NOT_AHEAD.format("r.patient_id", _OF_TYPE.format("t.type_id"))}
"""
_RETURNS = f"""
    SELECT r.patient_id, IF(r.for_whom = 'phone', '{Why.RESULT}', '{Why.RETURN}'), r.due_day,
      CONCAT('return-', r.id), r.words, 0, r.urgent, r.due_day < :today
    FROM patient_return r
    JOIN patient p ON p.id = r.patient_id AND p.status = 'active'
    LEFT JOIN visit b ON b.id = r.booked_visit_id AND b.patient_id = r.patient_id
    WHERE r.ended_at IS NULL AND (r.due_day <= :asked_until OR r.urgent OR r.for_whom = 'phone')
      AND (r.paused_until IS NULL OR r.paused_until <= :today)
      AND (b.id IS NULL OR b.state IN {sql_list(FREES_THE_TIME)})
"""
_WAITING = f"""
    SELECT w.patient_id,
      CASE WHEN w.why <> 'lost' THEN '{Why.SOONER}' WHEN v.state = 'missed' THEN '{Why.MISSED}'
        ELSE '{Why.LOST}' END,
      DATE(w.since_at), CONCAT('wait-', w.id), t.name, 0, 0, 0
    FROM waiting w
    JOIN patient p ON p.id = w.patient_id AND p.status = 'active'
    JOIN visit_type t ON t.id = w.type_id
    LEFT JOIN visit v ON v.id = w.visit_id
    WHERE w.ended_at IS NULL AND (w.why = 'lost' OR w.since_at < :waits_since)
"""
_UNCONFIRMED = f"""
    SELECT v.patient_id, '{Why.UNCONFIRMED}', v.day, CONCAT('visit-', v.id), t.name, 0, v.day <= :tomorrow, 0
    FROM visit v
    JOIN patient p ON p.id = v.patient_id AND p.status = 'active'
    JOIN visit_type t ON t.id = v.type_id
    WHERE v.state = 'booked' AND v.day BETWEEN :tomorrow AND :soon
"""
_FORMS = f"""
    SELECT v.patient_id, '{Why.FORM}', MIN(v.day), CONCAT('form-', f.id), f.name, 0, 0, 0
    FROM visit v
    JOIN patient p ON p.id = v.patient_id AND p.status = 'active'
    JOIN arrival_step s ON s.active AND s.required AND s.template_id IS NOT NULL
    JOIN form_template f ON f.id = s.template_id AND f.active
    JOIN visit_type t ON t.id = v.type_id
    WHERE v.state IN ('booked', 'confirmed') AND v.day BETWEEN :tomorrow AND :soon
      AND JSON_LENGTH(s.for_whom) = 0
      AND NOT EXISTS (
        SELECT 1 FROM signed_form g
        WHERE g.patient_id = v.patient_id AND g.template_id = f.id
          AND (f.again_months = 0 OR g.at >= DATE_SUB(:today, INTERVAL f.again_months MONTH))
      )
    GROUP BY v.patient_id, f.id, f.name
"""
_COVERAGE = f"""
    SELECT v.patient_id, '{Why.COVERAGE}', MIN(v.day), CONCAT('coverage-', c.id), y.name, 0, 0, 0
    FROM visit v
    JOIN patient p ON p.id = v.patient_id AND p.status = 'active'
    JOIN coverage c ON c.patient_id = v.patient_id AND c.check_state = '{PROBLEM}'
      AND (c.to_day IS NULL OR c.to_day >= v.day)
    JOIN plan y ON y.id = c.plan_id
    WHERE v.state IN ('booked', 'confirmed') AND v.day BETWEEN :tomorrow AND :covered_until
    GROUP BY v.patient_id, c.id, y.name
"""
_PLANNED = f"""
    SELECT n.patient_id, '{Why.PLANNED}', DATE(MIN(o.signed_at)), CONCAT('proposal-', o.id), o.name, 0, 0, 0
    FROM proposal o
    JOIN planned_service n ON n.proposal_id = o.id AND n.option_letter = o.signed_option
    JOIN patient p ON p.id = o.patient_id AND p.status = 'active'
    WHERE o.signed_at IS NOT NULL AND o.ended_at IS NULL AND n.done_at IS NULL AND n.removed_at IS NULL
      AND n.visit_id IS NULL AND {_NOT_AHEAD.format("o.patient_id", "")}
    GROUP BY n.patient_id, o.id, o.name
"""
_ESTIMATES = f"""
    SELECT o.patient_id, '{Why.ESTIMATE}', DATE(o.made_at), CONCAT('proposal-', o.id), o.name, 0, 0, 0
    FROM proposal o
    JOIN patient p ON p.id = o.patient_id AND p.status = 'active'
    WHERE o.signed_at IS NULL AND o.ended_at IS NULL AND o.made_at < :undecided_since
"""
_BALANCES = f"""
    SELECT v.patient_id, '{Why.BALANCE}', MIN(v.day), CONCAT('balance-', v.patient_id), '',
      SUM(j.patient_cents), 0, 0
    FROM visit v
    JOIN journal j ON j.visit_id = v.id
    JOIN patient p ON p.id = v.patient_id AND p.status = 'active'
    WHERE v.state = 'left' AND v.day < :owed_since
    GROUP BY v.patient_id
    HAVING SUM(j.patient_cents) >= :least
"""
_PARTS = (_RETURNS, _WAITING, _UNCONFIRMED, _FORMS, _COVERAGE, _PLANNED, _ESTIMATES, _BALANCES)


def reasons_to_call(connection: Connection, types: Sequence[RecallType], today: date) -> list[Reason]:
    """All of them, in no order. A recall is one to call about from the day its type's plan says."""
    parts = (_RECALLS.format(_called(types)), *_PARTS)
    statement = text(" UNION ALL ".join(parts))
    spans = {
        "today": today,
        "tomorrow": today + timedelta(days=1),
        "soon": today + timedelta(days=UNCONFIRMED_WITHIN),
        "covered_until": today + timedelta(days=COVERAGE_WITHIN),
        "asked_until": today + timedelta(days=RETURN_WITHIN),
        "waits_since": today - timedelta(days=SOONER_AFTER),
        "undecided_since": today - timedelta(days=UNDECIDED_AFTER),
        "owed_since": today - timedelta(days=OWED_FOR_DAYS),
        "least": LEAST_OWED,
    }
    rows = connection.execute(statement, spans)
    return [
        Reason(who, Why(why), since, about, words, int(cents), bool(urgent), bool(overdue))
        for who, why, since, about, words, cents, urgent, overdue in rows
    ]


def _called(types: Sequence[RecallType]) -> str:
    """Whether the day is there from which each type is called about."""
    parts = [
        f"(t.id = {int(kind.id)} AND r.due_day <= DATE_SUB(:today, INTERVAL {int(kind.called_after)} DAY))"
        for kind in types
    ]
    return f"({' OR '.join(parts)})" if parts else "FALSE"
