"""The steps of a visit along its track: confirm, to a room, through its stages, back (checking in is
zax.desk.arrivals.check_in). Each is one press and one row with who and when.

A visit of a past day is left as it was; only its track may be corrected, with a reason.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date

from zax.core.arrivals.stages import first_stage
from zax.core.book.hours import Span
from zax.core.book.track import EXPECTED, ON_THE_BOOK, Stop, check_move
from zax.core.clinic.places import Room
from zax.core.errors import Conflict, NotFound, Refused, Stale
from zax.core.people.roles import require
from zax.core.wording import day_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.placing import check_still_free
from zax.store.book import changes, planned, waitlist
from zax.store.book import queries as visits
from zax.store.book.records import Visit


def write_move(tx: Transaction, visit_id: int, from_stop: str, to: Stop, reason: str = "") -> None:
    """One row of the track: who, when, from, to."""
    changes.write_move(
        tx.connection,
        visit_id,
        from_stop=from_stop,
        to_stop=to,
        at=tx.now,
        by_id=tx.actor.id,
        reason=reason,
    )


def step(tx: Transaction, visit: Visit, to: Stop, reason: str = "", *, after: Visit | None = None) -> None:
    """Put a locked visit on another stop: the row, the version, the feed. `after` is the visit with what else
    changes.

    Raises what the track refuses.
    """
    move = check_move(Stop(visit.state), to, reason)
    require(tx.actor.role, move.right, tx.clinic.roles.values())
    after = replace(after or visit, state=to)
    if to in _ON_THE_PREMISES:
        after = replace(after, stage_id=_change_place(tx, visit, to, after.room_id))
    changes.save_visit(tx.connection, visit, after)
    write_move(tx, visit.id, visit.state, to, reason)
    tx.tell("visit", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)


_ON_THE_PREMISES = frozenset({Stop.HERE, Stop.ROOM, Stop.CHECKOUT})


def _change_place(tx: Transaction, visit: Visit, to: Stop, room_id: int) -> int | None:
    """A step on the premises is a change of place: into a room at the clinic's first stage, out of it at
    none. The stage.
    """
    stages = list(tx.clinic.stages.values())
    first = first_stage(stages, tx.clinic.types[visit.type_id].dental) if to == Stop.ROOM else None
    note_place(tx, visit.id, room_id if to == Stop.ROOM else None, first.id if first else None)
    return first.id if first else None


def note_place(
    tx: Transaction, visit_id: int, room_id: int | None, stage_id: int | None, words: str = ""
) -> None:
    """One row of where somebody is: from now on there and at that stage."""
    changes.write_whereabouts(
        tx.connection,
        visit_id,
        room_id=room_id,
        stage_id=stage_id,
        at=tx.now,
        by_id=tx.actor.id,
        words=words,
    )


def locked_visit(tx: Transaction, visit_id: int, version: int | None = None) -> Visit:
    """The visit, locked; NotFound for an unknown id, Stale when the form showed an older version."""
    visit = visits.lock_visit(tx.connection, visit_id)
    if visit is None:
        raise NotFound("That visit doesn’t exist. The link may be old; look up the patient instead.")
    tx.at_site(visit.site_id)
    if version is not None and version != visit.version:
        who, at, what = visits.last_change(tx.connection, visit_id)
        ago = max(0, int((tx.desk.clock.now() - at).total_seconds() // 60))
        when = f"{ago} min ago" if ago else "just now"
        raise Stale(f"{who} {what} {when}. You’re seeing the latest now.")
    return visit


@act("book")
def confirm(tx: Transaction, visit_id: int, version: int | None = None) -> None:
    step(tx, locked_visit(tx, visit_id, version), Stop.CONFIRMED)


def check_correction(visit: Visit, today: date, reason: str) -> None:
    """A past day's track is corrected only with a reason."""
    if visit.day < today and not reason.strip():
        raise Refused(
            f"This visit was on {day_words(visit.day)}. Say briefly why you’re correcting it.",
            "reason",
        )


def take_time_again(tx: Transaction, visit: Visit) -> None:
    """A no-show is expected after all: their time must still be free, and what they lost
    comes back.
    """
    slots = visits.slots_of(tx.connection, visit.id)
    visits.lock_days(
        tx.connection, {(slot.provider_id, slot.day) for slot in slots}, {(visit.room_id, visit.day)}
    )
    check_still_free(tx, visit, replace(visit.place, state=Stop.BOOKED), slots, {visit.id})
    waitlist.end_lost(tx.connection, visit.id, tx.now, tx.actor.id, "came after all")
    planned.take_planned_again(tx.connection, visit.id)
    changes.forget_why_off(tx.connection, visit.id)


@act("arrivals")
def take_to_room(
    tx: Transaction, visit_id: int, room_id: int | None = None, version: int | None = None
) -> None:
    """Into the planned room, or another one; refused while somebody else sits there."""
    visit = locked_visit(tx, visit_id, version)
    room = _free_room(tx, visit, room_id or visit.room_id)
    step(tx, visit, Stop.ROOM, after=replace(visit, room_id=room.id))


