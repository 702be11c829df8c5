"""What every act leaves behind: the audit of who did what, and the feed that wakes open screens. Both only grow; the feed is pruned."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime
from typing import Any

from sqlalchemy import Connection, delete, insert

from zax.store.acts.tables import audit, feed


def write_audit(
    connection: Connection,
    *,
    at: datetime,
    by_id: int | None,
    act: str,
    detail: Mapping[str, Any],
    patient_id: int | None = None,
    visit_id: int | None = None,
) -> None:
    values = {"at": at, "by_id": by_id, "act": act, "detail": detail, "patient_id": patient_id, "visit_id": visit_id}
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
    values = {"at": at, "what": what, "site_id": site_id, "day": day, "visit_id": visit_id, "patient_id": patient_id}
    connection.execute(insert(feed).values(**values))


def prune_feed(connection: Connection, before: datetime) -> None:
    connection.execute(delete(feed).where(feed.c.at < before))
