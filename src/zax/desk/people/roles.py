"""What each role may do, as a manager changes it, right by right; and roles of the clinic's own."""

from __future__ import annotations

import secrets
from dataclasses import replace

from zax.core.errors import NotFound, Refused
from zax.core.people.roles import MANAGER, RIGHT_WORDS, Role, checked_role
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store.people import roles as stored


@act("people")
def turn_right(tx: Transaction, key: str, right: str, on: bool, version: int) -> None:
    """Give a right to a role, or take it away. Stale when someone changed the role meanwhile; Refused for a
    right that the role keeps.
    """
    role = _role(tx, key)
    if right not in RIGHT_WORDS:
        raise NotFound("There is no such right.")
    rights = role.rights | {right} if on else role.rights - {right}
    kept = checked_role(replace(role, rights=rights, version=version), tx.clinic.roles.values())
    stored.change_role(tx.connection, kept)
    tx.change_setup("role.right", role=key, right=right, on=on)


@act("people")
def name_role(tx: Transaction, key: str, words: str, version: int) -> None:
    kept = checked_role(replace(_role(tx, key), words=words, version=version), tx.clinic.roles.values())
    stored.change_role(tx.connection, kept)
    tx.change_setup("role.named", role=key, words=kept.words)


@act("people")
def add_role(tx: Transaction, words: str, like: str) -> str:
    """A role of the clinic's own that may do what another may, to begin with; its key."""
    key = f"own-{secrets.token_hex(4)}"
    kept = checked_role(Role(key=key, words=words, rights=_role(tx, like).rights), tx.clinic.roles.values())
    stored.add_role(tx.connection, kept)
    limit = tx.clinic.money.limits.get(like)
    if limit is not None:
        tx.keep_setting(f"limit_{key}", limit)
    tx.change_setup("role.added", role=key, words=kept.words, like=like)
    return key


@act("people")
def retire_role(tx: Transaction, key: str, active: bool, version: int) -> None:
    """Out of use, or back. Refused while somebody has it."""
    role = _role(tx, key)
    if not active and key == MANAGER.key:
        raise Refused("A clinic always has managers.", "role")
    if not active and stored.people_with(tx.connection, key):
        raise Refused("Someone still has this role. Give them another one first.", "role")
    stored.change_role(tx.connection, replace(role, active=active, version=version))
    tx.change_setup("role.retired", role=key, active=active)


def _role(tx: Transaction, key: str) -> Role:
    role = tx.clinic.roles.get(key)
    if role is None:
        raise NotFound("There is no such role.")
    return role
