"""Patients: make one from the least there is, change the record section by section, take them out of the way
and bring them back.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import date
from typing import Any

from zax.core.errors import Conflict, NotFound, ProblemCollector, Refused, Stale
from zax.core.patients.fields import (
    AGREED,
    CARE,
    CARE_WORDS,
    CHANNELS,
    FIELDS,
    STATUSES,
    TOPICS,
    Field,
    check_section,
    check_ssn,
)
from zax.core.patients.person import LONGEST_NAME, check_new_patient, parse_birth, search_key
from zax.core.patients.sounds import sound_of
from zax.core.wording import phone_words, typed_day
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.store.messages.messages import take_back
from zax.store.patients import patients as stored
from zax.store.patients.patients import NameKeys, patient_for_update, save_patient
from zax.store.patients.records import Patient
from zax.store.vault import Vault

REVEALED = "patient.ssn_shown"


def name_keys(first: str, last: str) -> NameKeys:
    """What a name is found by, as far as it can be kept: a letter may become several ('ﬃ' is three)."""
    one, two = search_key(first)[:LONGEST_NAME], search_key(last)[:LONGEST_NAME]
    return NameKeys(first_key=one, last_key=two, first_sound=sound_of(one), last_sound=sound_of(two))


def new_patient(tx: Transaction, first: str, last: str, birth: str, phone: str, site_id: int) -> int:
    """A new patient, alone in a new household, for a booking or without one; the new id. Raises Problems with
    a message a field.
    """
    new = check_new_patient(first, last, birth, phone, tx.business_day(site_id))
    patient_id = stored.add_patient(
        tx.connection,
        household_id=stored.add_household(tx.connection, new.last),
        guarantor=True,
        first=new.first,
        last=new.last,
        birth=new.birth,
        phone=new.phone,
        made_at=tx.now,
        keys=name_keys(new.first, new.last),
    )
    tx.audit("patient.made", patient_id=patient_id, first=new.first, last=new.last)
    tx.tell("patient", patient_id=patient_id)
    return patient_id


@act("patients")
def put_on_file(tx: Transaction, first: str, last: str, birth: str, phone: str, *, site_id: int) -> int:
    """A new patient without a visit; the new id."""
    return new_patient(tx, first, last, birth, phone, site_id)


def locked_patient(tx: Transaction, patient_id: int, version: int | None = None) -> Patient:
    """The record, held until the act ends; NotFound, or Stale with what changed since `version`."""
    row = patient_for_update(tx.connection, patient_id)
    if row is None:
        raise NotFound("There is no such patient.")
    if row.merged_into_id:
        raise Conflict("This record was merged into another. Open that one.")
    if version is not None and row.version != version:
        raise Stale(_who_changed(tx, patient_id))
    return row


@act("patients")
def change_section(
    tx: Transaction, patient_id: int, name: str, typed: Mapping[str, str], version: int, site_id: int
) -> None:
    """Save one section of the record; raises Problems beside the fields, Stale when somebody saved in
    between.
    """
    section = tx.clinic.sections.get(name)
    if section is None:
        raise NotFound("The record has no such part.")
    before = locked_patient(tx, patient_id, version)
    _keep(tx, before, check_section(section.keeping(before.value), typed, tx.business_day(site_id)))


def change_fields(tx: Transaction, patient_id: int, typed: Mapping[str, str], site_id: int) -> None:
    """Some fields of the record, whatever their section; raises Problems beside them."""
    before, today = locked_patient(tx, patient_id), tx.business_day(site_id)
    wrong = ProblemCollector()
    fields = tx.clinic.record_fields
    values = {name: wrong.take(fields[name].check, text, name, today) for name, text in typed.items()}
    wrong.raise_if_any()
    _keep(tx, before, values)


def _keep(tx: Transaction, before: Patient, values: Mapping[str, Any]) -> None:
    after = replace(before.with_values(values), version=before.version + 1)
    if {"first", "last"} & set(values):
        keys = name_keys(after.first, after.last)
        after = replace(
            after,
            first_key=keys.first_key,
            last_key=keys.last_key,
            first_sound=keys.first_sound,
            last_sound=keys.last_sound,
        )
    _write(tx, before, after, values)


def _write(tx: Transaction, before: Patient, after: Patient, values: Mapping[str, object]) -> None:
    """Keep the record and say in the audit what every field was and is now."""
    fields = tx.clinic.record_fields
    changed = {
        name: [_shown(tx.clinic, fields[name], each) for each in (before.value(name), value)]
        for name, value in values.items()
        if name in fields and before.value(name) != value
    }
    save_patient(tx.connection, before, after)
    tx.audit("patient.changed", patient_id=before.id, changed=changed)
    tx.tell("patient", patient_id=before.id)


def _shown(clinic: Clinic, field: Field, value: object) -> str:
    if isinstance(value, date):
        return typed_day(value)
    if field.name in FIELDS and field.name.endswith("phone") and value:
        return phone_words(str(value))
    return clinic.field_words(field.name, field.choices.get(str(value), str(value or "")))


def _who_changed(tx: Transaction, patient_id: int) -> str:
    last = stored.last_change_of(tx.connection, patient_id, but=REVEALED)
    who = (last.name if last else None) or "Someone"
    changed = (last.detail.get("changed") or {}) if last else {}
    fields = tx.clinic.record_fields
    what = "; ".join(
        (
            f"{fields[name].words.lower() if name in fields else name} from “{old}” to “{new}”"
            if old
            else f"{fields[name].words.lower() if name in fields else name} to “{new}”"
        )
        for name, (old, new) in changed.items()
    )
    return (
        f"{who} has changed {what or 'the record'} since you opened this. What you typed is still here: save"
        " it again, or cancel."
    )


@act("patients")
def set_status(
    tx: Transaction, patient_id: int, status: str, words: str, died_on: str, version: int, site_id: int
) -> str:
    """Active, inactive or deceased. Nothing is lost; messages that wait to go out are withdrawn. Returns what
    was done, in words.
    """
    row = locked_patient(tx, patient_id, version)
    if status not in STATUSES or status in {"merged", "asked", "forgotten"}:
        raise Refused("Choose active, inactive or deceased.", "status")
    today = tx.business_day(site_id)
    died = parse_birth(died_on, today, "died_on") if status == "deceased" and died_on.strip() else None
    if died and row.birth and died < row.birth:
        raise Refused("That’s before the birth date.", "died_on")
    save_patient(tx.connection, row, replace(row, status=status, died_on=died, version=row.version + 1))
    tx.audit(
        "patient.status",
        patient_id=row.id,
        changed={"status": [row.status, status]},
        reason=" ".join(words.split())[:200],
    )
    withdrawn = 0 if status == "active" else _withdraw_messages(tx, row.id)
    tx.tell("patient", patient_id=row.id)
    ahead = stored.visits_ahead(tx.connection, row.id, today)
    said = f"{row.first} {row.last} is {STATUSES[status]} now."
    if withdrawn:
        said += f" {withdrawn} message{'s' if withdrawn > 1 else ''} not sent."
    if ahead and status != "active":
        said += f" {ahead} visit{'s are' if ahead > 1 else ' is'} still booked: cancel them."
    return said


def _withdraw_messages(tx: Transaction, patient_id: int) -> int:
    return take_back(
        tx.connection, tx.now, patient_id=patient_id, state_words="not an active patient anymore"
    )


@act("patients")
def set_reach(tx: Transaction, patient_id: int, choices: Mapping[str, str], version: int) -> None:
    """By which channel the patient takes each kind of message, or that they opted out, and whether an email
    may name their care; the day of a change is kept with it.
    """
    wish(tx, locked_patient(tx, patient_id, version), choices)


def wish(tx: Transaction, row: Patient, choices: Mapping[str, str]) -> None:
    """The same within an act, for a record that is held."""
    before = row.reach
    after = dict(before)
    for topic, allowed in {**dict.fromkeys(TOPICS, CHANNELS), CARE: AGREED}.items():
        channel = choices.get(topic, "")
        if channel not in allowed and channel:
            raise Refused("Choose one from the list.", topic)
        if channel and channel != before.get(topic, {}).get("by"):
            after[topic] = {"by": channel, "since": tx.clinic_day.isoformat()}
    words = {**CHANNELS, **AGREED}
    changed = {
        {**TOPICS, CARE: CARE_WORDS}[topic]: [
            words.get(before.get(topic, {}).get("by", ""), ""),
            words[kept["by"]],
        ]
        for topic, kept in after.items()
        if kept != before.get(topic)
    }
    save_patient(tx.connection, row, replace(row, reach=after, version=row.version + 1))
    tx.audit("patient.reach", patient_id=row.id, changed=changed)
    tx.tell("patient", patient_id=row.id)


@act("patients")
def set_ssn(tx: Transaction, vault: Vault, patient_id: int, typed: str, version: int) -> None:
    """Keep the social security number, sealed; the audit says that it changed, not what it is."""
    row = locked_patient(tx, patient_id, version)
    digits = check_ssn(typed)
    save_patient(tx.connection, row, replace(row, ssn_cipher=vault.seal(digits), version=row.version + 1))
    tx.audit(
        "patient.ssn",
        patient_id=row.id,
        changed={"Social Security number": ["", "a new one" if digits else "none"]},
    )
    tx.tell("patient", patient_id=row.id)


@act("patients")
def show_ssn(tx: Transaction, vault: Vault, patient_id: int) -> str:
    """The number in clear, and on record who saw it."""
    row = locked_patient(tx, patient_id)
    if not row.ssn_cipher:
        raise NotFound("There’s no Social Security number on file.")
    tx.audit(REVEALED, patient_id=patient_id)
    return vault.open(row.ssn_cipher)
