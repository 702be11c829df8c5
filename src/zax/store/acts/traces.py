"""What every act leaves behind: the audit of who did what, the feed that wakes open screens, and the keys of
forms that were carried out. They only grow; feed and keys are pruned.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, bindparam, delete, func, insert, select

from zax.core.json import KeptJson
from zax.store.acts.tables import audit, feed, form_done
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


def write_feed(connection: Connection, rows: list[Mapping[str, object]]) -> None:
    """What changed, each as at (UTC), what, site_id, day, visit_id, patient_id."""
    connection.execute(insert(feed), rows)


def claim_form(connection: Connection, key: str, at: datetime) -> bool:
    """Take a form's key; False when it was taken before. Waits for whoever takes it at this moment."""
    return bool(connection.execute(insert(form_done).prefix_with("IGNORE").values(key=key, at=at)).rowcount)


def prune(connection: Connection, before: datetime) -> None:
    """Forget changes and keys of forms that are older than any open screen."""
    connection.execute(delete(feed).where(feed.c.at < before))
    connection.execute(delete(form_done).where(form_done.c.at < before))


def newest_change(connection: Connection) -> int:
    """The id of the newest change told, 0 when there is none."""
    return int(connection.execute(_NEWEST).scalar_one())


def changes_since(connection: Connection, change_id: int) -> list[Change]:
    return many(connection, _SINCE, Change, since=change_id)
