"""Recalls at work: set by a finished visit, at checkout, by hand or for many at once; changed, paused, and
ended only with a reason.

One recall is open a patient and type. A finished visit closes the one it does and sets the next
(`core.followup.recall.after_visit`); its checkout taken back, all is as before.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from zax.core.errors import Conflict, NotFound, Refused
from zax.core.followup.recall import AfterVisit, Interval, NextRecall, RecallType, after_visit, next_due
from zax.core.followup.returns import MONTHS_AHEAD, due_day
from zax.core.wording import day_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.followup.reasons_why import said
from zax.store.book.records import Visit
from zax.store.engine import Connection
from zax.store.followup import recalls as stored
from zax.store.followup.recalls import Recall
from zax.store.patients.patients import known_patient, patient_of, patients_of

DONE = "done"
TAKEN_BACK = "checkout taken back"


@dataclass(frozen=True, slots=True)
class SetForMany:
    """How many got the recall, and whom it left out and why."""

    set: int
    left_out: Mapping[str, int]


def recalls_after(
    connection: Connection,
    visit: Visit,
    codes: Collection[str],
    today: date,
    chosen: Mapping[int, Interval | None] | None = None,
) -> AfterVisit:
    """What finishing this visit does to the patient's recalls."""
    return _after(connection, visit, codes, stored.recalls_of(connection, visit.patient_id, today), chosen)


def _after(
    connection: Connection,
    visit: Visit,
    codes: Collection[str],
    rows: Sequence[Recall],
    chosen: Mapping[int, Interval | None] | None,
) -> AfterVisit:
    return after_visit(
        stored.recall_types(connection).values(),
        {row.recall_type_id for row in rows},
        {row.recall_type_id: row.own for row in rows if row.own},
        dict(chosen or {}),
        type_id=visit.type_id,
        codes=codes,
        day=visit.day,
        birth=known_patient(connection, visit.patient_id).birth,
    )


def write_recalls(
    tx: Transaction, visit: Visit, codes: Collection[str], chosen: Mapping[int, Interval | None] | None = None
) -> AfterVisit:
    """After this visit: what it did is closed, what comes next is set."""
    rows = stored.hold_recalls_of(tx.connection, visit.patient_id, tx.clinic_day)
    after = _after(tx.connection, visit, codes, rows, chosen)
    by_type = {row.recall_type_id: row for row in rows}
    for kind in (*after.done, *after.ended):
        words = DONE if kind in after.done else "ended by what was done"
        _close(tx, by_type[kind.id], words, visit.id)
    for each in after.next:
        _set(tx, visit.patient_id, each, visit.id)
    return after


def take_back_recalls(tx: Transaction, visit: Visit) -> None:
    """The visit isn't finished after all: what it set is closed, what it closed is open again."""
    for number in stored.set_by_visit(tx.connection, visit.id):
        row = held(tx, number)
        _close(tx, row, TAKEN_BACK, None)
    if stored.open_again(tx.connection, visit.id):
        tx.audit("recall.again", patient_id=visit.patient_id, visit_id=visit.id)


@act("book")
def set_recall(tx: Transaction, patient_id: int, type_id: int, by_when: str, note: str = "") -> int:
    """By hand: due on the day said, or one interval from today for nothing; its id. Conflict when they have
    it. Raises Problems beside `recall_type_id`, `by` and `note`.
    """
    kind = _kind(tx.connection, type_id)
    patient = patient_of(tx.connection, patient_id)
    if patient is None or patient.status == "merged":
        raise NotFound("There is no such patient.")
    rows = stored.hold_recalls_of(tx.connection, patient_id, tx.clinic_day)
    if any(row.recall_type_id == kind.id for row in rows):
        raise Conflict(f"They’re recalled for {kind.name} already. Change that one.", "recall_type_id")
    due = due_day(by_when.strip(), tx.clinic_day) if by_when.strip() else next_due(tx.clinic_day, kind.every)
    return _set(tx, patient_id, NextRecall(kind, due), None, _note(note))


@act("book")
def set_for_many(tx: Transaction, patient_ids: Sequence[int], type_id: int, by_when: str) -> SetForMany:
    """The same recall for everybody on a list; who has it, or whose age it isn't for, is left out and
    counted.
    """
    kind = _kind(tx.connection, type_id)
    due = due_day(by_when.strip(), tx.clinic_day) if by_when.strip() else next_due(tx.clinic_day, kind.every)
    wanted = list(dict.fromkeys(patient_ids))
    have = {
        row.patient_id
        for row in stored.recalls_among(tx.connection, wanted, tx.clinic_day)
        if row.recall_type_id == kind.id
    }
    left_out, count = {"have it already": 0, "not of that age": 0, "not active": 0}, 0
    people = patients_of(tx.connection, wanted)
    for number in wanted:
        patient = people.get(number)
        if patient is None or patient.status != "active":
            left_out["not active"] += 1
        elif number in have:
            left_out["have it already"] += 1
        elif not kind.fits(patient.birth, due):
            left_out["not of that age"] += 1
        else:
            _set(tx, number, NextRecall(kind, due), None)
            count += 1
    return SetForMany(count, {words: many for words, many in left_out.items() if many})


