"""What the Inbox shows, as it is kept: messages that ask for a person, what was done by itself, who has which
row.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, delete, func, select, text
from sqlalchemy.dialects.mysql import insert

from zax.core.book.track import Stop
from zax.core.followup.offer import Place
from zax.store.book.tables import visit
from zax.store.followup.tables import offer, offer_person
from zax.store.inbox.replies import ReplyRow, reply_rows
from zax.store.inbox.tables import inbox_lock, text_reply
from zax.store.messages.messages import Message
from zax.store.messages.tables import message
from zax.store.patients.tables import patient
from zax.store.people.tables import user
from zax.store.rows import many, one
from zax.store.schema import own_payment, registration, tablet

_m, _l, _r = message, inbox_lock, text_reply


@dataclass(frozen=True, slots=True, kw_only=True)
class AskingMessage(Message):
    """A message that leaves something to do, with whose it is."""

    name: str | None


def asking(connection: Connection) -> list[AskingMessage]:
    """Calls to return or to make, and what bounced; not seen to yet."""
    name = func.concat(patient.c.first, " ", patient.c.last).label("name")
    query = (
        select(_m, name)
        .join(patient, patient.c.id == _m.c.patient_id, isouter=True)
        .where(_m.c.asks != "", _m.c.seen_at.is_(None))
        .order_by(_m.c.state_at, _m.c.id)
        .limit(200)
    )
    return many(connection, query, AskingMessage)


def hold_asking(connection: Connection, message_id: int) -> Message | None:
    return one(
        connection, select(_m).where(_m.c.id == message_id, _m.c.asks != "").with_for_update(), Message
    )


def done_by_themselves(connection: Connection, since: datetime) -> list[ReplyRow]:
    """What texts did without a person, the newest first."""
    query = reply_rows().where(_r.c.at >= since, _r.c.did != "{}", _r.c.back_at.is_(None))
    return many(connection, query.order_by(_r.c.id.desc()).limit(100), ReplyRow)


@dataclass(frozen=True, slots=True, kw_only=True)
class OfferQuestion:
    """Somebody who asked something about an opening they were offered."""

    id: int
    offer_id: int
    patient_id: int
    name: str
    answer: str
    answered_at: datetime
    until_at: datetime


def offer_questions(connection: Connection, site_id: int) -> list[OfferQuestion]:
    p = offer_person
    query = (
        select(
            p.c.id,
            p.c.offer_id,
            p.c.patient_id,
            func.concat(patient.c.first, " ", patient.c.last).label("name"),
            p.c.answer,
            p.c.answered_at,
            offer.c.until_at,
        )
        .join(offer, offer.c.id == p.c.offer_id)
        .join(patient, patient.c.id == p.c.patient_id)
        .where(p.c.place == Place.ASKS, offer.c.stand == "open", offer.c.site_id == site_id)
        .order_by(p.c.answered_at)
    )
    return many(connection, query, OfferQuestion)


@dataclass(frozen=True, slots=True, kw_only=True)
class PaidOnline:
    """A payment made online that nobody has applied."""

    id: int
    patient_id: int
    name: str
    cents: int
    made_at: datetime


def paid_online(connection: Connection) -> list[PaidOnline]:
    name = func.concat(patient.c.first, " ", patient.c.last).label("name")
    paid = own_payment.c
    query = select(paid.id, paid.patient_id, name, paid.cents, paid.made_at).join(
        patient, patient.c.id == paid.patient_id
    )
    return many(connection, query.where(paid.state == "proposed").order_by(paid.id).limit(100), PaidOnline)


@dataclass(frozen=True, slots=True)
class InboxLock:
    row_key: str
    user_id: int
    at: datetime
    name: str


def locks_of(connection: Connection, keys: Iterable[str]) -> Mapping[str, InboxLock]:
    """Who has which of these rows."""
    query = select(_l, user.c.name).join(user, user.c.id == _l.c.user_id).where(_l.c.row_key.in_(list(keys)))
    return {row.row_key: row for row in many(connection, query, InboxLock)}


def lock_for_update(connection: Connection, row_key: str) -> InboxLock | None:
    query = select(_l, user.c.name).join(user, user.c.id == _l.c.user_id).where(_l.c.row_key == row_key)
    return one(connection, query.with_for_update(of=_l), InboxLock)


def take_lock(connection: Connection, row_key: str, user_id: int, at: datetime) -> None:
    row = insert(_l).values(row_key=row_key, user_id=user_id, at=at)
    connection.execute(row.on_duplicate_key_update(user_id=user_id, at=at))


def free_lock(connection: Connection, row_key: str, user_id: int) -> None:
    connection.execute(delete(_l).where(_l.c.row_key == row_key, _l.c.user_id == user_id))


def answered_since(connection: Connection, since: datetime) -> tuple[int, int]:
    """How many texts a person has answered, and the longest wait in minutes."""
    minutes = func.timestampdiff(text("MINUTE"), _r.c.at, _r.c.done_at)
    query = select(func.count(), func.coalesce(func.max(minutes), 0)).where(
        _r.c.done_at >= since, _r.c.done_by.is_not(None)
    )
    many_, longest = connection.execute(query).one()
    return int(many_), int(longest)


def talk_with(connection: Connection, patient_id: int, phones: Iterable[str], most: int) -> list[ReplyRow]:
    """What came from somebody: under their name, or from their phone."""
    theirs = (_r.c.patient_id == patient_id) | _r.c.phone.in_([each for each in phones if each] or [""])
    return many(connection, reply_rows().where(theirs).order_by(_r.c.id.desc()).limit(most), ReplyRow)


def unread_of(connection: Connection, phone: str) -> list[int]:
    """The texts from this phone that nobody has answered."""
    query = select(_r.c.id).where(_r.c.phone == phone, _r.c.done_at.is_(None))
    return list(connection.execute(query).scalars())


def count_waiting(connection: Connection, site_id: int) -> int:
    """How many texts, calls, bounces, web requests, registrations and payments wait for a person; on the rail
    of every page.
    """
    texts = select(func.count(_r.c.phone.distinct())).where(_r.c.done_at.is_(None))
    asks = select(func.count()).select_from(_m).where(_m.c.asks != "", _m.c.seen_at.is_(None))
    held = (
        select(func.count()).select_from(visit).where(visit.c.state == Stop.HELD, visit.c.site_id == site_id)
    )
    offers = (
        select(func.count())
        .select_from(offer_person.join(offer, offer.c.id == offer_person.c.offer_id))
        .where(offer_person.c.place == Place.ASKS, offer.c.stand == "open", offer.c.site_id == site_id)
    )
    sent = select(func.count()).select_from(registration).where(registration.c.state == "sent")
    paid = select(func.count()).select_from(own_payment).where(own_payment.c.state == "proposed")
    parts = [each.scalar_subquery() for each in (texts, asks, held, offers, sent, paid)]
    return int(connection.execute(select(sum(parts[1:], parts[0]))).scalar_one())


def tablet_stands(connection: Connection, site_id: int) -> bool:
    """Whether patients can check in at a tablet of this site."""
    t = tablet.c
    query = select(t.id).where(t.site_id == site_id, t.opened_at.is_not(None), t.ended_at.is_(None)).limit(1)
    return connection.execute(query).scalar() is not None
