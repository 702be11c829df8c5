"""The secret in the corridor screen's address."""

from __future__ import annotations

import secrets

from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction


@act("setup")
def new_wall_address(tx: Transaction) -> None:
    """A new secret; the old one is worth nothing from now on."""
    tx.keep_setting("wall_token", secrets.token_urlsafe(16))
    tx.change_setup("wall.address")
