"""When people signed in last."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import Connection, func, select

from zax.store.acts.tables import audit

SIGNED_IN = ("signed_in", "people.switched")


def last_signed_in(connection: Connection, since: datetime) -> dict[int, datetime]:
    """By person, UTC; whoever did not sign in since then is left out."""
    query = (
        select(audit.c.by_id, func.max(audit.c.at))
        .where(audit.c.act.in_(SIGNED_IN), audit.c.at > since, audit.c.by_id.isnot(None))
        .group_by(audit.c.by_id)
    )
    return {int(who): at for who, at in connection.execute(query)}