@act("book")
def change_recall(
    tx: Transaction, recall_id: int, by_when: str, every: Interval | None, note: str, version: int
) -> None:
    """Another day or interval for this patient, with a note. Refused beside `by` and `note`; Conflict when it
    was changed meanwhile.
    """
    row = _open(tx, recall_id)
    if row.version != version:
        raise Conflict("Someone else changed this recall just now. Look at it again.")
    kind = stored.recall_types(tx.connection)[row.recall_type_id]
    due = due_day(by_when.strip(), tx.clinic_day) if by_when.strip() else row.due_day
    own = every if every not in {None, kind.every} else None
    if (due, own) != (row.due_day, row.own) and not note.strip():
        raise Refused("Say why it’s another day or interval for them.", "note")
    stored.change_recall(
        tx.connection,
        row.id,
        due_day=due,
        own_count=own.count if own else 0,
        own_unit=str(own.unit) if own else "",
        note=_note(note),
        version=row.version + 1,
    )
    words = f"{row.name}: due {day_words(due, year=True)}, every {(own or kind.every).words}"
    _noted(tx, row, "changed", f"{words}: {note.strip()}" if note.strip() else words)


@act("book")
def pause_recall(tx: Transaction, recall_id: int, until: date | None, why: str = "") -> None:
    """Leave it until a day, with a reason; it stays on the list. None: it counts again."""
    row = _open(tx, recall_id)
    if until is None:
        stored.change_recall(tx.connection, row.id, paused_until=None, version=row.version + 1)
        _noted(tx, row, "paused", f"{row.name} counts again")
        return
    if not tx.clinic_day < until <= tx.clinic_day + timedelta(days=31 * MONTHS_AHEAD):
        raise Refused("Choose a day from tomorrow on, within two years.", "until")
    because = said(why)
    stored.change_recall(tx.connection, row.id, paused_until=until, note=because, version=row.version + 1)
    _noted(tx, row, "paused", f"{row.name} left until {day_words(until, year=True)}: {because}")


@act("book")
def end_recall(tx: Transaction, recall_id: int, why: str) -> None:
    """No longer to be recalled for this, because. Refused beside `why`; twice is once."""
    row = held(tx, recall_id)
    if row.ended_at is None:
        _close(tx, row, said(why), None)


@act("book")
def reopen_recall(tx: Transaction, recall_id: int) -> None:
    """Ended by mistake. Conflict for one that was done, or that another took the place of."""
    row = held(tx, recall_id)
    if row.ended_at is None:
        return
    if row.done_visit_id is not None:
        raise Conflict("This one was done. The next is set already, or set it by hand.")
    others = stored.hold_recalls_of(tx.connection, row.patient_id, tx.clinic_day)
    if any(each.recall_type_id == row.recall_type_id for each in others):
        raise Conflict(f"They’re recalled for {row.name} again already.")
    stored.change_recall(
        tx.connection, row.id, ended_at=None, ended_by=None, ended_how="", version=row.version + 1
    )
    _noted(tx, row, "again", f"{row.name} is open again")


def held(tx: Transaction, recall_id: int) -> Recall:
    """Held until the act ends. Raises NotFound."""
    row = stored.hold_recall(tx.connection, recall_id, tx.clinic_day)
    if row is None:
        raise NotFound("There is no such recall.")
    return row


def _open(tx: Transaction, recall_id: int) -> Recall:
    row = held(tx, recall_id)
    if row.ended_at is not None:
        raise Conflict(f"This recall is over: {row.ended_how}.")
    return row


def _kind(connection: Connection, type_id: int) -> RecallType:
    kind = stored.recall_types(connection).get(type_id)
    if kind is None or not kind.active:
        raise Refused("Choose a recall from the list.", "recall_type_id")
    return kind


def _note(note: str) -> str:
    return said(note, "note") if note.strip() else ""


def _set(tx: Transaction, patient_id: int, each: NextRecall, visit_id: int | None, note: str = "") -> int:
    made = stored.add_recall(
        tx.connection,
        patient_id=patient_id,
        recall_type_id=each.kind.id,
        own_count=each.own.count if each.own else 0,
        own_unit=str(each.own.unit) if each.own else "",
        due_day=each.due,
        note=note,
        made_at=tx.now,
        made_by=tx.actor.id,
        visit_id=visit_id,
    )
    tx.audit(
        "recall.set",
        patient_id=patient_id,
        visit_id=visit_id,
        recall=made,
        words=f"{each.kind.name} due {day_words(each.due, year=True)}",
    )
    tx.tell("patient", patient_id=patient_id)
    return made


def _close(tx: Transaction, row: Recall, how: str, done_visit_id: int | None) -> None:
    stored.change_recall(
        tx.connection,
        row.id,
        ended_at=tx.now,
        ended_by=tx.actor.id,
        ended_how=how,
        done_visit_id=done_visit_id,
        version=row.version + 1,
    )
    _noted(tx, row, "ended", f"{row.name}: {how}")


def _noted(tx: Transaction, row: Recall, kind: str, words: str) -> None:
    tx.audit(f"recall.{kind}", patient_id=row.patient_id, recall=row.id, words=words[:200])
    tx.tell("patient", patient_id=row.patient_id)
