"""The desk takes over what somebody sent, field by field, all in one act that can be undone; or turns it
down.

What isn't taken is left as it is; the patient's own words stay beside. A plan that isn't clear is never
guessed: it is handed to billing with the words that were typed.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from zax.core.errors import Conflict, NotFound, Problems
from zax.core.online.comparing import AS_TYPED, LATER, Row
from zax.core.online.registration import INSURANCE
from zax.core.patients.fields import ASKED, FIELDS
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.online.comparing import Comparison, comparison
from zax.desk.online.taking_insurance import Taken, picked, take_card, undo_coverages
from zax.desk.patients.details import change_fields, locked_patient
from zax.desk.patients.duplicates import make_one
from zax.desk.patients.files import put_file
from zax.desk.patients.notes import NoteForm, put_note
from zax.store.files import FileStore
from zax.store.online.registrations import change_registration, hold_registration
from zax.store.patients.files import end_file
from zax.store.patients.notes import end_note
from zax.store.patients.patients import patient_for_update, save_patient

_CHANGED = "Someone has answered this already. Look again; nothing was changed."


@act("patients")
def accept_registration(
    tx: Transaction, store: FileStore, number: int, choices: Mapping[str, str], version: int
) -> int:
    """Take what is chosen: `take-ROW` is 'take' or 'keep', `pick-ROW` a pick, AS_TYPED or LATER; what isn't
    said is taken as it was proposed. How many rows were taken. Raises Problems beside `pick-ROW` where a plan
    has to be chosen, Conflict when somebody else was faster.
    """
    held = hold_registration(tx.connection, number)
    if held is None or held.state != "sent" or held.version != version:
        raise Conflict(_CHANGED)
    found = comparison(tx.connection, tx.clinic, number, tx.clinic_day)
    patient = locked_patient(tx, found.patient.id)
    rows = [row for row in found.rows if _is_taken(row, choices)]
    _check_picks(rows, choices)
    done = Taken()
    _take_fields(tx, found, rows, choices, done)
    for kind in INSURANCE:
        take_card(tx, found, kind, [row for row in rows if row.key.startswith(f"{kind}-")], choices, done)
    if any(row.key == "bills" for row in rows):
        said = next(row.typed for row in rows if row.key == "bills")
        done.notes.append(
            put_note(tx, patient.id, NoteForm(note=f"Bills go to {said}, typed online.", pinned=True))
        )
    _file_photos(tx, store, found, done)
    if patient.status == ASKED:
        person = locked_patient(tx, patient.id)
        save_patient(tx.connection, person, replace(person, status="active", version=person.version + 1))
        done.status = ASKED
    change_registration(
        tx.connection,
        number,
        state="accepted",
        taken=done.as_json(),
        done_at=tx.now,
        done_by=tx.actor.id,
        version=held.version + 1,
    )
    tx.audit("registration.accepted", patient_id=patient.id, registration=number, rows=len(rows))
    tx.tell("reply", patient_id=patient.id)
    return len(rows)


def _is_taken(row: Row, choices: Mapping[str, str]) -> bool:
    said = choices.get(f"take-{row.key}", "")
    return said == "take" if said in {"take", "keep"} else row.take


def _check_picks(rows: list[Row], choices: Mapping[str, str]) -> None:
    wrong = {}
    for row in rows:
        if row.key.endswith("-payer") or row.picks:
            allowed = {pick.key for pick in row.picks} | {LATER if row.key.endswith("-payer") else AS_TYPED}
            if picked(row, choices) not in allowed:
                wrong[f"pick-{row.key}"] = "Choose one of these, or leave it for billing."
    if wrong:
        raise Problems(wrong)


def _take_fields(
    tx: Transaction, found: Comparison, rows: list[Row], choices: Mapping[str, str], done: Taken
) -> None:
    values: dict[str, str] = {}
    for row in rows:
        if row.key not in FIELDS:
            continue
        pick = next((each for each in row.picks if each.key == picked(row, choices)), None)
        values[row.key] = pick.words if pick else row.typed.strip("“”")
    if not values:
        return
    before = {name: _text(getattr(found.patient, name)) for name in values}
    change_fields(tx, found.patient.id, values, tx.clinic.first_site.id)
    after = locked_patient(tx, found.patient.id)
    done.fields = {name: [before[name], _text(getattr(after, name))] for name in values}


def _text(value: object) -> str:
    return "" if value is None else str(value)


def _file_photos(tx: Transaction, store: FileStore, found: Comparison, done: Taken) -> None:
    for name, photo in found.row.photos.items():
        side = name.rpartition("-")[2]
        content = store.get(photo["digest"])
        kind = f"card_{side}"
        coverage_id = done.new_coverages[0] if len(done.new_coverages) == 1 else None
        done.files.append(
            put_file(tx, store, found.patient.id, kind, f"{name}, online", content, coverage_id)
        )


@act("patients")
def undo_accepting(tx: Transaction, number: int) -> list[str]:
    """Put back what accepting changed and waits again; the words of the fields that were changed once more
    since, which stay. Conflict when it isn't accepted.
    """
    held = hold_registration(tx.connection, number)
    if held is None or held.state != "accepted":
        raise Conflict("There is nothing to undo.")
    taken, stayed = held.taken, []
    patient = locked_patient(tx, held.patient_id)
    back: dict[str, str] = {}
    for name, (before, after) in taken.get("fields", {}).items():
        if _text(getattr(patient, name)) == after:
            back[name] = before
        else:
            stayed.append(FIELDS[name].words)
    if back:
        change_fields(tx, patient.id, back, tx.clinic.first_site.id)
    undo_coverages(tx, held.patient_id, taken)
    for note_id in taken.get("notes", ()):
        end_note(tx.connection, note_id, tx.now, tx.actor.id)
    for file_id in taken.get("files", ()):
        end_file(tx.connection, file_id, tx.now, tx.actor.id)
    if taken.get("status") == ASKED:
        person = locked_patient(tx, patient.id)
        save_patient(tx.connection, person, replace(person, status=ASKED, version=person.version + 1))
    change_registration(
        tx.connection, number, state="sent", taken={}, done_at=None, done_by=None, version=held.version + 1
    )
    tx.audit("registration.undone", patient_id=held.patient_id, registration=number)
    tx.tell("reply", patient_id=held.patient_id)
    return stayed


@act("patients")
def refuse_registration(tx: Transaction, number: int, version: int) -> None:
    """Nothing of it is taken, and nobody is told. Somebody new stays out of every list and is forgotten after
    a while (zax.desk.online.forgetting).
    """
    held = hold_registration(tx.connection, number)
    if held is None or held.state != "sent" or held.version != version:
        raise Conflict(_CHANGED)
    change_registration(
        tx.connection,
        number,
        state="refused",
        link=None,
        done_at=tx.now,
        done_by=tx.actor.id,
        version=held.version + 1,
    )
    tx.audit("registration.refused", patient_id=held.patient_id, registration=number)
    tx.tell("reply", patient_id=held.patient_id)


@act("patients")
def is_them(tx: Transaction, number: int, other_id: int) -> None:
    """Somebody new turns out to be on file: what they sent, asked for and signed goes onto that record, whose
    own values stay until they are compared. Conflict for somebody who isn't new.
    """
    held = hold_registration(tx.connection, number)
    if held is None or held.state != "sent":
        raise Conflict(_CHANGED)
    new, old = patient_for_update(tx.connection, held.patient_id), patient_for_update(tx.connection, other_id)
    if new is None or old is None or old.merged_into_id:
        raise NotFound("There is no such patient.")
    if new.status != ASKED:
        raise Conflict("Both are on file already. Compare the two records to make one of them.")
    make_one(tx, old.id, new.id, dict.fromkeys(FIELDS, "keep"), (old.version, new.version))
    tx.tell("reply", patient_id=old.id)