@act("arrivals")
def move_room(tx: Transaction, visit_id: int, room_id: int, version: int | None = None) -> None:
    """Somebody in a room goes on to another one, at the same stage."""
    visit = locked_visit(tx, visit_id, version)
    if visit.state != Stop.ROOM:
        raise Conflict(f"{visit.first} {visit.last} is not in a room.", "room_id")
    if room_id == visit.room_id:
        raise Refused(f"{visit.first} {visit.last} is in that room already. Choose another.", "room_id")
    room = _free_room(tx, visit, room_id)
    changes.save_visit(tx.connection, visit, replace(visit, room_id=room.id))
    note_place(tx, visit.id, room.id, visit.stage_id)
    tx.audit(
        "visit.room_moved", patient_id=visit.patient_id, visit_id=visit.id, said=f"moved it to {room.name}"
    )
    tx.tell("visit", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)


@act("arrivals")
def set_stage(tx: Transaction, visit_id: int, stage_id: int, version: int | None = None) -> None:
    """The stage that somebody in a room is at now."""
    visit = locked_visit(tx, visit_id, version)
    stage = tx.clinic.stages.get(stage_id)
    if stage is None or not stage.active or stage.dental != tx.clinic.types[visit.type_id].dental:
        raise Refused("Choose a stage from the list.", "stage_id")
    if visit.state != Stop.ROOM:
        raise Conflict(f"{visit.first} {visit.last} is not in a room.", "stage_id")
    if visit.stage_id == stage.id:
        return
    changes.save_visit(tx.connection, visit, replace(visit, stage_id=stage.id))
    note_place(tx, visit.id, visit.room_id, stage.id)
    tx.audit("visit.stage", patient_id=visit.patient_id, visit_id=visit.id, said=f"set “{stage.name}”")
    tx.tell("visit", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)


def _free_room(tx: Transaction, visit: Visit, room_id: int) -> Room:
    """The room, locked for the day and empty; whoever was expected there gets another one. Conflict names who
    sits there.
    """
    room = tx.clinic.rooms.get(room_id)
    if room is None or room.site_id != visit.site_id:
        raise Refused("Choose a room of this site.", "room_id")
    alike = [r for r in tx.clinic.rooms.values() if r.site_id == visit.site_id and r.dental == room.dental]
    visits.lock_days(tx.connection, (), [(r.id, visit.day) for r in alike])
    inside = visits.in_rooms(tx.connection, visit.site_id, visit.day)
    other = inside.get(room.id)
    if other is not None and other.id != visit.id:
        free = [r.name for r in alike if r.id not in inside]
        hint = f" Free now: {', '.join(free)}." if free else " No other room is free."
        raise Conflict(f"{other.first} {other.last} is in {room.name}.{hint}", "room_id")
    if room.id != visit.room_id:
        _make_room(tx, visit, room.id)
    return room


def _make_room(tx: Transaction, visit: Visit, room_id: int) -> None:
    """Visits expected in the room that is taken now get another one for their time, where there is one."""
    span = Span(visit.start_min, visit.start_min + visit.minutes + visit.buffer_min)
    rows = visits.busy_rooms(tx.connection, visit.site_id, visit.day)
    taken = [
        (row.id, row.room_id, Span(row.start_min, row.start_min + row.minutes))
        for row in rows
        if row.id != visit.id
    ]
    for number, where, theirs in taken:
        if where != room_id or not theirs.overlaps(span):
            continue
        other = locked_visit(tx, number)
        busy = {r for n, r, s in taken if n != number and s.overlaps(theirs)} | {room_id}
        kind = tx.clinic.types[other.type_id]
        free = next(
            (r for r in tx.clinic.rooms_for(kind, visit.site_id, visit.room_id) if r.id not in busy), None
        )
        if other.state in ON_THE_BOOK and free is not None:
            changes.save_visit(tx.connection, other, replace(other, room_id=free.id))
            tx.audit(
                "visit.room_changed",
                patient_id=other.patient_id,
                visit_id=number,
                said=f"moved it to {free.name}",
            )
            tx.tell(
                "visit", site_id=other.site_id, day=other.day, visit_id=number, patient_id=other.patient_id
            )


@act("arrivals")
def step_back(tx: Transaction, visit_id: int, reason: str, version: int | None = None) -> None:
    """Undo a wrong step on the premises: back to where the visit came from, with a reason on record."""
    visit = locked_visit(tx, visit_id, version)
    if visit.state not in {Stop.HERE, Stop.ROOM, Stop.MISSED}:
        raise Refused("Only a step in the clinic can be undone here.")
    to = Stop.HERE if visit.state == Stop.ROOM else Stop.BOOKED
    if visit.state == Stop.HERE:
        came_from = [
            row.from_stop for row in visits.track(tx.connection, visit_id) if row.to_stop == Stop.HERE
        ]
        to = next((Stop(stop) for stop in reversed(came_from) if stop in EXPECTED), Stop.BOOKED)
    if visit.state == Stop.MISSED:
        take_time_again(tx, visit)
    step(tx, visit, to, reason)
    tx.audit("visit.stepped_back", patient_id=visit.patient_id, visit_id=visit.id, reason=reason)
