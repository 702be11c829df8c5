"""What opens in place of a second factor that is lost."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime

from sqlalchemy import Connection, delete, func, insert, select, update

from zax.store.people.tables import recovery_code

_c = recovery_code


def replace_codes(connection: Connection, user_id: int, hashes: Iterable[str]) -> None:
    """New ones; the old ones open nothing anymore."""
    connection.execute(delete(_c).where(_c.c.user_id == user_id))
    rows = [{"user_id": user_id, "code_hash": each} for each in hashes]
    if rows:
        connection.execute(insert(_c), rows)


def use_code(connection: Connection, user_id: int, code_hash: str, at: datetime) -> bool:
    """Whether it was one of theirs and unused until now."""
    mine = (_c.c.user_id == user_id, _c.c.code_hash == code_hash, _c.c.used_at.is_(None))
    return bool(connection.execute(update(_c).where(*mine).values(used_at=at)).rowcount)


def codes_left(connection: Connection, user_id: int) -> int:
    mine = (_c.c.user_id == user_id, _c.c.used_at.is_(None))
    return int(connection.execute(select(func.count()).select_from(_c).where(*mine)).scalar_one())
