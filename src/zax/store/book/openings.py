"""Reading for the search for openings: weeks of many people in a few hundred rows, each a day's spans in one
text.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from sqlalchemy import Connection, bindparam, text

from zax.core.book.track import CHARGED, FREES_THE_TIME, Stop
from zax.core.json import Json
from zax.store.rows import many, sql_list

# A row a person, site and day: its spans as 'start end start end ...', so that a month of a large clinic is a
# few hundred rows.
_SLOTS = text(
    """
    SELECT s.provider_id, s.day, v.site_id, GROUP_CONCAT(s.start_min, ' ', s.end_min SEPARATOR ' ') AS spans
    FROM staff_slot s
    JOIN visit v ON v.id = s.visit_id
    WHERE s.provider_id IN :people AND s.day BETWEEN :first AND :last AND v.state NOT IN :frees AND v.id NOT
        IN :leaving
    GROUP BY s.provider_id, s.day, v.site_id
    """
).bindparams(
    bindparam("people", expanding=True),
    bindparam("frees", expanding=True),
    bindparam("leaving", expanding=True),
)
_ROOMS = text(
    """
    SELECT room_id, day, GROUP_CONCAT(start_min, ' ', start_min + minutes + buffer_min SEPARATOR ' ') AS
        spans
    FROM visit
    WHERE site_id IN :sites AND day BETWEEN :first AND :last AND state NOT IN :frees AND minutes > 0
        AND id NOT IN :leaving
    GROUP BY room_id, day
    """
).bindparams(
    bindparam("sites", expanding=True),
    bindparam("frees", expanding=True),
    bindparam("leaving", expanding=True),
)
_COUNTS = text(
    """
    SELECT day, site_id, type_id, COUNT(*) AS n
    FROM visit
    WHERE site_id IN :sites AND day BETWEEN :first AND :last AND state NOT IN :frees AND minutes > 0
        AND id NOT IN :leaving
        AND type_id IN :types
    GROUP BY day, site_id, type_id
    """
).bindparams(*(bindparam(name, expanding=True) for name in ("sites", "frees", "leaving", "types")))
_OF_PEOPLE = text(
    """
    SELECT day, site_id, patient_id, start_min, minutes
    FROM visit
    WHERE patient_id IN :patients AND day BETWEEN :first AND :last AND state NOT IN :frees AND minutes > 0
        AND id NOT IN :leaving
    """
).bindparams(*(bindparam(name, expanding=True) for name in ("patients", "frees", "leaving")))
_FAMILY = text(
    """
    SELECT o.id, o.first
    FROM patient p
    JOIN patient o ON o.household_id = p.household_id
    WHERE p.id = :patient_id AND o.status = 'active'
    """
)
_LAST_WITH = text(
    f"""
    SELECT v.provider_id
    FROM visit v
    JOIN visit_type t ON t.id = v.type_id
    WHERE v.patient_id = :patient_id AND t.role = :role AND v.state IN {sql_list(CHARGED | {Stop.ROOM})}
    ORDER BY v.day DESC, v.start_min DESC
    LIMIT 1
    """
)


@dataclass(frozen=True, slots=True)
class Window:
    """A stretch of days; `leaving` are visits that do not count."""

    first: date
    last: date
    leaving: frozenset[int]

    @property
    def values(self) -> Json:
        """No visit has the number 0."""
        leaving = list(self.leaving) or [0]
        return {"first": self.first, "last": self.last, "frees": list(FREES_THE_TIME), "leaving": leaving}


@dataclass(frozen=True, slots=True)
class PersonSpans:
    """When somebody is needed at a site on a day: 'start end start end' in minutes."""

    provider_id: int
    day: date
    site_id: int
    spans: str


@dataclass(frozen=True, slots=True)
class RoomSpans:
    room_id: int
    day: date
    spans: str


@dataclass(frozen=True, slots=True)
class TypeCount:
    day: date
    site_id: int
    type_id: int
    n: int


@dataclass(frozen=True, slots=True)
class PatientVisit:
    day: date
    site_id: int
    patient_id: int
    start_min: int
    minutes: int


def person_spans(connection: Connection, window: Window, people: Iterable[int]) -> list[PersonSpans]:
    return many(connection, _SLOTS, PersonSpans, people=list(people), **window.values)


def room_spans(connection: Connection, window: Window, sites: Iterable[int]) -> list[RoomSpans]:
    return many(connection, _ROOMS, RoomSpans, sites=list(sites), **window.values)


def type_counts(
    connection: Connection, window: Window, sites: Iterable[int], types: Iterable[int]
) -> list[TypeCount]:
    return many(connection, _COUNTS, TypeCount, sites=list(sites), types=list(types), **window.values)


def visits_of_people(connection: Connection, window: Window, patients: Iterable[int]) -> list[PatientVisit]:
    return many(connection, _OF_PEOPLE, PatientVisit, patients=list(patients), **window.values)


def family_of(connection: Connection, patient_id: int) -> dict[int, str]:
    """{id: first name} of the household, the patient among them."""
    return {row.id: row.first for row in connection.execute(_FAMILY, {"patient_id": patient_id})}


def last_with(connection: Connection, patient_id: int, role: str) -> int | None:
    """The provider of this role whom the patient saw last."""
    return connection.execute(_LAST_WITH, {"patient_id": patient_id, "role": role}).scalar()
