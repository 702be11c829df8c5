"""Returns at work: asked for, hung on a visit, tried, paused, changed, and ended only with a reason. Every
step is kept as evidence: who did what and when.

What hangs on a visit is booked for as long as that visit stands; nobody has to remember it when the visit is
missed or taken off (`core.followup.due`).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from zax.core.book.track import FREES_THE_TIME, Stop
from zax.core.errors import Conflict, NotFound, Refused
from zax.core.followup.due import OPEN, Stand
from zax.core.followup.returns import due_day, ordered
from zax.core.form import Choice, Form, Tick
from zax.core.wording import day_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.followup.reasons_why import said
from zax.desk.followup.tries import write_try
from zax.store.book.queries import one_visit
from zax.store.followup import returns as stored
from zax.store.followup.returns import Return
from zax.store.followup.tries import ContactTry
from zax.store.patients.patients import patient_of


class ReturnForm(Form):
    """A return as typed: a reason of the list, words of one's own, or both; `by_when` as people say it."""

    reason_id: Choice = 0
    words: str = ""
    by_when: str = ""
    for_whom: str = ""
    urgent: Tick = False
    visit_id: Choice = 0


@dataclass(frozen=True, slots=True)
class TriedReturn:
    """A return with the tries that were about it and stand."""

    row: Return
    tries: Sequence[ContactTry]
    stand: Stand


@act("charges")
def ask_return(tx: Transaction, patient_id: int, form: ReturnForm) -> int:
    """The patient is to come back; the return's id. Raises Problems beside the fields."""
    patient = patient_of(tx.connection, patient_id)
    if patient is None or patient.status == "merged":
        raise NotFound("There is no such patient.")
    reason = next((each for each in stored.reasons(tx.connection) if each.id == form.reason_id), None)
    if reason is not None and not reason.active:
        raise Refused("This reason is no longer used. Choose another.", "reason_id")
    order = ordered(
        reason,
        form.words,
        form.by_when,
        tx.clinic_day,
        for_whom=form.for_whom,
        urgent=form.urgent or (reason.urgent if reason else False),
    )
    visit = one_visit(tx.connection, form.visit_id) if form.visit_id else None
    if visit is not None and visit.patient_id != patient_id:
        raise Refused("That visit is someone else’s.", "visit_id")
    made = stored.add_return(
        tx.connection,
        order,
        patient_id=patient_id,
        provider_id=visit.provider_id if visit else None,
        visit_id=visit.id if visit else None,
        made_at=tx.now,
        made_by=tx.actor.id,
    )
    words = f"Asked back for {order.words} by {day_words(order.due, year=True)}"
    _noted(tx, made, patient_id, "asked", f"{words}: {order.note}" if order.note else words)
    return made


@act("book")
def hang_on(tx: Transaction, return_id: int, visit_id: int) -> None:
    """It is booked with this visit. Conflict for a visit that doesn't stand or is somebody else's."""
    row = _open(tx, return_id)
    visit = one_visit(tx.connection, visit_id)
    if visit is None or visit.patient_id != row.patient_id:
        raise Conflict("That visit is someone else’s.")
    if Stop(visit.state) in FREES_THE_TIME:
        raise Conflict("That visit was canceled or moved to the shelf. Choose one that stands.")
    if visit.id == row.visit_id:
        raise Conflict("They were asked back at that visit. Choose a later one.")
    stored.change_return(tx.connection, row.id, booked_visit_id=visit.id, paused_until=None)
    _noted(tx, row.id, row.patient_id, "booked", f"With the visit on {day_words(visit.day, year=True)}")


@act("book")
def take_from_visit(tx: Transaction, return_id: int) -> None:
    """It hangs on no visit anymore and is due again."""
    row = held(tx, return_id)
    if row.booked_visit_id is None or row.ended_at is not None:
        return
    stored.change_return(tx.connection, row.id, booked_visit_id=None)
    _noted(tx, row.id, row.patient_id, "freed", "No longer with that visit")


