"""The floor under follow-up: recalls and reasons to call of a whole town by hand-written SQL, as many rows as
the screens read.
"""

from __future__ import annotations

_STANDS = "a.state NOT IN ('left', 'settled', 'missed', 'canceled', 'shelf')"
_NOT_BOOKED = (
    "NOT EXISTS (SELECT 1 FROM visit a WHERE a.patient_id = r.patient_id AND a.type_id = t.type_id AND a.day"
    f" >= %s AND {_STANDS})"
)
_DUE = (
    "FROM recall r JOIN recall_type t ON t.id = r.recall_type_id JOIN patient p ON p.id = r.patient_id WHERE"
    f" {_NOT_BOOKED} AND r.ended_at IS NULL AND r.due_day <= DATE_ADD(%s, INTERVAL 1 MONTH)"
)
# One page of the list with the last and the next visit, and how long it is.
RECALLS = (
    (
        "SELECT r.*, t.name, p.first, p.last, p.phone, (SELECT MAX(v.day) FROM visit v WHERE v.patient_id ="
        " r.patient_id AND v.state IN ('left', 'settled')), (SELECT MIN(a.day) FROM visit a WHERE"
        f" a.patient_id = r.patient_id AND a.day > '2026-01-01' AND {_STANDS}) FROM (SELECT STRAIGHT_JOIN"
        f" r.id {_DUE} ORDER BY r.due_day, r.id LIMIT 40) one JOIN recall r ON r.id = one.id JOIN"
        " recall_type t ON t.id = r.recall_type_id JOIN patient p ON p.id = r.patient_id ORDER BY"
        " r.due_day, r.id"
    ),
    f"SELECT COUNT(*) FROM (SELECT STRAIGHT_JOIN r.id {_DUE} LIMIT 10001) counted",
)
# Every reason of everybody, as the call sheet ranks them, and the people of one page.
CALLS = (
    (
        "SELECT r.patient_id, 'recall', r.due_day, r.id, t.name FROM recall r JOIN recall_type t ON t.id ="
        f" r.recall_type_id JOIN patient p ON p.id = r.patient_id WHERE {_NOT_BOOKED} AND r.ended_at IS NULL"
        " AND r.due_day <= DATE_SUB(%s, INTERVAL 21 DAY) AND p.status = 'active'"
    ),
    (
        "SELECT v.patient_id, 'unconfirmed', v.day, v.id FROM visit v WHERE v.state = 'booked' AND v.day > %s"
        " AND v.day <= DATE_ADD(%s, INTERVAL 3 DAY)"
    ),
    (
        "SELECT v.patient_id, 'balance', MIN(v.day), SUM(j.patient_cents) FROM visit v JOIN journal j ON"
        " j.visit_id = v.id WHERE v.state = 'left' AND v.day < DATE_SUB(%s, INTERVAL 30 DAY) GROUP BY"
        " v.patient_id HAVING SUM(j.patient_cents) >= 2000"
    ),
    "SELECT w.patient_id, w.why, w.since_at, w.id FROM waiting w WHERE w.ended_at IS NULL",
    "SELECT p.* FROM patient p ORDER BY p.id LIMIT 30",
)
