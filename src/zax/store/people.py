"""Finding patients: by words of a name or digits of a phone, each through an index."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import Connection, Row, text

from zax.core.patients.person import Query

_COLUMNS = "SELECT p.id, p.first, p.last, p.birth, p.phone, p.household_id, p.alert FROM patient p WHERE p.status = 'active' AND "
_ORDER = " ORDER BY p.last_key, p.first_key, p.id LIMIT :limit"
_BY_LAST = text(f"{_COLUMNS} p.last_key LIKE :one{_ORDER}")
_BY_FIRST = text(f"{_COLUMNS} p.first_key LIKE :one{_ORDER}")
_BY_BOTH = text(
    f"({_COLUMNS} p.last_key LIKE :one AND p.first_key LIKE :two LIMIT :limit) UNION "
    f"({_COLUMNS} p.last_key LIKE :two AND p.first_key LIKE :one LIMIT :limit) ORDER BY 3, 2, 1 LIMIT :limit"
)
_BY_PHONE = text(f"{_COLUMNS} p.phone LIKE :one{_ORDER}")
_BY_PHONE_END = text(f"{_COLUMNS} p.phone_end LIKE :one{_ORDER}")
_BY_PHONE_TAIL = text(f"{_COLUMNS} p.phone_tail LIKE :one{_ORDER}")


def find_patients(connection: Connection, query: Query, limit: int = 8) -> Sequence[Row[Any]]:
    """Active patients in order of name. Names match by their beginnings; digits a phone."""
    if query.empty:
        return []
    if query.digits:
        return _by_digits(connection, query.digits, limit)
    one, two = f"{_literal(query.words[0])}%", f"{_literal(' '.join(query.words[1:]))}%"
    if len(query.words) > 1:
        found = connection.execute(_BY_BOTH, {"one": one, "two": two, "limit": limit}).all()
        whole = f"{_literal(' '.join(query.words))}%"
        return found or connection.execute(_BY_LAST, {"one": whole, "limit": limit}).all()
    found = connection.execute(_BY_LAST, {"one": one, "limit": limit}).all()
    if len(found) < limit:
        known = {row.id for row in found}
        by_first = connection.execute(_BY_FIRST, {"one": one, "limit": limit}).all()
        found = [*found, *(row for row in by_first if row.id not in known)][:limit]
    return found


def _by_digits(connection: Connection, digits: str, limit: int) -> Sequence[Row[Any]]:
    """Beginnings of the whole number, of its last seven or of its last four digits; each has its index."""
    found: dict[Row[Any], None] = {}
    for statement in (_BY_PHONE, _BY_PHONE_END, _BY_PHONE_TAIL)[: 3 if len(digits) <= 4 else 2]:
        if len(found) < limit:
            found |= dict.fromkeys(connection.execute(statement, {"one": f"{digits}%", "limit": limit}))
    return list(found)[:limit]


def _literal(word: str) -> str:
    return word.replace("\\", "\\\\").replace("%", r"\%").replace("_", r"\_")
