"""Patients' texts and mails as they are kept: each once, by the number that the other side has of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Select, func, select

from zax.store.inbox.tables import text_reply
from zax.store.patients.tables import patient
from zax.store.rows import add, change, many, one

_r = text_reply


@dataclass(frozen=True, slots=True, kw_only=True)
class ReplyRow:
    """`meaning` is how it was understood; open until somebody has seen to it."""

    id: int
    channel: str
    phone: str
    words: str
    at: datetime
    meaning: str
    patient_id: int | None
    done_words: str
    done_at: datetime | None
    message_id: int | None
    did: Mapping[str, Any]
    back_at: datetime | None
    name: str | None


def reply_rows() -> Select[Any]:
    """Every reply with whose it is."""
    name = func.concat(patient.c.first, " ", patient.c.last).label("name")
    return select(_r, name).join(patient, patient.c.id == _r.c.patient_id, isouter=True)


def known(connection: Connection, gateway_no: int) -> bool:
    """Whether it was taken in before."""
    return connection.execute(select(_r.c.id).where(_r.c.gateway_no == gateway_no)).first() is not None


def known_mail(connection: Connection, mail_id: str) -> bool:
    return connection.execute(select(_r.c.id).where(_r.c.mail_id == mail_id)).first() is not None


def known_mails(connection: Connection) -> set[str]:
    """Those taken in last: as many as a mailbox is ever asked for, and more."""
    query = select(_r.c.mail_id).where(_r.c.mail_id.is_not(None)).order_by(_r.c.id.desc()).limit(1_000)
    return set(connection.execute(query).scalars())


def add_reply(connection: Connection, **values: object) -> int:
    return add(connection, _r, **values)


def change_reply(connection: Connection, reply_id: int, **values: object) -> None:
    change(connection, _r, reply_id, **values)


def open_replies(connection: Connection) -> list[ReplyRow]:
    """What somebody still has to read, the oldest first."""
    query = reply_rows().where(_r.c.done_at.is_(None)).order_by(_r.c.at, _r.c.id).limit(100)
    return many(connection, query, ReplyRow)


def one_reply(connection: Connection, reply_id: int) -> ReplyRow | None:
    return one(connection, reply_rows().where(_r.c.id == reply_id), ReplyRow)


def hold_reply(connection: Connection, reply_id: int) -> ReplyRow | None:
    return one(connection, reply_rows().where(_r.c.id == reply_id).with_for_update(of=_r), ReplyRow)
