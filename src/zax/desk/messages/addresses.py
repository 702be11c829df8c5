"""What is known of the addresses that messages go to."""

from __future__ import annotations

from collections.abc import Iterable

from zax.core.messages.reach import Known
from zax.store.engine import Connection
from zax.store.messages.messages import known_addresses


def known_of(connection: Connection, addresses: Iterable[str]) -> dict[str, Known]:
    """By address; nothing for one that nothing is known of."""
    rows = known_addresses(connection, addresses)
    return {name: Known(row.kind == "landline", row.trouble) for name, row in rows.items()}
