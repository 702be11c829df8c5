"""Reading visits: a site's day with everything a bar or row shows, one visit, and who is busy when."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date, datetime

from sqlalchemy import Connection, and_, bindparam, exists, func, select
from sqlalchemy.dialects.mysql import insert as mysql_insert

from zax.core.book.track import EXPECTED, FREES_THE_TIME, INSIDE, STOP_WORDS, Stop
from zax.store.book.records import (
    BusyPerson,
    BusyRoom,
    DayMove,
    DayVisit,
    HeldRequest,
    InRoom,
    OwnVisit,
    Person,
    StaffSlotRow,
    StrapRow,
    TrackRow,
    Visit,
    WeekVisit,
)
from zax.store.rows import many, one
from zax.store.schema import audit, patient, provider_day, room_day, staff_slot, track_move, user, visit

_BAR = (
    visit.c.id,
    visit.c.site_id,
    visit.c.patient_id,
    visit.c.provider_id,
    visit.c.room_id,
    visit.c.type_id,
    visit.c.day,
    visit.c.start_min,
    visit.c.minutes,
    visit.c.state,
    visit.c.version,
    visit.c.note,
    visit.c.buffer_min,
    visit.c.held_until,
    visit.c.stage_id,
    visit.c.gone_at,
    visit.c.late_min,
    patient.c.first,
    patient.c.last,
    patient.c.phone,
    patient.c.birth,
    patient.c.street,
    patient.c.sex,
    patient.c.alert,
)
_DAY = (
    select(*_BAR)
    .join(patient, patient.c.id == visit.c.patient_id)
    .where(
        visit.c.day == bindparam("day"),
        visit.c.site_id == bindparam("site_id"),
        visit.c.state != Stop.SHELF,
        visit.c.minutes > 0,
    )
    .order_by(visit.c.start_min, visit.c.id)
)
_MOVES_OF_DAY = (
    select(track_move.c.visit_id, track_move.c.to_stop, track_move.c.at)
    .join(visit, visit.c.id == track_move.c.visit_id)
    .where(
        visit.c.day == bindparam("day"),
        visit.c.site_id == bindparam("site_id"),
        visit.c.minutes > 0,
        track_move.c.to_stop.in_(sorted(INSIDE)),
    )
    .order_by(track_move.c.id)
)
_STRAPS = (
    select(
        staff_slot.c.visit_id,
        staff_slot.c.provider_id,
        staff_slot.c.start_min,
        staff_slot.c.end_min,
        staff_slot.c.words,
    )
    .join(visit, visit.c.id == staff_slot.c.visit_id)
    .where(
        visit.c.day == bindparam("day"),
        visit.c.site_id == bindparam("site_id"),
        staff_slot.c.words != "",
        visit.c.state.not_in(tuple(FREES_THE_TIME)),
    )
    .order_by(staff_slot.c.start_min)
)
_WEEK = (
    select(
        *_BAR,
        func.min(staff_slot.c.start_min).label("slot_start"),
        func.max(staff_slot.c.end_min).label("slot_end"),
    )
    .select_from(staff_slot)
    .join(visit, visit.c.id == staff_slot.c.visit_id)
    .join(patient, patient.c.id == visit.c.patient_id)
    .where(
        staff_slot.c.provider_id == bindparam("provider_id"),
        staff_slot.c.day.between(bindparam("first"), bindparam("last")),
        visit.c.state != Stop.SHELF,
    )
    .group_by(visit.c.id)
    .order_by(visit.c.day, visit.c.start_min, visit.c.id)
)
_ONE = select(
    *_BAR,
    patient.c.email,
    patient.c.household_id,
    patient.c.likes,
    patient.c.never,
    visit.c.web_message,
    visit.c.off_why,
    visit.c.made_at,
    visit.c.made_by,
    visit.c.request_key,
).join(patient, patient.c.id == visit.c.patient_id)
_ONE_BY_ID = _ONE.where(visit.c.id == bindparam("visit_id"))
_TRACK = (
    select(track_move.c.from_stop, track_move.c.to_stop, track_move.c.at, track_move.c.reason, user.c.name)
    .join(user, user.c.id == track_move.c.by_id, isouter=True)
    .where(track_move.c.visit_id == bindparam("visit_id"))
    .order_by(track_move.c.id)
)
# It takes somebody's time.
IN_THE_WAY = and_(visit.c.state.not_in(tuple(FREES_THE_TIME)), visit.c.minutes > 0)
_BUSY = (
    select(
        staff_slot.c.provider_id,
        staff_slot.c.day,
        staff_slot.c.start_min,
        staff_slot.c.end_min,
        staff_slot.c.visit_id,
        visit.c.site_id,
        visit.c.type_id,
        patient.c.first,
        patient.c.last,
    )
    .join(visit, visit.c.id == staff_slot.c.visit_id)
    .join(patient, patient.c.id == visit.c.patient_id)
    .where(
        staff_slot.c.provider_id.in_(bindparam("provider_ids", expanding=True)),
        staff_slot.c.day.in_(bindparam("days", expanding=True)),
        IN_THE_WAY,
    )
    .order_by(staff_slot.c.start_min)
)
_ROOMS_BUSY = (
    select(
        visit.c.room_id,
        visit.c.start_min,
        (visit.c.minutes + visit.c.buffer_min).label("minutes"),
        visit.c.id,
        visit.c.type_id,
        patient.c.first,
        patient.c.last,
    )
    .join(patient, patient.c.id == visit.c.patient_id)
    .where(visit.c.day == bindparam("day"), visit.c.site_id == bindparam("site_id"), IN_THE_WAY)
)
_OWN = (
    select(visit.c.id, visit.c.day, visit.c.site_id, visit.c.start_min, visit.c.minutes, visit.c.provider_id)
    .where(
        visit.c.patient_id == bindparam("patient_id"),
        visit.c.day.in_(bindparam("days", expanding=True)),
        IN_THE_WAY,
    )
    .order_by(visit.c.start_min)
)
_IN_ROOMS = (
    select(visit.c.room_id, visit.c.id, patient.c.first, patient.c.last)
    .join(patient, patient.c.id == visit.c.patient_id)
    .where(
        visit.c.site_id == bindparam("site_id"), visit.c.day == bindparam("day"), visit.c.state == Stop.ROOM
    )
)


def day_visits(connection: Connection, site_id: int, day: date) -> list[DayVisit]:
    return many(connection, _DAY, DayVisit, site_id=site_id, day=day)


def day_moves(connection: Connection, site_id: int, day: date) -> list[DayMove]:
    """The moves onto the premises, oldest first."""
    return many(connection, _MOVES_OF_DAY, DayMove, site_id=site_id, day=day)


def day_straps(connection: Connection, site_id: int, day: date) -> list[StrapRow]:
    return many(connection, _STRAPS, StrapRow, site_id=site_id, day=day)


def week_visits(connection: Connection, provider_id: int, first: date, last: date) -> list[WeekVisit]:
    """The visits of these days that need this person, with the minutes they are needed."""
    return many(connection, _WEEK, WeekVisit, provider_id=provider_id, first=first, last=last)


def one_visit(connection: Connection, visit_id: int) -> Visit | None:
    return one(connection, _ONE_BY_ID, Visit, visit_id=visit_id)


def visits_by_id(connection: Connection, visit_ids: Iterable[int]) -> dict[int, Visit]:
    """Those of them that there are."""
    ids = list(visit_ids) or [0]
    return {row.id: row for row in many(connection, _ONE.where(visit.c.id.in_(ids)), Visit)}


def visit_by_key(connection: Connection, key: str) -> Visit | None:
    return one(connection, _ONE.where(visit.c.request_key == key), Visit)


def track(connection: Connection, visit_id: int) -> list[TrackRow]:
    return many(connection, _TRACK, TrackRow, visit_id=visit_id)


def last_change(connection: Connection, visit_id: int) -> tuple[str, datetime, str]:
    """Who changed the visit last, when (UTC), and what: the newer of its track and its audit."""
    moved = track(connection, visit_id)[-1]
    said = connection.execute(
        select(audit.c.at, audit.c.detail, user.c.name)
        .join(user, user.c.id == audit.c.by_id, isouter=True)
        .where(audit.c.visit_id == visit_id)
        .order_by(audit.c.id.desc())
        .limit(1)
    ).first()
    if said is not None and said.at >= moved.at and said.detail.get("said"):
        return said.name or "Zax", said.at, said.detail["said"]
    return moved.name or "Zax", moved.at, f"moved it to “{STOP_WORDS[Stop(moved.to_stop)]}”"


def busy_people(
    connection: Connection, provider_ids: Iterable[int], days: Iterable[date]
) -> list[BusyPerson]:
    """Whoever needs these people on these days, at whichever site."""
    return many(connection, _BUSY, BusyPerson, provider_ids=list(provider_ids), days=list(days))


def own_visits(connection: Connection, patient_id: int, days: Iterable[date]) -> list[OwnVisit]:
    """The patient's own visits of these days that take time."""
    return many(connection, _OWN, OwnVisit, patient_id=patient_id, days=list(days))


