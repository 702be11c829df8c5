"""Undoing the last act on the Book: every such act keeps what its visits were like before, and can be taken back until something else
happened to one of them.

`Memo` collects while the act runs and is written with it, in the same transaction. Undoing is an act itself and takes the same locks.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from typing import Any

from sqlalchemy import Connection, delete, insert, select, update

from zax.core.book.track import ON_THE_BOOK, Stop, check_undo
from zax.core.errors import Conflict, NotFound, Refused
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.placing import check_still_free
from zax.store import schema
from zax.store.book import queries as visits

WITHIN = timedelta(hours=12)
_PLACE = (
    "site_id", "patient_id", "provider_id", "room_id", "type_id", "day", "start_min", "minutes", "buffer_min", "state", "note", "held_until", "off_why",
)  # fmt: skip


@dataclass(slots=True)
class Memo:
    """What one act on the Book changes."""

    tx: Transaction
    before: dict[int, dict[str, Any] | None] = field(default_factory=dict)
    waits_made: list[int] = field(default_factory=list)
    waits_ended: list[int] = field(default_factory=list)
    exceptions: list[int] = field(default_factory=list)
    messages: list[str] = field(default_factory=list)

    def look_at(self, visit: Any) -> None:
        """Keep a locked visit as it is now; call before changing it."""
        self.before.setdefault(visit.id, _snapshot(self.tx.connection, visit))

    def made(self, visit_id: int) -> None:
        self.before[visit_id] = None

    def write(self, words: str) -> None:
        """Keep it as the actor's last act; `words` say what was done, such as 'moved Victor Lund to 14:00'."""
        connection, v = self.tx.connection, schema.visit
        found = connection.execute(select(v.c.id, v.c.version).where(v.c.id.in_(list(self.before) or [0])))
        after = {row.id: row.version for row in found}
        detail = {
            "visits": [{"id": number, "after": after[number], "before": before} for number, before in self.before.items()],
            "waits_made": self.waits_made, "waits_ended": self.waits_ended, "exceptions": self.exceptions, "messages": self.messages,
        }  # fmt: skip
        self.tx.add(schema.book_act, by_id=self.tx.actor.id, at=self.tx.now, words=words[:200], detail=detail)


def _snapshot(connection: Connection, visit: Any) -> dict[str, Any]:
    s, line, h = schema.staff_slot, schema.charge_line, schema.shelf
    slots = connection.execute(
        select(s.c.provider_id, s.c.day, s.c.start_min, s.c.end_min, s.c.words)
        .where(s.c.visit_id == visit.id)
        .order_by(s.c.id)
    ).all()
    lines = connection.execute(
        select(line.c.id, line.c.planned_id).where(line.c.visit_id == visit.id, line.c.removed_at.is_(None))
    ).all()
    row = connection.execute(select(schema.visit).where(schema.visit.c.id == visit.id)).one()
    kept = connection.execute(select(h).where(h.c.visit_id == visit.id)).first()
    return {
        "place": {name: _plain(getattr(row, name)) for name in _PLACE},
        "slots": [[_plain(value) for value in slot] for slot in slots],
        "lines": [line.id for line in lines],
        "planned": [line.planned_id for line in lines if line.planned_id],
        "shelf": {name: _plain(getattr(kept, name)) for name in ("user_id", "shared", "was", "words", "at")}
        if kept
        else None,
    }


def _plain(value: Any) -> Any:
    return value.isoformat() if isinstance(value, date | datetime) else value


def last_act(connection: Connection, user_id: int | None, now: datetime) -> Any:
    """The newest act on the Book of this person that could be undone, or None."""
    a = schema.book_act
    found = connection.execute(
        select(a.c.id, a.c.words, a.c.undone_at)
        .where(a.c.by_id == user_id, a.c.at > now - WITHIN)
        .order_by(a.c.id.desc())
        .limit(1)
    ).first()
    return found if found is not None and found.undone_at is None else None


@act("book")
def undo_act(tx: Transaction, act_id: int) -> str:
    """Take the act back and say what was undone. Conflict when something else happened since, or its time is taken now."""
    a = schema.book_act
    row = tx.one(select(a).where(a.c.id == act_id, a.c.by_id == tx.actor.id).with_for_update())
    if row is None:
        raise NotFound("There is nothing of yours to undo.")
    if row.undone_at is not None:
        raise Conflict("This was undone already.")
    if row.at < tx.now - WITHIN:
        raise Refused("This was done too long ago to be undone. Change the visit itself.")
    detail = row.detail
    now = {
        each["id"]: visits.lock_visit(tx.connection, each["id"])
        for each in sorted(detail["visits"], key=lambda each: each["id"])
    }
    for each in detail["visits"]:
        if now[each["id"]].version != each["after"]:
            raise Conflict(
                f"{_what_since(tx, now[each['id']])} It cannot be undone any more; change the visit itself."
            )
    _lock_back(tx, detail, now)
    leaving = frozenset(now)
    for each in detail["visits"]:
        if each["before"]:
            _check_not_over(tx, each["before"]["place"])
            check_still_free(tx, now[each["id"]], each["before"]["place"], each["before"]["slots"], leaving)
    for each in detail["visits"]:
        _put_back(tx, now[each["id"]], each["before"])
    _settle_rest(tx, detail)
    tx.connection.execute(update(a).where(a.c.id == act_id).values(undone_at=tx.now))
    return str(row.words)


