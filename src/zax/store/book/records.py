"""Visits and what stands around them on the Book, as the other floors see them. `day` and minutes are the
site's wall clock.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime

from zax.core.json import KeptJson


@dataclass(frozen=True, slots=True, kw_only=True)
class VisitPlace:
    """Where a visit stands: everything that undoing an act puts back."""

    site_id: int
    patient_id: int
    provider_id: int
    room_id: int
    type_id: int
    day: date
    start_min: int
    minutes: int
    buffer_min: int
    state: str
    note: str
    held_until: datetime | None
    off_why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class DayVisit:
    """A visit with what a bar or row shows of its patient."""

    id: int
    site_id: int
    patient_id: int
    provider_id: int
    room_id: int
    type_id: int
    day: date
    start_min: int
    minutes: int
    buffer_min: int
    state: str
    version: int
    note: str
    held_until: datetime | None
    stage_id: int | None
    gone_at: datetime | None
    late_min: int
    first: str
    last: str
    phone: str
    birth: date | None
    street: str
    sex: str
    alert: str


@dataclass(frozen=True, slots=True, kw_only=True)
class WeekVisit(DayVisit):
    """A visit that needs a person, with the minutes they are needed."""

    slot_start: int
    slot_end: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Visit(DayVisit):
    """One visit with everything about it."""

    email: str
    household_id: int
    likes: int
    never: int
    web_message: str
    off_why: str
    made_at: datetime
    made_by: int | None
    request_key: str | None

    @property
    def place(self) -> VisitPlace:
        return VisitPlace(
            site_id=self.site_id,
            patient_id=self.patient_id,
            provider_id=self.provider_id,
            room_id=self.room_id,
            type_id=self.type_id,
            day=self.day,
            start_min=self.start_min,
            minutes=self.minutes,
            buffer_min=self.buffer_min,
            state=self.state,
            note=self.note,
            held_until=self.held_until,
            off_why=self.off_why,
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class NewVisit:
    site_id: int
    patient_id: int
    provider_id: int
    room_id: int
    type_id: int
    day: date
    start_min: int
    minutes: int
    buffer_min: int
    state: str
    note: str
    held_until: datetime | None
    web_message: str
    request_key: str | None
    made_at: datetime
    made_by: int | None


@dataclass(frozen=True, slots=True)
class DayMove:
    """When a visit came to a stop on the premises (UTC)."""

    visit_id: int
    to_stop: str
    at: datetime


@dataclass(frozen=True, slots=True)
class TrackRow:
    """One step of a visit's track, with who made it."""

    from_stop: str
    to_stop: str
    at: datetime
    reason: str
    name: str | None


@dataclass(frozen=True, slots=True)
class StaffSlotRow:
    """The minutes one person is needed inside a visit; `words` for who is not its lead."""

    provider_id: int
    day: date
    start_min: int
    end_min: int
    words: str


@dataclass(frozen=True, slots=True)
class StrapRow:
    visit_id: int
    provider_id: int
    start_min: int
    end_min: int
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class BusyPerson:
    """Minutes for which somebody is needed, and for whom."""

    provider_id: int
    day: date
    start_min: int
    end_min: int
    visit_id: int
    site_id: int
    type_id: int
    first: str
    last: str


@dataclass(frozen=True, slots=True, kw_only=True)
class BusyRoom:
    """Minutes for which a room is taken, its buffer included, by which visit (`id`)."""

    room_id: int
    start_min: int
    minutes: int
    id: int
    type_id: int
    first: str
    last: str


# How the key of a visit begins that a list from elsewhere brought along.
IMPORTED = "import-"


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnVisit:
    id: int
    day: date
    site_id: int
    start_min: int
    minutes: int
    provider_id: int


@dataclass(frozen=True, slots=True)
class InRoom:
    """Who sits in a room, by visit (`id`)."""

    room_id: int
    id: int
    first: str
    last: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Person:
    """The few facts of a patient that stand beside a booking."""

    id: int
    first: str
    last: str
    birth: date | None
    phone: str
    likes: int
    never: int


@dataclass(frozen=True, slots=True)
class Relative:
    id: int
    first: str
    last: str
    birth: date | None


@dataclass(frozen=True, slots=True, kw_only=True)
class HeldRequest:
    """A time asked for on the web that waits for an answer."""

    id: int
    site_id: int
    patient_id: int
    provider_id: int
    type_id: int
    day: date
    start_min: int
    minutes: int
    held_until: datetime | None
    web_message: str
    version: int
    made_at: datetime
    first: str
    last: str
    email: str
    phone: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ShelfRow:
    """Who has a visit in hand, and which stop it was on."""

    visit_id: int
    user_id: int
    shared: bool
    was: str
    words: str
    at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class ShelvedVisit:
    visit_id: int
    user_id: int
    shared: bool
    was: str
    words: str
    at: datetime
    who: str
    day: date
    start_min: int
    minutes: int
    type_id: int
    provider_id: int
    site_id: int
    version: int
    patient_id: int
    first: str
    last: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PlannedService:
    """Work planned for a patient; `visit_id` is the visit that is to do it, if one is booked. `answered_*` is
    what the plan of that coverage said beforehand that it would pay; cents.
    """

    id: int
    patient_id: int
    service_id: int
    tooth: str
    surfaces: str
    area: str
    visit_id: int | None
    made_at: datetime
    done_at: datetime | None
    removed_at: datetime | None
    proposal_id: int | None
    option_letter: str
    phase: int
    answered_on: date | None
    answered_coverage_id: int | None
    answered_allowed_cents: int
    answered_pays_cents: int
    answered_deductible_cents: int


@dataclass(frozen=True, slots=True, kw_only=True)
class VisitLine:
    """A charge line of a visit that has not been charged: what is to be done."""

    id: int
    service_id: int
    tooth: str
    surfaces: str
    area: str
    planned_id: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class NewLine:
    """A service that a booking brings along; `fee_cents` a unit."""

    service_id: int
    tooth: str
    surfaces: str
    area: str
    planned_id: int | None
    place: str
    fee_cents: int
    provider_id: int
    units: int = 1
    modifiers: str = ""
    points_to: Sequence[str] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Wait:
    """One reason of one person on the waitlist; `value_cents` is what it would bring."""

    id: int
    patient_id: int
    why: str
    site_id: int
    visit_id: int | None
    type_id: int
    minutes: int
    provider_id: int | None
    value_cents: int
    note: str
    since_at: datetime
    asked_at: datetime
    last_try: str


@dataclass(frozen=True, slots=True, kw_only=True)
class WaitRow(Wait):
    """With how it ended, if it has."""

    ended_at: datetime | None
    ended_why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OpenWait(Wait):
    """An open reason with its person, and the visit it is about if there is one."""

    first: str
    last: str
    phone: str
    likes: int
    never: int
    booked: date | None
    visit_state: str | None
    missed: int


@dataclass(frozen=True, slots=True, kw_only=True)
class BookAct:
    """What a person did on the Book, with what it was like before."""

    id: int
    by_id: int | None
    at: datetime
    words: str
    detail: KeptJson
    undone_at: datetime | None


@dataclass(frozen=True, slots=True)
class LastAct:
    id: int
    words: str
    undone_at: datetime | None
