"""Patients and what hangs on them, as the other floors see them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import date, datetime
from typing import Any

from zax.core.patients.own_fields import OWN


@dataclass(frozen=True, slots=True, kw_only=True)
class Patient:
    """`likes` and `never` are half days as bits (zax.core.patients.wishes); `reach` says by topic which
    channel, since when; `own` are the clinic's own fields by name; `photo` is the portrait's SHA-256; the
    `_key` and `_sound` fields are what the names are found by.
    """

    id: int
    household_id: int
    guarantor: bool
    first: str
    last: str
    first_key: str
    last_key: str
    first_sound: str
    last_sound: str
    birth: date | None
    sex: str
    phone: str
    email: str
    street: str
    city: str
    state: str
    zip: str
    alert: str
    status: str
    likes: int
    never: int
    made_at: datetime
    version: int
    chart: str | None
    used_name: str
    pronouns: str
    home_phone: str
    work_phone: str
    texts_to: str
    language: str
    employer: str
    emergency_name: str
    emergency_phone: str
    emergency_relation: str
    doctor: str
    referrer: str
    pharmacy: str
    mail_street: str
    mail_city: str
    mail_state: str
    mail_zip: str
    ssn_cipher: str
    reach: Mapping[str, Mapping[str, str]]
    photo: str
    died_on: date | None
    merged_into_id: int | None
    sealed: bool = False
    own: Mapping[str, str] = field(default_factory=dict)

    def value(self, name: str) -> Any:
        """What stands in a field of the record, the clinic's own (`core.patients.own_fields`) included."""
        return self.own.get(name, "") if name.startswith(OWN) else getattr(self, name)

    def with_values(self, values: Mapping[str, Any]) -> Patient:
        """The record with other values in these fields."""
        own = {name: value for name, value in values.items() if name.startswith(OWN)}
        rest = {name: value for name, value in values.items() if name not in own}
        kept = {name: value for name, value in {**self.own, **own}.items() if value}
        return replace(self, **rest, own=kept)


@dataclass(frozen=True, slots=True)
class PatientFlag:
    """A flag that is on a patient."""

    id: int
    flag_id: int
    words: str
    warns: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class PatientNote:
    id: int
    patient_id: int
    words: str
    pinned: bool
    until_day: date | None
    at: datetime
    by_name: str | None
    ended_at: datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class PatientFile:
    """`digest` names the content in the file store (SHA-256)."""

    id: int
    patient_id: int
    coverage_id: int | None
    kind: str
    name: str
    digest: str
    media: str
    bytes: int
    at: datetime
    by_name: str | None
