"""Offers with their people, as they are kept. Whoever decides about one holds its row first."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import Connection, Select, exists, func, insert, or_, select, text

from zax.core.book.track import Stop
from zax.core.book.waitlist import Gap
from zax.core.followup.offer import MAY_ANSWER, Place, Stand
from zax.store.book.tables import track_move, visit
from zax.store.followup.tables import offer, offer_person
from zax.store.patients.tables import patient
from zax.store.people.tables import user
from zax.store.rows import add, change, many, one

_o, _p = offer, offer_person


@dataclass(frozen=True, slots=True, kw_only=True)
class Offer:
    """`freed` is where the visit stood that whoever took it has left: site, provider, day, start, minutes."""

    id: int
    site_id: int
    provider_id: int
    day: date
    start_min: int
    minutes: int
    stand: str
    wave: int
    wave_minutes: int
    next_at: datetime | None
    until_at: datetime
    made_at: datetime
    made_by: int | None
    from_visit_id: int | None
    closed_at: datetime | None
    booked_visit_id: int | None
    freed: Mapping[str, Any]

    @property
    def is_open(self) -> bool:
        return self.stand == Stand.OPEN

    @property
    def gap(self) -> Gap:
        """The time itself; what may stand there was asked when it was made."""
        return Gap(self.site_id, self.day, self.start_min, self.minutes, self.provider_id, "", frozenset())


@dataclass(frozen=True, slots=True, kw_only=True)
class OfferPerson:
    """One person of an offer. `why`, `kept` and `points` are as they were when it was made;
    `called` is the name they go by."""

    id: int
    offer_id: int
    patient_id: int
    rank_no: int
    place: str
    by_way: str
    phone: str
    language: str
    number: int
    type_id: int
    minutes: int
    worth_cents: int
    wait_id: int | None
    recall_id: int | None
    visit_id: int | None
    leaves_day: date | None
    planned: Sequence[int]
    why: str
    why_more: str
    kept: str
    kept_more: str
    points: str
    wished: bool
    sent_at: datetime | None
    answered_at: datetime | None
    answer: str
    likely: str
    told_at: datetime | None
    skipped_why: str
    may_join: bool
    called: str
    first: str
    last: str

    @property
    def name(self) -> str:
        return f"{self.first} {self.last}"


@dataclass(frozen=True, slots=True, kw_only=True)
class OfferLine:
    """An offer in a list: how many heard of it, who took it, and who made it."""

    id: int
    site_id: int
    provider_id: int
    day: date
    start_min: int
    minutes: int
    stand: str
    next_at: datetime | None
    made_at: datetime
    closed_at: datetime | None
    people: int
    sent: int
    asks: int
    taken_by: str | None
    maker: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class OpenOffer:
    """What the Book shows of an offer that stands: how many heard of it, and how many wait for an answer."""

    id: int
    provider_id: int
    day: date
    start_min: int
    minutes: int
    next_at: datetime | None
    sent: int
    asks: int


# Put together once: every Book asks it.
_OPEN = text(
    f"""
    SELECT o.id, o.provider_id, o.day, o.start_min, o.minutes, o.next_at,
      (SELECT COUNT(*) FROM offer_person p WHERE p.offer_id = o.id AND p.sent_at IS NOT NULL) AS sent,
      (SELECT COUNT(*) FROM offer_person p WHERE p.offer_id = o.id AND p.place = '{Place.ASKS}') AS asks
    FROM offer o
    WHERE o.stand = '{Stand.OPEN}' AND o.day BETWEEN :first AND :last
    ORDER BY o.day, o.start_min
    """
)


def add_offer(connection: Connection, **values: object) -> int:
    return add(connection, _o, **values)


def add_people(connection: Connection, rows: Sequence[Mapping[str, object]]) -> None:
    if rows:
        connection.execute(insert(_p), [dict(row) for row in rows])


def one_offer(connection: Connection, offer_id: int) -> Offer | None:
    return one(connection, select(_o).where(_o.c.id == offer_id), Offer)


def hold_offer(connection: Connection, offer_id: int) -> Offer | None:
    return one(connection, select(_o).where(_o.c.id == offer_id).with_for_update(), Offer)


def open_offer_at(connection: Connection, provider_id: int, day: date, start: int) -> Offer | None:
    """The offer that stands for this time."""
    return one(connection, select(_o).where(_o.c.open_key == f"{provider_id}-{day}-{start}"), Offer)


def offers_to_look_at(connection: Connection) -> list[int]:
    """Every open one: a wave may be due, its time may be over or gone."""
    query = select(_o.c.id).where(_o.c.stand == Stand.OPEN).order_by(_o.c.next_at, _o.c.id)
    return list(connection.execute(query).scalars())


def change_offer(connection: Connection, offer_id: int, **values: object) -> None:
    change(connection, _o, offer_id, **values)


def _people() -> Select[Any]:
    called = func.if_(patient.c.used_name == "", patient.c.first, patient.c.used_name).label("called")
    who = (called, patient.c.first, patient.c.last)
    return select(_p, *who).join(patient, patient.c.id == _p.c.patient_id)


def people_of(connection: Connection, offer_id: int) -> list[OfferPerson]:
    """Everybody of an offer, best first, those who are skipped last."""
    skipped = _p.c.place == Place.SKIPPED
    query = _people().where(_p.c.offer_id == offer_id).order_by(skipped, _p.c.rank_no, _p.c.id)
    return many(connection, query, OfferPerson)


def person_of(connection: Connection, person_id: int) -> OfferPerson | None:
    return one(connection, _people().where(_p.c.id == person_id), OfferPerson)


def change_person(connection: Connection, person_id: int, **values: object) -> None:
    change(connection, _p, person_id, **values)


def heard_at(connection: Connection, phone: str, since: datetime) -> list[tuple[OfferPerson, Offer]]:
    """What this phone was offered since then, with the offers as they stand."""
    people = _people().where(_p.c.phone == phone, _p.c.by_way == "text")
    open_too = select(_o.c.id).where(_o.c.stand == Stand.OPEN)
    found = people.where(_p.c.sent_at.is_not(None), or_(_p.c.sent_at >= since, _p.c.offer_id.in_(open_too)))
    rows = many(connection, found.order_by(_p.c.sent_at, _p.c.id), OfferPerson)
    ids = {row.offer_id for row in rows}
    offers = {each.id: each for each in many(connection, select(_o).where(_o.c.id.in_(ids or {0})), Offer)}
    return [(row, offers[row.offer_id]) for row in rows]


def offered_lately(connection: Connection, patient_ids: Iterable[int], since: datetime) -> dict[int, int]:
    """How many offers each of them had since then; nobody without one."""
    query = (
        select(_p.c.patient_id, func.count())
        .where(_p.c.patient_id.in_(list(patient_ids) or [0]), _p.c.sent_at >= since)
        .group_by(_p.c.patient_id)
    )
    return {number: int(count) for number, count in connection.execute(query)}


def still_to_tell(connection: Connection, offer_id: int) -> list[OfferPerson]:
    """Who heard of it by text and has not said no, nor been told how it went."""
    query = _people().where(_p.c.offer_id == offer_id, _p.c.by_way == "text", _p.c.told_at.is_(None))
    return many(connection, query.where(_p.c.place.in_(sorted(MAY_ANSWER))), OfferPerson)


def next_in_line(connection: Connection, offer_id: int, most: int) -> list[OfferPerson]:
    query = _people().where(_p.c.offer_id == offer_id, _p.c.place == Place.WAITING)
    return many(connection, query.order_by(_p.c.rank_no, _p.c.id).limit(most), OfferPerson)


def offer_lines(connection: Connection, site_id: int, since: date) -> list[OfferLine]:
    """The open offers of a site, then the others of days since then, the newest first."""
    mine = _lines().where(_o.c.site_id == site_id, or_(_o.c.stand == Stand.OPEN, _o.c.day >= since))
    order = (_o.c.stand != Stand.OPEN, _o.c.made_at.desc(), _o.c.id.desc())
    return many(connection, mine.order_by(*order).limit(60), OfferLine)


def open_offers(connection: Connection, first: date, last: date) -> list[OpenOffer]:
    """The open offers of these days, at every site."""
    return many(connection, _OPEN, OpenOffer, first=first, last=last)


def _lines() -> Select[Any]:
    counted = (
        select(
            _p.c.offer_id,
            func.sum(func.if_(_p.c.place == Place.SKIPPED, 0, 1)).label("people"),
            func.count(_p.c.sent_at).label("sent"),
            func.sum(func.if_(_p.c.place == Place.ASKS, 1, 0)).label("asks"),
        )
        .group_by(_p.c.offer_id)
        .subquery()
    )
    taker = (
        select(func.concat(patient.c.first, " ", patient.c.last))
        .join(_p, _p.c.patient_id == patient.c.id)
        .where(_p.c.offer_id == _o.c.id, _p.c.place == Place.YES)
        .limit(1)
        .correlate(_o)
        .scalar_subquery()
    )
    return (
        select(
            _o,
            func.coalesce(counted.c.people, 0).label("people"),
            func.coalesce(counted.c.sent, 0).label("sent"),
            func.coalesce(counted.c.asks, 0).label("asks"),
            taker.label("taken_by"),
            user.c.name.label("maker"),
        )
        .join(counted, counted.c.offer_id == _o.c.id, isouter=True)
        .join(user, user.c.id == _o.c.made_by, isouter=True)
    )


def offer_of_visit(connection: Connection, visit_id: int) -> bool:
    """Whether its time was offered before."""
    return connection.execute(select(_o.c.id).where(_o.c.from_visit_id == visit_id)).first() is not None


def canceled_lately(connection: Connection, since: datetime, first: date, last: date) -> list[int]:
    """The visits canceled since then, for a day that still lies ahead, that no offer was made for."""
    t = track_move.c
    lately = exists().where(t.visit_id == visit.c.id, t.to_stop == Stop.CANCELED, t.at >= since)
    known = exists().where(_o.c.from_visit_id == visit.c.id)
    query = (
        select(visit.c.id)
        .where(visit.c.day.between(first, last), visit.c.state == Stop.CANCELED, visit.c.minutes > 0)
        .where(lately, ~known)
        .order_by(visit.c.id)
    )
    return list(connection.execute(query).scalars())
