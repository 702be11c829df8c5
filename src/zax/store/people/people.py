"""Who signs in, their wrong tries, and who looked at which patient."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import datetime

from sqlalchemy import Connection, and_, bindparam, delete, func, insert, or_, select, text, update

from zax.store.clinic.settings import hold
from zax.store.people.tables import look, sign_in_try, user
from zax.store.rows import add, many, one

_BY_ID = select(user).where(user.c.id == bindparam("user_id"), user.c.active)
_BY_NAME = select(user).where(user.c.sign_in == bindparam("sign_in"), user.c.active)


_TRY = text(
    """
    INSERT INTO sign_in_try (sign_in, address, at)
    SELECT :sign_in, :address, :at
    FROM (
        SELECT COUNT(*) AS altogether, COALESCE(SUM(sign_in = :sign_in), 0) AS name,
            COALESCE(SUM(address = :address), 0) AS address,
            COALESCE(SUM(sign_in = :sign_in AND address = :address), 0) AS pair
        FROM sign_in_try
        WHERE at > :since
    ) t
    WHERE t.pair < :most_pair AND t.name < :most_name AND t.address < :most_address
        AND t.altogether < :most_altogether
    """
)


@dataclass(frozen=True, slots=True, kw_only=True)
class User:
    """`provider_id` is who they are on the Book, None for whoever sees no patients; the rest as in the
    table.
    """

    id: int
    sign_in: str
    name: str
    role: str
    password_hash: str
    provider_id: int | None
    email: str = ""
    pin_hash: str = ""
    second_sealed: str = ""
    second_at: datetime | None = None
    second_step: int = 0
    must_second: bool = False
    site_ids: Sequence[int] = ()
    active: bool = True
    left_at: datetime | None = None
    version: int = 1


def active_user(connection: Connection, user_id: int) -> User | None:
    return one(connection, _BY_ID, User, user_id=user_id)


def user_called(connection: Connection, sign_in: str) -> User | None:
    """The active user who signs in with this name."""
    return one(connection, _BY_NAME, User, sign_in=sign_in)


def add_user(connection: Connection, **values: object) -> int:
    """Somebody who signs in from now on, by column; their number."""
    return add(connection, user, **values)


def change_user(connection: Connection, user_id: int, **values: object) -> None:
    connection.execute(update(user).where(user.c.id == user_id).values(**values, version=user.c.version + 1))


def locked_user(connection: Connection, user_id: int) -> User | None:
    """Also one who left; theirs alone until the transaction ends."""
    return one(connection, select(user).where(user.c.id == user_id).with_for_update(), User)


def all_users(connection: Connection) -> list[User]:
    """Everyone who ever signed in: who still does by name, then who left."""
    return many(connection, select(user).order_by(user.c.active.desc(), user.c.name), User)


def name_taken(connection: Connection, sign_in: str, email: str = "", but: int = 0) -> bool:
    """Whether somebody, here or gone, signs in with the name or is reached at the address."""
    same = user.c.sign_in == sign_in
    if email:
        same = or_(same, and_(user.c.email == email, user.c.active))
    return connection.execute(select(user.c.id).where(same, user.c.id != but)).first() is not None


def take_step(connection: Connection, user_id: int, step: int) -> bool:
    """Note that the second factor's code of this step was used; False when it was used before, or a later
    one was.
    """
    mine = (user.c.id == user_id, user.c.second_step < step)
    return bool(connection.execute(update(user).where(*mine).values(second_step=step)).rowcount)


def user_reached(connection: Connection, name: str) -> User | None:
    """The active user who signs in with this name or is reached at this address."""
    mine = or_(user.c.sign_in == name, user.c.email == name)
    return (
        one(connection, select(user).where(mine, user.c.active).order_by(user.c.id), User) if name else None
    )


def active_users(connection: Connection) -> list[User]:
    """Everyone who signs in, by name."""
    return many(connection, select(user).where(user.c.active).order_by(user.c.name), User)


@dataclass(frozen=True, slots=True)
class TryLimits:
    """How many tries there may be, since a moment, for one name from one address, for the name, from the
    address, and altogether.
    """

    pair: int
    name: int
    address: int
    altogether: int


def claim_try(
    connection: Connection, sign_in: str, address: str, at: datetime, since: datetime, limits: TryLimits
) -> bool:
    """Count a try before it is judged; False, and not counted, when there were too many. Counting and
    judging the count are one statement, and of two that try at once one waits.
    """
    hold(connection, "sign_in")
    values = {"sign_in": sign_in, "address": address, "at": at, "since": since}
    most = {f"most_{name}": number for name, number in asdict(limits).items()}
    return bool(connection.execute(_TRY, values | most).rowcount)


def forget_tries(connection: Connection, sign_in: str, address: str) -> None:
    t = sign_in_try
    connection.execute(delete(t).where(t.c.sign_in == sign_in, t.c.address == address))


def add_looks(
    connection: Connection, at: datetime, user_id: int, patient_ids: Sequence[int], screen: str
) -> None:
    row = {"at": at, "user_id": user_id, "screen": screen}
    if patient_ids:
        connection.execute(insert(look), [row | {"patient_id": number} for number in patient_ids])


@dataclass(frozen=True, slots=True)
class Looked:
    """Who looked at a patient and when last (UTC), how often since then."""

    name: str
    role: str
    at: datetime
    times: int


def looks_at(connection: Connection, patient_id: int, since: datetime) -> list[Looked]:
    """Each person once, who looked last first."""
    times = func.count().label("times")
    last = func.max(look.c.at).label("at")
    query = (
        select(user.c.name, user.c.role, last, times)
        .join(user, user.c.id == look.c.user_id)
        .where(look.c.patient_id == patient_id, look.c.at > since)
        .group_by(user.c.id, user.c.name, user.c.role)
        .order_by(last.desc())
    )
    return many(connection, query, Looked)


def user_of_provider(connection: Connection, provider_id: int) -> int | None:
    """Who signs in as this provider."""
    query = select(user.c.id).where(user.c.provider_id == provider_id, user.c.active)
    found = connection.execute(query).scalar()
    return int(found) if found is not None else None


def first_of_role(connection: Connection, role: str) -> int | None:
    query = select(user.c.id).where(user.c.role == role, user.c.active).order_by(user.c.id)
    found = connection.execute(query).scalar()
    return int(found) if found is not None else None