def _what_since(tx: Transaction, visit: Any) -> str:
    who, _, _ = visits.last_change(tx.connection, visit.id)
    return f"{who} has changed the visit of {visit.first} {visit.last} since."


def _check_not_over(tx: Transaction, where: dict[str, Any]) -> None:
    """Past days stay as they were, also by way of undoing."""
    if where["state"] in ON_THE_BOOK and date.fromisoformat(where["day"]) < tx.business_day(where["site_id"]):
        raise Refused("That day is over, so nothing can be put back into it.")


def _lock_back(tx: Transaction, detail: dict[str, Any], now: dict[int, Any]) -> None:
    people, rooms = set(), set()
    for each in detail["visits"]:
        if each["before"]:
            where = each["before"]["place"]
            day = date.fromisoformat(where["day"])
            rooms.add((where["room_id"], day))
            people |= {(slot[0], date.fromisoformat(slot[1])) for slot in each["before"]["slots"]}
    visits.lock_days(tx.connection, people, rooms)


def _put_back(tx: Transaction, visit: Any, before: dict[str, Any] | None) -> None:
    connection, v = tx.connection, schema.visit
    if before is None:
        values: dict[str, Any] = {"state": Stop.CANCELLED, "off_why": "mistake"}
        free_planned(tx, visit.id)
    else:
        values = dict(before["place"])
        _put_slots_back(tx, visit.id, before)
        _put_lines_back(tx, visit.id, before)
    to = Stop(values["state"])
    if to != visit.state:
        check_undo(Stop(visit.state), to)
        tx.add(
            schema.track_move,
            visit_id=visit.id,
            from_stop=visit.state,
            to_stop=to,
            at=tx.now,
            by_id=tx.actor.id,
            reason="undone",
        )
    connection.execute(update(v).where(v.c.id == visit.id).values(**values, version=v.c.version + 1))
    tx.audit("visit.undone", patient_id=visit.patient_id, visit_id=visit.id, said="undid the last change")
    for day in {visit.day, date.fromisoformat(before["place"]["day"]) if before else visit.day}:
        tx.tell("visit", site_id=visit.site_id, day=day, visit_id=visit.id, patient_id=visit.patient_id)


def _put_slots_back(tx: Transaction, visit_id: int, before: dict[str, Any]) -> None:
    connection, s, h = tx.connection, schema.staff_slot, schema.shelf
    connection.execute(delete(s).where(s.c.visit_id == visit_id))
    names = ("provider_id", "day", "start_min", "end_min", "words")
    if before["slots"]:
        connection.execute(
            insert(s), [dict(zip(names, slot, strict=True)) | {"visit_id": visit_id} for slot in before["slots"]]
        )
    connection.execute(delete(h).where(h.c.visit_id == visit_id))
    if before["shelf"]:
        connection.execute(insert(h).values(visit_id=visit_id, **before["shelf"]))


def _put_lines_back(tx: Transaction, visit_id: int, before: dict[str, Any]) -> None:
    connection, line, p = tx.connection, schema.charge_line, schema.planned_service
    connection.execute(
        update(line)
        .where(line.c.visit_id == visit_id, line.c.id.not_in(before["lines"] or [0]), line.c.removed_at.is_(None))
        .values(removed_at=tx.now)
    )
    connection.execute(update(line).where(line.c.id.in_(before["lines"] or [0])).values(removed_at=None))
    connection.execute(update(p).where(p.c.visit_id == visit_id).values(visit_id=None))
    connection.execute(update(p).where(p.c.id.in_(before["planned"] or [0])).values(visit_id=visit_id))


def _settle_rest(tx: Transaction, detail: dict[str, Any]) -> None:
    """Waitlist, absence and messages as they were."""
    connection, w, e, o = tx.connection, schema.waiting, schema.provider_exception, schema.outbox
    connection.execute(
        update(w)
        .where(w.c.id.in_(detail["waits_made"] or [0]))
        .values(ended_at=tx.now, ended_by=tx.actor.id, ended_why="undone")
    )
    for number in detail["waits_ended"]:
        row = connection.execute(select(w).where(w.c.id == number)).one()
        twin = connection.execute(
            select(w.c.id).where(w.c.open_key == f"{row.patient_id}-{row.why}-{row.type_id}")
        ).first()
        if twin is None:
            connection.execute(update(w).where(w.c.id == number).values(ended_at=None, ended_by=None, ended_why=""))
    if detail["exceptions"]:
        connection.execute(update(e).where(e.c.id.in_(detail["exceptions"])).values(ended_at=tx.now))
        tx.change_setup("hours.exception_undone")
    connection.execute(
        update(o)
        .where(o.c.request_key.in_(detail["messages"] or [""]), o.c.state == "waiting")
        .values(state="withdrawn")
    )


def free_planned(tx: Transaction, visit_id: int) -> None:
    """The planned services of a visit go back to planned."""
    p = schema.planned_service
    tx.connection.execute(update(p).where(p.c.visit_id == visit_id, p.c.done_at.is_(None)).values(visit_id=None))
