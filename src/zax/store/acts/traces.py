"""What every act leaves behind: the audit of who did what, and the feed that wakes open screens. Both only
grow; the feed is pruned.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, bindparam, delete, func, insert, select

from zax.core.json import KeptJson
from zax.store.acts.tables import audit, feed
from zax.store.rows import many

_NEWEST = select(func.coalesce(func.max(feed.c.id), 0))
_SINCE = select(feed).where(feed.c.id > bindparam("since"))


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """What open screens are told: something about this site, day, visit or patient changed."""

    id: int
    what: str
    site_id: int | None
    day: date | None
    visit_id: int | None
    patient_id: int | None


def write_audit(
    connection: Connection,
    *,
    at: datetime,
    by_id: int | None,
    act: str,
    detail: KeptJson,
    patient_id: int | None = None,
    visit_id: int | None = None,
) -> None:
    values = {
        "at": at,
        "by_id": by_id,
        "act": act,
        "detail": detail,
        "patient_id": patient_id,
        "visit_id": visit_id,
    }
    connection.execute(insert(audit).values(**values))


def write_feed(
    connection: Connection,
    *,
    at: datetime,
    what: str,
    site_id: int | None = None,
    day: date | None = None,
    visit_id: int | None = None,
    patient_id: int | None = None,
) -> None:
    values = {
        "at": at,
        "what": what,
        "site_id": site_id,
        "day": day,
        "visit_id": visit_id,
        "patient_id": patient_id,
    }
    connection.execute(insert(feed).values(**values))


def prune_feed(connection: Connection, before: datetime) -> None:
    connection.execute(delete(feed).where(feed.c.at < before))


def newest_change(connection: Connection) -> int:
    """The id of the newest change told, 0 when there is none."""
    return int(connection.execute(_NEWEST).scalar_one())


def changes_since(connection: Connection, change_id: int) -> list[Change]:
    return many(connection, _SINCE, Change, since=change_id)
