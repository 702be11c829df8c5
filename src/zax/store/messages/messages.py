"""Messages to patients as they are kept. A message and the errand that carries it out have one key."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, Connection, and_, func, or_, select, update
from sqlalchemy.dialects.mysql import insert

from zax.core.messages.channel import Channel
from zax.core.messages.message import NOT_GONE, Sort, State
from zax.store.acts.outbox import ErrandState
from zax.store.acts.tables import outbox
from zax.store.messages.tables import address, message
from zax.store.rows import change, many, one
from zax.store.schema import notice_told, patient

ERRAND = "message"
_m = message


@dataclass(frozen=True, slots=True, kw_only=True)
class Message:
    """A row of the log; moments are UTC."""

    id: int
    request_key: str
    patient_id: int | None
    visit_id: int | None
    event: str
    channel: str
    language: str
    address: str
    subject: str
    words: str
    why: str
    state: str
    state_words: str
    try_no: int
    parts: int
    pressed: str
    by_id: int | None
    made_at: datetime
    due_at: datetime
    sent_at: datetime | None
    state_at: datetime | None
    opened_at: datetime | None
    asks: str
    seen_at: datetime | None
    link: str | None
    paper: str
    paper_name: str
    attached: bool
    wrong_tries: int


@dataclass(frozen=True, slots=True, kw_only=True)
class NewMessage:
    """What is to go; `words` empty where they are filled when it goes."""

    request_key: str
    event: str
    channel: str
    made_at: datetime
    due_at: datetime
    patient_id: int | None = None
    visit_id: int | None = None
    language: str = "en"
    address: str = ""
    subject: str = ""
    words: str = ""
    why: str = ""
    by_id: int | None = None
    try_no: int = 0
    link: str | None = None
    paper: str = ""
    paper_name: str = ""
    attached: bool = False


def put_messages(connection: Connection, made: Sequence[NewMessage]) -> None:
    """Write them with their errands; one with a key that is there stays as it is, unless it was taken back:
    then it is on its way again with the new words.
    """
    if not made:
        return
    rows = [{name: getattr(each, name) for name in NewMessage.__dataclass_fields__} for each in made]
    new = insert(_m)
    again = _m.c.state == State.WITHDRAWN
    # In this order: the state decides about the others, so it is changed last.
    renewed = [
        *((name, func.if_(again, new.inserted[name], _m.c[name])) for name in ("words", "subject", "due_at")),
        ("state", func.if_(again, State.WAITING, _m.c.state)),
    ]
    connection.execute(new.on_duplicate_key_update(renewed), rows)
    errands = insert(outbox)
    back = outbox.c.state == ErrandState.WITHDRAWN
    on_its_way = [
        ("due_at", func.if_(back, errands.inserted.due_at, outbox.c.due_at)),
        ("done_at", func.if_(back, None, outbox.c.done_at)),
        ("state", func.if_(back, ErrandState.WAITING, outbox.c.state)),
    ]
    connection.execute(
        errands.on_duplicate_key_update(on_its_way),
        [
            {
                "kind": ERRAND,
                "request_key": each.request_key,
                "payload": {},
                "due_at": each.due_at,
                "made_at": each.made_at,
                "state": ErrandState.WAITING,
            }
            for each in made
        ],
    )


def hold_message(connection: Connection, request_key: str) -> Message | None:
    query = select(_m).where(_m.c.request_key == request_key).with_for_update()
    return one(connection, query, Message)


def message_by_id(connection: Connection, message_id: int) -> Message | None:
    return one(connection, select(_m).where(_m.c.id == message_id), Message)


def visits_meant(connection: Connection, message_ids: Iterable[int]) -> dict[int, int]:
    """The visit that each message is about, by the message; without those about none."""
    query = select(_m.c.id, _m.c.visit_id).where(_m.c.id.in_(set(message_ids)), _m.c.visit_id.is_not(None))
    return {row.id: row.visit_id for row in connection.execute(query)}


def message_by_key(connection: Connection, request_key: str) -> Message | None:
    return one(connection, select(_m).where(_m.c.request_key == request_key), Message)


def message_by_link(connection: Connection, link: str) -> Message | None:
    return one(connection, select(_m).where(_m.c.link == link), Message)


def change_message(connection: Connection, message_id: int, **values: object) -> None:
    change(connection, _m, message_id, **values)


def ids_of(connection: Connection, keys: Iterable[str]) -> dict[str, int]:
    """The messages of these keys."""
    query = select(_m.c.request_key, _m.c.id).where(_m.c.request_key.in_(list(keys)))
    return {row.request_key: row.id for row in connection.execute(query)}


def messages_about(connection: Connection, patient_id: int, most: int) -> list[Message]:
    """What was written to or about a patient, the newest first; also where they share a message."""
    shared = select(notice_told.c.message_id).where(notice_told.c.patient_id == patient_id)
    mine = or_(_m.c.patient_id == patient_id, _m.c.id.in_(shared))
    return many(connection, select(_m).where(mine).order_by(_m.c.id.desc()).limit(most), Message)


def messages_to(connection: Connection, phone: str, since: datetime) -> list[Message]:
    """What went to this address since then, the newest first."""
    query = select(_m).where(_m.c.address == phone, _m.c.made_at >= since, _m.c.sent_at.is_not(None))
    return many(connection, query.order_by(_m.c.sent_at.desc(), _m.c.id.desc()), Message)


def take_back(
    connection: Connection,
    now: datetime,
    *,
    keys: Collection[str] | None = None,
    to: str | None = None,
    patient_id: int | None = None,
    state_words: str = "",
) -> int:
    """Those that have not gone, by their keys, where they go or whom they are about; how many."""
    which: list[ColumnElement[bool]] = [_m.c.state.in_(sorted(NOT_GONE))]
    if keys is not None:
        which.append(_m.c.request_key.in_(sorted(keys)))
    if to is not None:
        which.append(_m.c.address == to)
    if patient_id is not None:
        which.append(_m.c.patient_id == patient_id)
    waiting = list(connection.execute(select(_m.c.request_key).where(*which).with_for_update()).scalars())
    if not waiting:
        return 0
    mine = _m.c.request_key.in_(waiting)
    gone = {"state": State.WITHDRAWN, "state_at": now, "state_words": state_words}
    connection.execute(update(_m).where(mine).values(**gone))
    errand = (outbox.c.request_key.in_(waiting), outbox.c.state == ErrandState.WAITING)
    connection.execute(update(outbox).where(*errand).values(state=ErrandState.WITHDRAWN, done_at=now))
    return len(waiting)


@dataclass(frozen=True, slots=True)
class AddressRow:
    """`kind` of a phone, `trouble` why nothing goes there; each empty where nothing is known."""

    address: str
    kind: str
    trouble: str
    at: datetime


def known_addresses(connection: Connection, addresses: Iterable[str]) -> Mapping[str, AddressRow]:
    """What is known of these."""
    wanted = sorted({each for each in addresses if each})
    if not wanted:
        return {}
    query = select(address).where(address.c.address.in_(wanted))
    return {row.address: row for row in many(connection, query, AddressRow)}


def keep_address(connection: Connection, where: str, at: datetime, **values: Any) -> None:
    """Set `kind` or `trouble` of an address."""
    row = insert(address).values(address=where, at=at, **values)
    connection.execute(row.on_duplicate_key_update(at=at, **values))


def last_tests(connection: Connection, most: int) -> list[Message]:
    """The tests that were sent last, the newest first."""
    query = select(_m).where(_m.c.event == Sort.TEST).order_by(_m.c.id.desc()).limit(most)
    return many(connection, query, Message)


def sent_last(
    connection: Connection,
    since: datetime,
    until: datetime,
    channels: Collection[str],
    events: Collection[str] = (),
) -> list[datetime]:
    """When what went out after the one moment and up to the other went, the oldest first; of some events
    alone, where they are named.
    """
    between = and_(_m.c.sent_at > since, _m.c.sent_at <= until)
    query = select(_m.c.sent_at).where(_m.c.channel.in_(sorted(channels)), between)
    if events:
        query = query.where(_m.c.event.in_(sorted(events)))
    return list(connection.execute(query.order_by(_m.c.sent_at)).scalars())


def texts_since(connection: Connection, since: datetime) -> int:
    """How many texts the phone network counts since then: a long one is several."""
    query = select(func.coalesce(func.sum(_m.c.parts), 0)).where(
        _m.c.channel == Channel.TEXT, _m.c.sent_at >= since
    )
    return int(connection.execute(query).scalar_one())


def never_reached(connection: Connection, topics: Collection[str]) -> dict[str, int]:
    """How many people are out of reach for all rules, by the reason."""
    p = patient
    inactive = select(func.count()).select_from(p).where(p.c.status.in_(("inactive", "deceased")))
    no_texts = select(func.count()).select_from(p).where(p.c.status == "active", p.c.texts_to == "none")
    opted = [func.json_value(p.c.reach, f"$.{topic}.by") == "none" for topic in topics]
    opted_out = select(func.count()).select_from(p).where(p.c.status == "active", or_(*opted))
    trouble = select(func.count()).select_from(address).where(address.c.trouble != "")
    counts = [inactive, no_texts, opted_out, trouble]
    found = [int(connection.execute(query).scalar_one()) for query in counts]
    return dict(zip(("inactive", "no_texts", "opted_out", "trouble"), found, strict=True))
