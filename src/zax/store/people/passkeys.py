"""Keys that people sign in with, as far as we have them: their public halves, which open nothing by
themselves.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import datetime

from sqlalchemy import Connection, delete, select, update

from zax.store.people.tables import passkey
from zax.store.rows import add, many, one

_p = passkey


@dataclass(frozen=True, slots=True, kw_only=True)
class NewPasskey:
    """`key_hash` is the SHA-256 of the key's own number, `public` its public half (base64), `uses` how often
    it says it was used: 0 for those that do not count.
    """

    user_id: int
    key_hash: str
    public: str
    uses: int
    words: str
    made_at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class Passkey(NewPasskey):
    id: int
    used_at: datetime | None


def add_passkey(connection: Connection, new: NewPasskey) -> int:
    return add(connection, _p, **asdict(new))


def passkeys_of(connection: Connection, user_id: int) -> list[Passkey]:
    """The oldest first."""
    return many(connection, select(_p).where(_p.c.user_id == user_id).order_by(_p.c.id), Passkey)


def passkey_called(connection: Connection, key_hash: str) -> Passkey | None:
    return one(connection, select(_p).where(_p.c.key_hash == key_hash), Passkey)


def note_use(connection: Connection, passkey_id: int, before: int, uses: int, at: datetime) -> bool:
    """Whether it had been used `before` times until now: of two uses at once one counts."""
    mine = (_p.c.id == passkey_id, _p.c.uses == before)
    return bool(connection.execute(update(_p).where(*mine).values(uses=uses, used_at=at)).rowcount)


def drop_passkey(connection: Connection, user_id: int, passkey_id: int) -> bool:
    """Whether it was one of theirs."""
    mine = (_p.c.id == passkey_id, _p.c.user_id == user_id)
    return bool(connection.execute(delete(_p).where(*mine)).rowcount)


def drop_passkeys_of(connection: Connection, user_id: int) -> None:
    connection.execute(delete(_p).where(_p.c.user_id == user_id))