def has_coming(connection: Connection, patient_id: int, type_id: int, after: date) -> bool:
    """Whether the patient has a visit of the type on a later day."""
    v = visit
    mine = (v.c.patient_id == patient_id, v.c.type_id == type_id, v.c.day > after)
    return bool(connection.scalar(select(exists().where(*mine, v.c.state.in_(sorted(EXPECTED))))))


def busy_rooms(connection: Connection, site_id: int, day: date) -> list[BusyRoom]:
    return many(connection, _ROOMS_BUSY, BusyRoom, site_id=site_id, day=day)


def in_rooms(connection: Connection, site_id: int, day: date) -> dict[int, InRoom]:
    """Who sits in which room of the site now, by room."""
    return {each.room_id: each for each in many(connection, _IN_ROOMS, InRoom, site_id=site_id, day=day)}


def lock_days(
    connection: Connection, people: Iterable[tuple[int, date]], rooms: Iterable[tuple[int, date]]
) -> None:
    """Take the provider-day and room-day rows for update and raise their versions, always in the same order.

    One upsert a kind: it takes each row's exclusive lock at once, whether the row is new or not, so two
    bookings wait for each other instead of both holding a shared lock that neither can raise.
    """
    for table, column, wanted in (
        (provider_day, provider_day.c.provider_id, people),
        (room_day, room_day.c.room_id, rooms),
    ):
        rows = [{column.name: number, "day": day, "version": 1} for number, day in sorted(set(wanted))]
        if rows:
            upsert = mysql_insert(table).values(rows)
            connection.execute(upsert.on_duplicate_key_update(version=table.c.version + 1))


