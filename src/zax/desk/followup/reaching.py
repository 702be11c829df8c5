"""Reaching many people at once about their recalls: a text, an email or a letter each, noted as a try with
initials. Who can't be reached that way is left out with the reason; nothing leaves that nobody asked for.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.errors import Refused
from zax.core.followup.due import OPEN, STAND_WORDS
from zax.core.followup.recall import RecallType
from zax.core.messages.channel import Channel
from zax.core.messages.message import Sort
from zax.core.messages.reach import Reachable, Way, way
from zax.core.remits.letters import in_places
from zax.core.wording import day_words, phone_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.followup.tries import write_try
from zax.desk.messages.writing import write_to
from zax.store.engine import Connection
from zax.store.followup.recalls import recall_types
from zax.store.followup.worklist import DueRow, rows_by_id
from zax.store.patients.patients import guarantors_of, patients_of
from zax.store.patients.records import Patient

MOST_AT_ONCE = 2_000
MOST_LETTERS = 200


@dataclass(frozen=True, slots=True)
class ToReach:
    """One recall with where it would go and what it would say; `way.why_not` for who is left out."""

    row: DueRow
    way: Way
    words: str
    patient: Patient


@dataclass(frozen=True, slots=True)
class Reached:
    """How many it went to, and how many were left out by reason."""

    sent: int
    left_out: Mapping[str, int]


def reachable(patient: Patient, guarantor: Patient | None = None) -> Reachable:
    return Reachable(
        birth=patient.birth,
        status=patient.status,
        phone=patient.phone,
        texts_to=patient.texts_to,
        home_phone=patient.home_phone,
        work_phone=patient.work_phone,
        email=patient.email,
        street=patient.mail_street or patient.street,
        wishes={topic: kept.get("by", "") for topic, kept in patient.reach.items()},
        guarantor=reachable(guarantor) if guarantor else None,
    )


def to_reach(
    connection: Connection, clinic: Clinic, recall_ids: Sequence[int], channel: Channel, today: date
) -> list[ToReach]:
    """Each of these recalls with where it would go and what it would say, the longest due first."""
    rows = rows_by_id(connection, list(recall_ids)[:MOST_AT_ONCE], today)
    people = patients_of(connection, sorted({row.patient_id for row in rows}))
    guarantors = guarantors_of(connection, sorted({row.household_id for row in rows}))
    types = recall_types(connection)
    return [
        ToReach(
            row,
            _way(row, people[row.patient_id], guarantors.get(row.household_id), channel, today),
            words_for(clinic, types[row.recall_type_id], row, channel, today),
            people[row.patient_id],
        )
        for row in rows
    ]


def _way(row: DueRow, patient: Patient, guarantor: Patient | None, channel: Channel, today: date) -> Way:
    stand = row.stand(today)
    if stand not in OPEN:
        return Way(why_not=STAND_WORDS[stand])
    if row.paused_until and row.paused_until > today:
        return Way(why_not="paused")
    return way(reachable(patient, guarantor), channel, today)


def words_for(clinic: Clinic, kind: RecallType, row: DueRow, channel: Channel, today: date) -> str:
    """The clinic's own text with its places filled."""
    site = clinic.first_site
    since = "since" if row.due_day < today else "by"
    places = {
        "first": row.first,
        "what": kind.name[0].lower() + kind.name[1:],
        "when": f"{since} {day_words(row.due_day, year=row.due_day.year != today.year)}",
        "clinic": str(clinic.about["clinic_name"]),
        "phone": phone_words(site.phone),
    }
    return in_places(kind.letter if channel is Channel.LETTER else kind.text, places)


@act("book")
def reach_many(tx: Transaction, recall_ids: Sequence[int], channel: Channel) -> Reached:
    """Text or mail all of these, or note that a letter was made for each. Refused for nobody, and for a
    channel that nothing can be sent by.
    """
    if not recall_ids:
        raise Refused("Tick whom it is for.", "row")
    if channel is Channel.CALL:
        raise Refused("Calls are made from the call sheet.", "row")
    found = to_reach(tx.connection, tx.clinic, recall_ids, channel, tx.clinic_day)
    going = [each for each in found if each.way.to]
    if channel is Channel.LETTER and len(going) > MOST_LETTERS:
        raise Refused(f"Print at most {MOST_LETTERS} letters at a time.", "row")
    for each in going:
        about = [f"recall-{each.row.id}"]
        _send(tx, each, channel, write_try(tx, each.row.patient_id, about, channel, "sent"))
    return Reached(len(going), Counter(each.way.why_not for each in found if not each.way.to))


def _send(tx: Transaction, each: ToReach, channel: Channel, try_id: int) -> None:
    key = f"recall-{channel}-{try_id}"
    if channel is Channel.LETTER:
        return
    subject = (
        f"Time for your next visit at {tx.clinic.about['clinic_name']}" if channel is Channel.EMAIL else ""
    )
    write_to(
        tx,
        channel,
        each.way.to,
        each.words,
        subject=subject,
        key=key,
        sort=Sort.RECALL,
        patient_id=each.row.patient_id,
    )
