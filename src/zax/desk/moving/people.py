"""Who sees patients, and doctors elsewhere, from lists. Whoever is there already, by NPI or by name, is left
alone.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Protocol

from zax.core.clinic.places import Room
from zax.core.clinic.providers import ROLE_NAMES
from zax.core.errors import Refused
from zax.core.moving.columns import ColumnSet
from zax.core.moving.job import Outcome
from zax.core.patients.person import search_key
from zax.desk.clinic.clinic import Clinic
from zax.desk.moving.taking import ListIn, Step, Taken, each_row, key_named, setup_changed
from zax.desk.online.doctors import DoctorForm, put_doctor
from zax.desk.setup.providers import ProviderForm, put_provider
from zax.store.online.doctors import doctors

_PROVIDERS = ColumnSet(
    {
        "first": "First name",
        "last": "Last name",
        "role": "Role (dentist, hygienist, medical)",
        "npi": "NPI",
        "taxonomy": "Taxonomy",
        "name": "Name for patients",
        "short": "Name on the Book",
        "room": "Usual room",
    },
    {
        "first": "first name|given name",
        "last": "last name|surname|family name",
        "role": "role|type|profession|position",
        "npi": "npi number|provider npi",
        "taxonomy": "taxonomy code|specialty code",
        "name": "name|full name|display name",
        "short": "short name|initials|abbreviation",
        "room": "room|chair|operatory",
    },
    ("first", "last", "role"),
)
_DOCTORS = ColumnSet(
    {
        "first": "First name",
        "last": "Last name",
        "degree": "Degree",
        "practice": "Practice",
        "phone": "Phone",
        "npi": "NPI",
    },
    {
        "first": "first name|given name",
        "last": "last name|surname|family name",
        "degree": "title|credentials|suffix",
        "practice": "clinic|office|company|organization",
        "phone": "telephone|phone number|office phone|work phone",
        "npi": "npi number",
    },
    ("first", "last"),
)


class _Named(Protocol):
    @property
    def first(self) -> str: ...
    @property
    def last(self) -> str: ...
    @property
    def npi(self) -> str: ...


def _known(people: Iterable[_Named], cells: Mapping[str, str]) -> bool:
    npi, name = cells.get("npi", "").strip(), (search_key(cells["first"]), search_key(cells["last"]))
    return any(
        each.npi == npi if npi and each.npi else (search_key(each.first), search_key(each.last)) == name
        for each in people
    )


def take_provider(step: Step, _line: int, cells: Mapping[str, str]) -> Taken:
    clinic = step.tx.clinic
    if _known(clinic.providers.values(), cells):
        return Taken(Outcome.KNOWN, f"{cells['first']} {cells['last']} is a provider already")
    role = key_named(cells["role"], ROLE_NAMES)
    room = _room(clinic, cells.get("room", ""), role != "medical")
    form = ProviderForm(
        first=cells["first"],
        last=cells["last"],
        name=cells.get("name", ""),
        short=cells.get("short", ""),
        role=role,
        npi=cells.get("npi", ""),
        taxonomy=cells.get("taxonomy", ""),
        room_id=room.id,
        usual=True,
    )
    put_provider(step.tx, 0, form)
    return Taken(Outcome.MADE)


def _room(clinic: Clinic, named: str, dental: bool) -> Room:
    """The room by its name; the first of that type where the list names none."""
    fitting = [each for each in clinic.rooms.values() if each.active and each.dental == dental]
    if named.strip():
        fitting = [each for each in fitting if search_key(each.name) == search_key(named)]
    if not fitting:
        raise Refused(
            f"There is no {'dental' if dental else 'medical'} room"
            f"{f' called “{named[:40]}”' if named.strip() else ''}. Add it first.",
            "room",
        )
    return fitting[0]


def take_doctor(step: Step, _line: int, cells: Mapping[str, str]) -> Taken:
    if _known(doctors(step.tx.connection), cells):
        return Taken(Outcome.KNOWN, f"{cells['first']} {cells['last']} is on the list already")
    form = DoctorForm(
        first=cells["first"],
        last=cells["last"],
        degree=cells.get("degree", ""),
        practice=cells.get("practice", ""),
        phone=cells.get("phone", ""),
        npi=cells.get("npi", ""),
        active=True,
    )
    put_doctor(step.tx, form)
    return Taken(Outcome.MADE)


def _doctors_changed(step: Step, count: int) -> None:
    step.tx.audit("doctors.imported", job_id=step.job.id, count=count)


PROVIDERS = ListIn(
    key="providers",
    words="Providers",
    things="providers",
    hint="first and last name, role, NPI, taxonomy, room",
    right="setup",
    columns=lambda _: _PROVIDERS,
    take=each_row(take_provider, setup_changed("providers")),
    same=(("npi",), ("first", "last")),
    rows_at_once=1,
)
DOCTORS = ListIn(
    key="doctors",
    words="Referring doctors",
    things="doctors",
    hint="first and last name, degree, practice, phone, NPI",
    right="setup",
    columns=lambda _: _DOCTORS,
    take=each_row(take_doctor, _doctors_changed),
    same=(("npi",), ("first", "last")),
)