def lock_visit(connection: Connection, visit_id: int) -> Visit | None:
    connection.execute(select(visit.c.id).where(visit.c.id == visit_id).with_for_update()).first()
    return one_visit(connection, visit_id)


def lock_visits(connection: Connection, visit_ids: Iterable[int]) -> dict[int, Visit]:
    """By id, each held until the transaction ends, in the order everybody holds them."""
    ids = sorted(visit_ids)
    if not ids:
        return {}
    connection.execute(
        select(visit.c.id).where(visit.c.id.in_(ids)).order_by(visit.c.id).with_for_update()
    ).all()
    return visits_by_id(connection, ids)


def person(connection: Connection, patient_id: int) -> Person | None:
    """The few facts of a patient that stand beside a booking."""
    p = patient
    query = select(p.c.id, p.c.first, p.c.last, p.c.birth, p.c.phone, p.c.likes, p.c.never)
    return one(connection, query.where(p.c.id == patient_id, p.c.status == "active"), Person)


def slots_of(connection: Connection, visit_id: int) -> list[StaffSlotRow]:
    query = select(staff_slot).where(staff_slot.c.visit_id == visit_id).order_by(staff_slot.c.id)
    return many(connection, query, StaffSlotRow)


def visits_of_type(connection: Connection, site_id: int, day: date, type_id: int) -> set[int]:
    """The visits of this type that take time at the site that day."""
    query = select(visit.c.id).where(
        visit.c.day == day, visit.c.site_id == site_id, visit.c.type_id == type_id, IN_THE_WAY
    )
    return set(connection.execute(query).scalars())


def visits_needing(connection: Connection, provider_id: int, day: date) -> list[int]:
    """The visits of the day that need this person, at whichever site."""
    query = (
        select(visit.c.id)
        .join(staff_slot, staff_slot.c.visit_id == visit.c.id)
        .where(staff_slot.c.provider_id == provider_id, staff_slot.c.day == day, IN_THE_WAY)
        .distinct()
        .order_by(visit.c.id)
    )
    return [*connection.execute(query).scalars()]


def held_requests(connection: Connection, site_id: int) -> list[HeldRequest]:
    """All that wait for an answer at the site, the most urgent first."""
    query = (
        select(visit, patient.c.first, patient.c.last, patient.c.email, patient.c.phone)
        .join(patient, patient.c.id == visit.c.patient_id)
        .where(visit.c.state == Stop.HELD, visit.c.site_id == site_id)
        .order_by(visit.c.held_until, visit.c.id)
    )
    return many(connection, query, HeldRequest)


def held_past(connection: Connection, now: datetime) -> list[int]:
    """The requests whose time to be answered is over."""
    query = select(visit.c.id).where(visit.c.state == Stop.HELD, visit.c.held_until <= now)
    return [*connection.execute(query.order_by(visit.c.id)).scalars()]


def active_patient_for_update(connection: Connection, patient_id: int) -> bool:
    """Hold the patient; whether there is such a one, and active or asking for a time online."""
    query = select(patient.c.status).where(patient.c.id == patient_id).with_for_update()
    return connection.execute(query).scalar() in {"active", "asked"}
