"""The clinic's own rules and words, as far as they differ from what ships."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, func, select

from zax.core.notices.lead import lead_of
from zax.core.notices.rule import Rule, RuleKey
from zax.store.notices.tables import notice_rule, notice_words
from zax.store.people.tables import user
from zax.store.rows import add, change, many

_r, _w = notice_rule, notice_words


def rules(connection: Connection) -> list[Rule]:
    """Those that were changed, or are for a visit type or a site alone."""
    found = connection.execute(select(_r).order_by(_r.c.id))
    return [
        Rule(
            key=RuleKey(row.event, row.channel, row.type_id, row.site_id),
            runs=bool(row.runs),
            lead=lead_of(row.lead),
            again=lead_of(row.again) if row.again else None,
            since=row.since_at,
            version=row.version,
        )
        for row in found
    ]


def keep_rule(connection: Connection, rule: Rule, at: datetime) -> None:
    """A new one or one changed; whoever saves holds the rules (`settings.hold`)."""
    values = {
        "runs": rule.runs,
        "lead": rule.lead.kept,
        "again": rule.again.kept if rule.again else "",
        "since_at": at,
        "version": rule.version + 1,
    }
    key = rule.key
    which = (
        _r.c.event == key.event,
        _r.c.channel == key.channel,
        _r.c.type_id == key.type_id,
        _r.c.site_id == key.site_id,
    )
    known = connection.execute(select(_r.c.id).where(*which)).scalar()
    if known is None:
        add(
            connection,
            _r,
            event=key.event,
            channel=key.channel,
            type_id=key.type_id,
            site_id=key.site_id,
            **values,
        )
    else:
        change(connection, _r, known, **values)


def forget_rule(connection: Connection, key: RuleKey) -> None:
    """An exception for a type or site goes; what holds for all holds there again."""
    connection.execute(
        _r.delete().where(
            _r.c.event == key.event,
            _r.c.channel == key.channel,
            _r.c.type_id == key.type_id,
            _r.c.site_id == key.site_id,
        )
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class WordsRow:
    """One version of some words; `shipped` is the original again."""

    id: int
    event: str
    channel: str
    language: str
    variant: str
    type_id: int
    subject: str
    body: str
    shipped: bool
    at: datetime
    by_name: str | None


WordsKey = tuple[str, str, str, str, int]


def words(connection: Connection) -> Mapping[WordsKey, WordsRow]:
    """The newest version of each that was ever changed, by event, channel, language, variant and type."""
    newest = select(func.max(_w.c.id)).group_by(
        _w.c.event, _w.c.channel, _w.c.language, _w.c.variant, _w.c.type_id
    )
    query = select(_w, user.c.name.label("by_name")).join(user, user.c.id == _w.c.by_id, isouter=True)
    rows = many(connection, query.where(_w.c.id.in_(newest)), WordsRow)
    return {(row.event, row.channel, row.language, row.variant, row.type_id): row for row in rows}


def versions(connection: Connection, key: WordsKey) -> list[WordsRow]:
    """Every version of some words, the newest first."""
    event, channel, language, variant, type_id = key
    query = (
        select(_w, user.c.name.label("by_name"))
        .join(user, user.c.id == _w.c.by_id, isouter=True)
        .where(
            _w.c.event == event,
            _w.c.channel == channel,
            _w.c.language == language,
            _w.c.variant == variant,
            _w.c.type_id == type_id,
        )
        .order_by(_w.c.id.desc())
        .limit(30)
    )
    return many(connection, query, WordsRow)


def add_words(connection: Connection, **values: object) -> None:
    add(connection, _w, **values)
