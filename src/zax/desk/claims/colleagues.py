"""Whom a claim or an insurer payment may be handed to: those whose role lets them work on it."""

from __future__ import annotations

from zax.core.errors import Refused
from zax.core.people.roles import may
from zax.desk.clinic.clinic import Clinic
from zax.store.engine import Connection
from zax.store.people.people import User, active_user, active_users


def billers(connection: Connection, clinic: Clinic) -> list[User]:
    """Everyone who may work on claims, by name."""
    return [each for each in active_users(connection) if may(clinic.roles[each.role], "claims")]


def biller(connection: Connection, clinic: Clinic, user_id: int) -> User:
    """One of them. Refused beside `user_id` for anybody else."""
    found = active_user(connection, user_id)
    if found is None or not may(clinic.roles[found.role], "claims"):
        raise Refused("Choose someone from the list.", "user_id")
    return found
