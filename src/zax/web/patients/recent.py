"""Whom somebody looked at last, kept for two seconds: a name is typed letter by letter, and each letter asks
again.
"""

from __future__ import annotations

import time
from collections.abc import Sequence

from zax.core.patients.search_terms import FoundPatient
from zax.store.engine import Connection
from zax.store.patients.search import recently_seen
from zax.web.shell.request_context import RequestContext

KEPT_SECONDS = 2.0
MOST_KEPT = 500
_kept: dict[tuple[int, int], tuple[float, Sequence[FoundPatient]]] = {}


def recent_of(ctx: RequestContext, connection: Connection) -> Sequence[FoundPatient]:
    """The rows of `recently_seen` for the signed-in person, at most two seconds old."""
    if ctx.actor.id is None:
        return ()
    key, now = (id(ctx.shared), ctx.actor.id), time.monotonic()
    kept = _kept.get(key)
    if kept is None or now - kept[0] > KEPT_SECONDS:
        if len(_kept) > MOST_KEPT:
            _kept.clear()
        kept = _kept[key] = (now, recently_seen(connection, ctx.actor.id))
    return kept[1]
