"""`zax upgrade`: what it does and finds, line by line."""

from __future__ import annotations

from rich.console import Console

from zax.settings import Settings
from zax.store.sealed_files import SealTrouble
from zax.store.server import ServerTrouble
from zax.upgrading import NotUpgraded, upgrade

console = Console(stderr=True, highlight=False)


def upgrade_now() -> int:
    """0 when the database is as this Zax wants it, 1 when not."""
    try:
        done = upgrade(Settings(), lambda words: console.print(f"· {words}", soft_wrap=True))
    except (NotUpgraded, ServerTrouble, SealTrouble) as trouble:
        console.print(f"✗ {trouble}", soft_wrap=True)
        return 1
    if done.was == done.now:
        console.print("✓ The database is of this Zax already. There’s nothing to do.")
        return 0
    console.print(f"✓ The database went from {done.was} to {done.now}. Start Zax.")
    return 0
