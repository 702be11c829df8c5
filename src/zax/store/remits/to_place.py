"""What a payment can be placed on: a payer's claims without an answer, and whatever a patient has open."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from sqlalchemy import Connection, bindparam, text

from zax.core.book.track import Stop
from zax.core.claims.states import NOT_STANDING, ClaimState
from zax.store.rows import many, sql_list

WAITING = frozenset({ClaimState.SENT, ClaimState.ACCEPTED})
# What may be placed on when somebody looks for it by name: also what was answered or sent on paper.
FOUND = frozenset(ClaimState) - {ClaimState.GOING}


@dataclass(frozen=True, slots=True, kw_only=True)
class ClaimToPlace:
    """`expected_cents` is what its plan was counted on to pay; `payer_name` whom it was sent to."""

    id: int
    number: str
    patient_id: int
    first: str
    last: str
    day: date
    state: str
    rank: str
    cents: int
    paid_cents: int
    expected_cents: int
    payer_id: int
    payer_name: str


@dataclass(frozen=True, slots=True, kw_only=True)
class VisitToPlace:
    """A visit with an insurer's part that no claim was made for."""

    id: int
    patient_id: int
    first: str
    last: str
    day: date
    cents: int


# What is chosen is chosen by its keys first; what it was counted on to pay is read of those alone.
_FROM = """
    FROM claim c
    JOIN visit b ON b.id = c.visit_id
    JOIN patient a ON a.id = c.patient_id
    JOIN coverage v ON v.id = c.coverage_id
    JOIN plan p ON p.id = v.plan_id
    JOIN payer y ON y.id = p.payer_id
"""
_SHOWN = f"""
    SELECT c.id, c.number, c.patient_id, a.first, a.last, b.day, c.state, c.`rank`, c.cents, c.paid_cents,
      (SELECT COALESCE(SUM(IF(c.`rank` = 'P', l.first_cents, l.second_cents)), 0) FROM claim_line k
       JOIN charge_line l ON l.id = k.line_id WHERE k.claim_id = c.id) AS expected_cents,
      y.id AS payer_id, y.name AS payer_name
    {_FROM}
"""
_NAMED = "((a.last LIKE :one AND a.first LIKE :two) OR (a.first LIKE :one AND a.last LIKE :two))"
_MOST_PEOPLE = 200


def waiting_claims(connection: Connection, payer_id: int, most: int) -> list[ClaimToPlace]:
    """A payer's claims without an answer, by patient and day."""
    return _waiting(connection, payer_id, "", most)


def _waiting(connection: Connection, payer_id: int, find: str, most: int) -> list[ClaimToPlace]:
    """The same, of patients of that name alone."""
    ids = f"""SELECT c.id {_FROM} WHERE y.id = :payer_id AND c.state IN {sql_list(WAITING)}
      {f"AND {_NAMED}" if find else ""} ORDER BY a.last, a.first, b.day, c.id LIMIT :most"""
    values = {"payer_id": payer_id, "most": most} | (_name(find) if find else {})
    return _shown(connection, [*connection.execute(text(ids), values).scalars()])


def _shown(connection: Connection, claim_ids: list[int]) -> list[ClaimToPlace]:
    """In the order of the ids."""
    query = text(f"{_SHOWN} WHERE c.id IN :ids").bindparams(bindparam("ids", expanding=True))
    found = {each.id: each for each in many(connection, query, ClaimToPlace, ids=claim_ids or [0])}
    return [found[each] for each in claim_ids]


def _name(find: str) -> dict[str, str]:
    """'bell m', 'marcus bell'."""
    words = [f"{word}%" for word in find.replace(",", " ").split()[:2]]
    return {"one": words[0], "two": words[1] if len(words) > 1 else "%"}


def count_waiting(connection: Connection, payer_id: int) -> int:
    query = f"""SELECT COUNT(*) FROM claim c JOIN coverage v ON v.id = c.coverage_id
      JOIN plan p ON p.id = v.plan_id
      WHERE p.payer_id = :payer_id AND c.state IN {sql_list(WAITING)} AND c.visit_id IS NOT NULL"""
    return int(connection.execute(text(query), {"payer_id": payer_id}).scalar_one())


_BY_NUMBER = f"""SELECT c.id {_FROM} WHERE c.number IN :numbers AND c.state IN {sql_list(FOUND)}"""
_OF_PEOPLE = f"""
    SELECT c.id FROM (SELECT a.id FROM patient a WHERE {_NAMED} ORDER BY a.last, a.first, a.id LIMIT
      {_MOST_PEOPLE}) who
    JOIN claim c ON c.patient_id = who.id
    JOIN visit b ON b.id = c.visit_id
    WHERE c.state IN {sql_list(FOUND)}
    ORDER BY c.state IN {sql_list(WAITING)} DESC, b.day DESC, c.id DESC LIMIT :most
"""


def found_claims(connection: Connection, find: str, payer_id: int, most: int) -> list[ClaimToPlace]:
    """Claims by number or a patient's name ('bell m', 'marcus bell'), whoever they were sent to: those of
    the payer that wait come first.
    """
    if not find.replace(",", " ").split():
        return []
    mine = _waiting(connection, payer_id, find, most)
    numbers = {find.strip(), f"C{find.strip():0>6}"}
    by_number = text(_BY_NUMBER).bindparams(bindparam("numbers", expanding=True))
    ids = [*connection.execute(by_number, {"numbers": sorted(numbers)}).scalars()]
    if len(mine) < most:
        ids += connection.execute(text(_OF_PEOPLE), {"most": most} | _name(find)).scalars().all()
    known = {each.id for each in mine}
    others = [each for each in dict.fromkeys(ids) if each not in known]
    return [*mine, *_shown(connection, others)][:most]


def alike_claims(
    connection: Connection, last: str, day: date | None, cents: int, most: int
) -> list[ClaimToPlace]:
    """Claims of somebody of that last name, the likeliest first: same charge and day, then either."""
    query = f"""{_SHOWN} WHERE a.last = :last AND (c.cents = :cents OR b.day = :day)
      ORDER BY (c.cents = :cents) + (b.day = :day) DESC, b.day DESC, c.id DESC LIMIT :most"""
    values = {"last": last, "day": day or date(1900, 1, 1), "cents": cents, "most": most}
    return many(connection, text(query), ClaimToPlace, **values)


_UNCLAIMED = f"""
    SELECT v.id, v.patient_id, who.first, who.last, v.day, SUM(j.insurer_cents) AS cents
    FROM (SELECT a.id, a.first, a.last FROM patient a WHERE {_NAMED} ORDER BY a.last, a.first, a.id LIMIT
      {_MOST_PEOPLE}) who
    STRAIGHT_JOIN visit v ON v.patient_id = who.id
    STRAIGHT_JOIN journal j ON j.visit_id = v.id
    WHERE v.state = '{Stop.LEFT}' AND NOT EXISTS (SELECT 1 FROM claim c WHERE c.visit_id = v.id
      AND c.closed_why NOT IN {NOT_STANDING})
    GROUP BY v.id HAVING SUM(j.insurer_cents) > 0
    ORDER BY v.day DESC LIMIT :most
"""


def unclaimed_visits(connection: Connection, find: str, most: int) -> list[VisitToPlace]:
    """Visits of patients of that name that nobody was billed for yet though an insurer should pay."""
    if not find.replace(",", " ").split():
        return []
    return many(connection, text(_UNCLAIMED), VisitToPlace, most=most, **_name(find))
