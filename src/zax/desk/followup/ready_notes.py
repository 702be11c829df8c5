"""Ready-made notes: kept by the setup, filled for whoever a note is about."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from zax.clock import local
from zax.core.followup.ready_notes import ReadyNote, checked_note, filled
from zax.core.wording import day_words, phone_words, time_words, weekday_day
from zax.desk.acts.act import act
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.store.engine import Connection
from zax.store.followup import ready_notes as stored
from zax.store.followup.calls import people_to_call


@act("setup")
def keep_ready_note(tx: Transaction, note: ReadyNote) -> int:
    """As it is from now on; id 0 makes one. Raises Problems, NotFound and Stale."""
    kept = checked_note(note, stored.ready_notes(tx.connection))
    number = stored.keep_note(tx.connection, kept)
    tx.audit("setup.ready_note", note=number, letters=kept.letters)
    return number


def notes_for(
    connection: Connection,
    clinic: Clinic,
    actor: Actor,
    patient_id: int,
    now: datetime,
    answers: bool = False,
) -> Sequence[tuple[str, str]]:
    """Letters and words of each, or of the answers alone, filled for this patient (0: for nobody). `now` is
    UTC.
    """
    wall = local(now, clinic.first_site.timezone)
    known = {
        "me": actor.initials or actor.name,
        "today": day_words(wall.date()),
        "time": time_words(wall),
        "clinic": str(clinic.about["clinic_name"]),
    }
    person = people_to_call(connection, [patient_id], wall.date()).get(patient_id) if patient_id else None
    if person is not None:
        known |= {
            "first": person.first,
            "phone": phone_words(person.phone) if person.phone else "",
            "next": weekday_day(person.next_day) if person.next_day else "",
            "last": day_words(person.last_day, year=True) if person.last_day else "",
        }
    wanted = [each for each in stored.ready_notes(connection) if each.active and each.answers >= answers]
    return [(each.letters, filled(each, known)) for each in wanted]
