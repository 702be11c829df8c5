"""The call sheet at work: who is to be called and why, one caller at a time, and how each call went.

The sheet is read from where the reasons live (`store.followup.call_reasons`), so that booking, paying or
settling anywhere takes a reason off it. A row that was called in vain three times goes on to a letter; what
somebody asked to be called about later rests until then. Nothing leaves the clinic by itself.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

from zax.clock import local
from zax.core.book.day_phrases import coming_day
from zax.core.errors import Conflict, NotFound, Refused
from zax.core.followup.attempts import (
    TO_A_LETTER,
    Attempt,
    Outcome,
    calls_in_vain,
    rests_until,
    tries_after,
)
from zax.core.followup.call_sheet import (
    HEAVIEST,
    SHIPPED_WEIGHTS,
    TRIES_COUNT_DAYS,
    CallRow,
    Reason,
    Why,
    ranked,
)
from zax.core.form import Form, Texts
from zax.core.wording import phone_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.followup.missing import risks_of
from zax.desk.followup.reasons_why import said
from zax.desk.followup.tries import write_try
from zax.store.clinic.settings import keep_setting
from zax.store.engine import Connection
from zax.store.followup import calls as stored
from zax.store.followup.call_reasons import reasons_to_call
from zax.store.followup.calls import CallLock, LateTry
from zax.store.followup.recalls import recall_types
from zax.store.patients.notes import add_note
from zax.store.patients.patients import patient_for_update, save_patient
from zax.store.patients.records import Patient

SETTING = "call_weights"
FREED_AFTER = timedelta(minutes=10)
LOOKS_BACK = timedelta(days=120)
# Reasons that a letter can take over; the others need a person.
WRITTEN = frozenset({Why.RECALL, Why.PLANNED, Why.ESTIMATE, Why.BALANCE, Why.MISSED})


@dataclass(frozen=True, slots=True, kw_only=True)
class CallSheet:
    """`rows` are to be called now, the first on top. `later` rest until a day; `letters` were called in vain
    and are to be written to.
    """

    rows: Sequence[CallRow]
    later: Sequence[tuple[Reason, date]]
    letters: Sequence[CallRow]


class CallForm(Form):
    """How a call went: `about` names the reasons it was about, `again` a day as people say it, `why` what
    they said to a no, `number` the phone that was dialed.
    """

    outcome: str = ""
    about: Texts = ()
    again: str = ""
    why: str = ""
    note: str = ""
    number: str = ""


def weights_of(clinic: Clinic) -> dict[Why, int]:
    """The clinic's own, or those that ship."""
    kept = clinic.about.get(SETTING)
    found = dict(SHIPPED_WEIGHTS)
    if isinstance(kept, dict):
        found |= {why: int(kept[why]) for why in Why if why in kept}
    return found


@act("setup")
def keep_weights(tx: Transaction, weights: Mapping[Why, int]) -> None:
    """Refused beside the reason whose weight is none."""
    for why, points in weights.items():
        if not 0 <= points <= HEAVIEST:
            raise Refused(f"Between 0 and {HEAVIEST}.", f"weight-{why}")
    keep_setting(tx.connection, SETTING, {str(why): points for why, points in weights.items()})
    tx.change_setup("setup.call_weights")


def call_sheet(
    connection: Connection, clinic: Clinic, now: datetime, weights: Mapping[Why, int] | None = None
) -> CallSheet:
    """Everybody there is a reason to call. `now` is UTC."""
    zone = clinic.first_site.timezone
    today = local(now, zone).date()
    reasons = reasons_to_call(connection, list(recall_types(connection).values()), today)
    attempts = attempts_of(stored.tries_lately(connection, now - LOOKS_BACK, today), zone)
    reasons = _with_risks(connection, clinic, reasons, now)
    return sorted_out(reasons, attempts, today, weights or weights_of(clinic))


def _with_risks(
    connection: Connection, clinic: Clinic, reasons: Sequence[Reason], now: datetime
) -> list[Reason]:
    """Whoever isn't confirmed for tomorrow and may well not come is called before the others."""
    asked = {
        each.about: int(each.about.partition("-")[2])
        for each in reasons
        if each.why is Why.UNCONFIRMED and each.urgent
    }
    risks = risks_of(connection, clinic, asked.values(), now)
    if not risks:
        return list(reasons)
    return [
        each._replace(risk=risks[asked[each.about]].percent) if asked.get(each.about) in risks else each
        for each in reasons
    ]


def attempts_of(tries: Sequence[LateTry], zone: str) -> dict[int, list[Attempt]]:
    """By patient, in local time."""
    found: dict[int, list[Attempt]] = {}
    for each in tries:
        made = Attempt(local(each.at, zone), each.how, Outcome(each.outcome), each.about, each.again_on)
        found.setdefault(each.patient_id, []).append(made)
    return found


