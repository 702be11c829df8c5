"""Changing the keys that lie beside the database, while everybody works: a new key is put before the old
ones, what the vault sealed is sealed anew, and keys that nothing needs anymore are thrown away the next time.

Sessions, form tokens and codes that the old key made go on holding: it stays for a day, far longer than any
of them lives.
"""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path

from zax.clock import system_now
from zax.desk.acts.act import act
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk, Transaction
from zax.store.keyring import KeyRing
from zax.store.setup.resealing import replace_sealed, sealed_values
from zax.store.vault import Vault, vault_ring

SESSION_KEYS = "session-key"
# How long an old key opens what it made.
STAYS = timedelta(days=1)


@dataclass(frozen=True, slots=True)
class Rotated:
    """How many values were sealed anew, how many old keys thrown away and how many are kept for now."""

    resealed: int
    dropped: int
    kept: int


def session_ring(var: Path) -> KeyRing:
    """The keys that sign sessions, form tokens and patients' codes."""
    return KeyRing(var / SESSION_KEYS, lambda: secrets.token_urlsafe(32))


def rotate_keys(desk: Desk, actor: Actor, var: Path) -> Rotated:
    """New keys hold from now on; on record. Raises cryptography's InvalidToken for a value that no key opens,
    and OSError for a folder that can't be written; the old keys are there either way.

    A key is thrown away only once what was sealed anew is kept: before that, it may still be needed.
    """
    count = _seal_anew(desk, actor, var)
    now, vault = system_now(), Vault(var)
    dropped = _drop(session_ring(var), now)
    with desk.engine.connect() as connection:
        unneeded = all(vault.is_newest(each.text) for each in sealed_values(connection))
    if unneeded:
        dropped += _drop(vault.ring, now)
    kept = len(session_ring(var).keys) + len(vault.ring.keys) - 2
    return Rotated(count, dropped, kept)


@act("setup")
def _seal_anew(tx: Transaction, var: Path) -> int:
    """A new key on each ring, and what the vault sealed under it; how many values."""
    now = system_now()
    for ring in (session_ring(var), vault_ring(var)):
        ring.add(now)
    count = _reseal(tx, Vault(var))
    tx.audit("keys.rotated", resealed=count)
    return count


def _reseal(tx: Transaction, vault: Vault) -> int:
    values = [each for each in sealed_values(tx.connection) if not vault.is_newest(each.text)]
    return sum(replace_sealed(tx.connection, each, vault.seal(vault.open(each.text))) for each in values)


def _drop(ring: KeyRing, now: datetime) -> int:
    """Throw away the keys that were replaced more than a day ago; how many."""
    keys = ring.keys
    stay = [
        n for n in range(len(keys)) if n == 0 or (newer := keys[n - 1].made_at) is None or now - newer < STAYS
    ]
    if len(stay) < len(keys):
        ring.keep(stay[-1] + 1)
    return len(keys) - len(ring.keys)
