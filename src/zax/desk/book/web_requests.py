"""Times asked for on the web: held on the Book, visibly not firm, until the clinic answers or the time to
answer has passed.

Accepting and declining queue a message to the patient. It goes out a little later, so that a slip of the hand
can still be undone.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import timedelta
from functools import partial

from zax.clock import local
from zax.core.book.cancellation import OffWhy
from zax.core.book.track import Stop
from zax.core.errors import Conflict, Refused
from zax.core.messages.channel import Channel
from zax.core.messages.message import Sort
from zax.core.patients.fields import ASKED
from zax.core.wording import clock_words, long_day, weekday_name
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.each import each_for_itself
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.book.cancellation import drop
from zax.desk.book.track import locked_visit, step
from zax.desk.book.undo import Memo
from zax.desk.messages.writing import write_to
from zax.desk.patients.details import locked_patient
from zax.store.book.queries import held_past
from zax.store.book.records import DayVisit, Visit
from zax.store.patients.patients import known_patient, save_patient

TIME_TO_UNDO = timedelta(minutes=2)


@act("book")
def accept_requests(tx: Transaction, visit_ids: Sequence[int]) -> int:
    """Make them firm, all in one act; how many. One that somebody answered meanwhile stops all of them, and
    says so.
    """
    return _answer(tx, visit_ids, True, "")


@act("book")
def decline_requests(tx: Transaction, visit_ids: Sequence[int], note: str = "") -> int:
    """Decline them, with a word for the patients if there is one; how many."""
    return _answer(tx, visit_ids, False, note)


def _answer(tx: Transaction, visit_ids: Sequence[int], accept: bool, note: str) -> int:
    if not visit_ids:
        raise Refused("Choose at least one request.")
    memo = Memo(tx=tx)
    asked = [locked_visit(tx, number) for number in sorted(set(visit_ids))]
    for visit in asked:
        if visit.state != Stop.HELD:
            raise Conflict(
                f"The request of {visit.first} {visit.last} was already answered. Look again; nothing was"
                " changed."
            )
        memo.look_at(visit)
        if accept:
            step(tx, visit, Stop.BOOKED, after=replace(visit, held_until=None))
            _take_in(tx, visit.patient_id)
            tx.audit(
                "visit.accepted", patient_id=visit.patient_id, visit_id=visit.id, said="accepted the request"
            )
        else:
            drop(tx, visit, OffWhy.REFUSED, note, memo)
        memo.messages += _tell_patient(tx, visit, _words(tx, visit, accept, note))
    names = f"{asked[0].first} {asked[0].last}" + (f" and {len(asked) - 1} more" if len(asked) > 1 else "")
    memo.write(f"{'accepted' if accept else 'declined'} the request of {names}")
    return len(asked)


def _take_in(tx: Transaction, patient_id: int) -> None:
    """Whoever asked online and was not recognized is a patient from now on."""
    person = locked_patient(tx, patient_id)
    if person.status == ASKED:
        save_patient(tx.connection, person, replace(person, status="active", version=person.version + 1))
        tx.audit("patient.accepted", patient_id=patient_id)
        tx.tell("patient", patient_id=patient_id)


def _words(tx: Transaction, visit: Visit, accept: bool, note: str) -> tuple[str, str]:
    """Subject and text for the patient; nothing about health."""
    site, about = tx.clinic.sites[visit.site_id], tx.clinic.about
    when = f"{long_day(visit.day)} at {clock_words(visit.start_min)}"
    if accept:
        return (
            f"Your time on {when}",
            (
                f"Dear {visit.first},\n\nwe look forward to seeing you on {when} at {site.name},"
                f" {site.address[0]}.\n\n{about['clinic_name']}\n"
            ),
        )
    more = f" {note.strip()}" if note.strip() else ""
    return (
        "About the time you requested",
        (
            f"Dear {visit.first},\n\nWe’re sorry, but we can’t offer you {when}.{more}\nPlease call us and"
            f" we’ll find another time.\n\n{about['clinic_name']}\n"
        ),
    )


def _tell_patient(tx: Transaction, visit: Visit, words: tuple[str, str]) -> list[str]:
    """Queue the message, by mail or else by text to who takes texts; nothing when there is no way, which the
    Book then shows. The keys queued.
    """
    by_mail = bool(visit.email)
    takes_texts = bool(visit.phone) and known_patient(tx.connection, visit.patient_id).texts_to != "none"
    if not by_mail and not takes_texts:
        return []
    key = f"request-{visit.id}-{visit.version}"
    write_to(
        tx,
        Channel.EMAIL if by_mail else Channel.TEXT,
        visit.email or visit.phone,
        words[1] if by_mail else " ".join(words[1].split()),
        subject=words[0] if by_mail else "",
        key=key,
        sort=Sort.REQUEST,
        patient_id=visit.patient_id,
        visit_id=visit.id,
        due_at=tx.now + TIME_TO_UNDO,
    )
    return [key]


def release_held(desk: Desk) -> int:
    """Free the times of requests nobody answered in time, and tell the patients; how many. For the worker."""
    with desk.engine.connect() as connection:
        over = held_past(connection, desk.clock.now())
    return each_for_itself(
        over, lambda number: in_transaction(desk, WORKER, partial(_release, number=number))
    )


def _release(tx: Transaction, *, number: int) -> None:
    visit = locked_visit(tx, number)
    if visit.state == Stop.HELD:
        drop(tx, visit, OffWhy.EXPIRED, "", Memo(tx=tx))
        _tell_patient(tx, visit, _words(tx, visit, False, ""))


def held_words(visit: DayVisit, zone: str) -> str:
    """'held to 12:00', with the day when it is another one."""
    if visit.held_until is None:
        return "held"
    until = local(visit.held_until, zone)
    day = f"{weekday_name(until)[:3]} " if until.date() != visit.day else ""
    return f"held to {day}{clock_words(until.hour * 60 + until.minute)}"