def sorted_out(
    reasons: Sequence[Reason],
    attempts: Mapping[int, Sequence[Attempt]],
    today: date,
    weights: Mapping[Why, int],
) -> CallSheet:
    """Each reason stands in exactly one of the three lists."""
    now: list[Reason] = []
    later: list[tuple[Reason, date]] = []
    letters: list[Reason] = []
    for each in reasons:
        tried = attempts.get(each.patient_id)
        if not tried:
            now.append(each)
            continue
        rests = rests_until(tried, each.about, today)
        if rests is not None:
            later.append((each, rests))
        elif each.why in WRITTEN and calls_in_vain(tried, each.about) >= TO_A_LETTER:
            letters.append(each)
        else:
            now.append(each)
    since = today - timedelta(days=TRIES_COUNT_DAYS)
    counted = {patient_id: tries_after(tried, since) for patient_id, tried in attempts.items()}
    return CallSheet(
        rows=ranked(now, counted, today, weights),
        later=sorted(later, key=lambda pair: (pair[1], pair[0].patient_id)),
        letters=ranked(letters, counted, today, weights),
    )


@act("book")
def begin_call(tx: Transaction, patient_id: int) -> None:
    """They are yours for ten minutes. Conflict while a colleague has them; of two who open them at one
    moment the second waits for the first, since both hold the patient's row.
    """
    if patient_for_update(tx.connection, patient_id) is None:
        raise NotFound("There is no such patient.")
    held = stored.lock_of(tx.connection, patient_id)
    if tx.actor.id is None:
        raise Refused("Only a person calls.")
    if held is not None and held.user_id != tx.actor.id and is_fresh(held, tx.now):
        raise Conflict(f"{held.name} has them on the phone.")
    stored.take_lock(tx.connection, patient_id, tx.actor.id, tx.now)
    tx.tell("patient", patient_id=patient_id)


@act("book")
def let_go(tx: Transaction, patient_id: int) -> None:
    """Not called after all; somebody else may."""
    if tx.actor.id is not None:
        stored.free_lock(tx.connection, patient_id, tx.actor.id)
        tx.tell("patient", patient_id=patient_id)


def is_fresh(lock: CallLock, now: datetime) -> bool:
    return now - lock.at < FREED_AFTER


@act("book")
def note_call(tx: Transaction, patient_id: int, form: CallForm) -> int:
    """How it went, about all the reasons it was about; the try's id. Refused beside the field."""
    patient = patient_for_update(tx.connection, patient_id)
    if patient is None:
        raise NotFound("There is no such patient.")
    if form.outcome not in list(Outcome) or form.outcome == Outcome.SENT:
        raise Refused("Say how it went.", "outcome")
    outcome = Outcome(form.outcome)
    held = stored.lock_of(tx.connection, patient_id)
    if held is not None and held.user_id != tx.actor.id and is_fresh(held, tx.now):
        raise Conflict(f"{held.name} has them on the phone.")
    note = said(form.why) if outcome is Outcome.NO else form.note
    again = coming_day(form.again, tx.clinic_day, "again") if form.again.strip() else None
    if again is not None and again.day <= tx.clinic_day:
        raise Refused("Choose a day from tomorrow on.", "again")
    made = write_try(
        tx,
        patient_id,
        form.about,
        "call",
        outcome,
        note,
        again_on=again.day if again else None,
        again_words=" ".join(form.again.split())[:40],
    )
    if outcome is Outcome.WRONG:
        _number_is_wrong(tx, patient, form.number)
    if outcome is Outcome.MOVED:
        _moved_away(tx, patient)
    if tx.actor.id is not None:
        stored.free_lock(tx.connection, patient_id, tx.actor.id)
    return made


def _number_is_wrong(tx: Transaction, patient: Patient, number: str) -> None:
    """The number leaves its field, so that it is a gap at once; a note keeps it."""
    if not number or number not in (patient.phone, patient.home_phone, patient.work_phone):
        raise Refused("Choose which number is wrong.", "number")
    without = replace(
        patient,
        phone="" if patient.phone == number else patient.phone,
        home_phone="" if patient.home_phone == number else patient.home_phone,
        work_phone="" if patient.work_phone == number else patient.work_phone,
        version=patient.version + 1,
    )
    save_patient(tx.connection, patient, without)
    _note(tx, patient.id, f"Wrong number: {phone_words(number)}")
    tx.audit("patient.changed", patient_id=patient.id, changed={"phone": [number, ""]})


def _moved_away(tx: Transaction, patient: Patient) -> None:
    save_patient(tx.connection, patient, replace(patient, status="inactive", version=patient.version + 1))
    _note(tx, patient.id, "Moved away, said on the phone")
    tx.audit(
        "patient.status",
        patient_id=patient.id,
        changed={"status": [patient.status, "inactive"]},
        reason="moved away",
    )


def _note(tx: Transaction, patient_id: int, words: str) -> None:
    add_note(
        tx.connection,
        patient_id=patient_id,
        words=words,
        pinned=False,
        until_day=None,
        at=tx.now,
        by_id=tx.actor.id,
    )
