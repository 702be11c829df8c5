"""Whom the rules have told, and what the planner asks of the log."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, func, insert, select, update

from zax.core.messages.message import State
from zax.core.notices.events import Event
from zax.store.rows import many
from zax.store.schema import audit, message, notice_told, patient_return, recall, visit, waiting

_t = notice_told


def write_told(connection: Connection, rows: Sequence[Mapping[str, object]]) -> None:
    """Each as event, channel, try_no, subject_id, mark, about, patient_id, message_id, why_not, at."""
    if rows:
        connection.execute(insert(_t), rows)


@dataclass(frozen=True, slots=True, kw_only=True)
class Told:
    """One subject that a message is about."""

    id: int
    event: str
    subject_id: int
    mark: str
    about: str
    patient_id: int
    why_not: str


def told_of(connection: Connection, message_id: int) -> list[Told]:
    """What a message is about, in the order it was planned."""
    return many(connection, select(_t).where(_t.c.message_id == message_id).order_by(_t.c.id), Told)


def tell_again(connection: Connection, message_id: int, request_key: str) -> None:
    """What a message was about, another one is now: that of this key."""
    again = connection.execute(select(message.c.id).where(message.c.request_key == request_key)).scalar_one()
    connection.execute(update(_t).where(_t.c.message_id == message_id).values(message_id=again))


def last_told(connection: Connection, visit_ids: Iterable[int], channel: str) -> dict[int, str]:
    """The time of each visit that its patient was told last when it was booked or moved."""
    query = (
        select(_t.c.subject_id, _t.c.about)
        .where(
            _t.c.event.in_((Event.BOOKED, Event.MOVED)),
            _t.c.channel == channel,
            _t.c.subject_id.in_(list(visit_ids)),
            _t.c.about != "",
        )
        .order_by(_t.c.id)
    )
    return {row.subject_id: row.about for row in connection.execute(query)}


def last_placed(connection: Connection, visit_ids: Iterable[int]) -> dict[int, datetime]:
    """When each visit was put where it stands: booked there or moved there last."""
    ids = list(visit_ids)
    made = select(visit.c.id, visit.c.made_at).where(visit.c.id.in_(ids))
    found = {row.id: row.made_at for row in connection.execute(made)}
    moved = (
        select(audit.c.visit_id, func.max(audit.c.at).label("at"))
        .where(audit.c.visit_id.in_(ids), audit.c.act == "visit.moved")
        .group_by(audit.c.visit_id)
    )
    return found | {row.visit_id: row.at for row in connection.execute(moved)}


def marks_told(
    connection: Connection, event: str, channel: str, try_no: int, subject_ids: Iterable[int]
) -> set[tuple[int, str]]:
    """Which occasions of these subjects are told or skipped."""
    query = select(_t.c.subject_id, _t.c.mark).where(
        _t.c.event == event,
        _t.c.channel == channel,
        _t.c.try_no == try_no,
        _t.c.subject_id.in_(list(subject_ids)),
    )
    return {(row.subject_id, row.mark) for row in connection.execute(query)}


def say_about(connection: Connection, told_id: int, about: str) -> None:
    """The time that it says after all."""
    connection.execute(update(_t).where(_t.c.id == told_id).values(about=about))


def still_open(connection: Connection, event: str, subject_ids: Sequence[int]) -> bool:
    """Whether what a message without a visit is about still is: a recall or return nobody booked or ended, a
    place on the waitlist. What has merely happened stays true.
    """
    open_ones = {
        Event.RECALL: select(recall.c.id).where(recall.c.ended_at.is_(None), recall.c.visit_id.is_(None)),
        Event.RETURN: select(patient_return.c.id).where(
            patient_return.c.ended_at.is_(None), patient_return.c.booked_visit_id.is_(None)
        ),
        Event.WAITLIST: select(waiting.c.id).where(waiting.c.ended_at.is_(None)),
    }
    query = open_ones.get(Event(event))
    if query is None:
        return True
    return connection.execute(query.where(query.selected_columns[0].in_(subject_ids))).first() is not None


def last_due(connection: Connection, channel: str, event: str = "") -> datetime | None:
    """When the last message that waits for this channel is to go; of one event where it is named."""
    which = [message.c.state == State.WAITING, message.c.channel == channel]
    if event:
        which = [message.c.event == event, message.c.channel == channel]
    found: datetime | None = connection.execute(select(func.max(message.c.due_at)).where(*which)).scalar()
    return found
