"""The secret in the corridor screen's address."""

from __future__ import annotations

import secrets

from zax.desk.unit import Unit, act


@act("setup")
def new_wall_address(unit: Unit) -> None:
    """A new secret; the old one is worth nothing from now on."""
    unit.keep_setting("wall_token", secrets.token_urlsafe(16))
    unit.change_setup("wall.address")