@act("book")
def pause_return(tx: Transaction, return_id: int, until: date | None, why: str) -> None:
    """Leave it until a day, with a reason; it stays on the list. None: it counts again."""
    row = _open(tx, return_id)
    if until is None:
        stored.change_return(tx.connection, row.id, paused_until=None)
        _noted(tx, row.id, row.patient_id, "paused", "Counts again")
        return
    if not tx.clinic_day < until <= tx.clinic_day + timedelta(days=366):
        raise Refused("Choose a day from tomorrow on, within a year.", "until")
    because = said(why)
    stored.change_return(tx.connection, row.id, paused_until=until)
    _noted(tx, row.id, row.patient_id, "paused", f"Left until {day_words(until, year=True)}: {because}")


@act("returns")
def change_due(tx: Transaction, return_id: int, by_when: str, why: str) -> None:
    """Another last day, with a reason. What it rose to is counted anew."""
    row = _open(tx, return_id)
    due, because = due_day(by_when.strip(), tx.clinic_day), said(why)
    stored.change_return(tx.connection, row.id, due_day=due, risen=0, holder_id=None, version=row.version + 1)
    words = f"By {day_words(due, year=True)} instead of {day_words(row.due_day, year=True)}: {because}"
    _noted(tx, row.id, row.patient_id, "changed", words)


@act("returns")
def end_return(tx: Transaction, return_id: int, why: str) -> None:
    """Closed without a visit, only with a reason."""
    row = held(tx, return_id)
    if row.ended_at is not None:
        raise Conflict(f"This was closed: {row.ended_how}.")
    because = said(why)
    stored.change_return(
        tx.connection,
        row.id,
        ended_at=tx.now,
        ended_by=tx.actor.id,
        ended_how=because,
        version=row.version + 1,
    )
    _noted(tx, row.id, row.patient_id, "ended", f"Closed: {because}")


@act("returns")
def open_again(tx: Transaction, return_id: int) -> None:
    """Closed by mistake."""
    row = held(tx, return_id)
    if row.ended_at is None:
        return
    stored.change_return(
        tx.connection, row.id, ended_at=None, ended_by=None, ended_how="", version=row.version + 1
    )
    _noted(tx, row.id, row.patient_id, "opened", "Open again")


@act("book")
def note_try(tx: Transaction, return_id: int, how: str, outcome: str, note: str) -> int:
    """Somebody tried to reach them about it; the try's id. A no doesn't end it: the clinician decides."""
    row = _open(tx, return_id)
    return write_try(tx, row.patient_id, [f"return-{row.id}"], how, outcome, note)


def with_tries(rows: Sequence[Return], tries: Sequence[ContactTry], today: date) -> list[TriedReturn]:
    """Each return with the tries about it that weren't undone."""
    standing = [each for each in tries if each.undone_at is None]
    return [
        TriedReturn(row, [each for each in standing if f"return-{row.id}" in each.about], row.stand(today))
        for row in rows
    ]


def held(tx: Transaction, return_id: int) -> Return:
    """Held until the act ends. Raises NotFound."""
    row = stored.hold_return(tx.connection, return_id)
    if row is None:
        raise NotFound("There is no such return.")
    return row


def _open(tx: Transaction, return_id: int) -> Return:
    """One that somebody still has to see to, or that is booked and may be moved. Conflict once it is over."""
    row = held(tx, return_id)
    stand = row.stand(tx.clinic_day)
    if stand not in OPEN | {Stand.BOOKED}:
        raise Conflict(f"This was closed: {row.ended_how}." if row.ended_at else "This was done.")
    return row


def _noted(tx: Transaction, return_id: int, patient_id: int, kind: str, words: str) -> None:
    stored.add_event(tx.connection, return_id, kind, words, tx.now, tx.actor.id)
    tx.audit(f"return.{kind}", patient_id=patient_id, return_id=return_id, words=words[:200])
    tx.tell("patient", patient_id=patient_id)
