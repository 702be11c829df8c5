"""What the desks work on, laid out before anything is struck: whom and when they book, visits in a room whose
charges nobody posted yet, and insurers' payment files for claims that are out.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from itertools import islice

from sqlalchemy import Connection, Engine, insert, text

from zax.demo.bench_payments import outstanding, payment_file
from zax.demo.world import TYPE_ID, closures
from zax.store import schema

# Who sees patients of medicine at the first site, from when to when every day, in minutes.
PROVIDERS, KIND, MINUTES = (5, 6), "Sick visit", 30
STARTS = (*range(540, 720, 30), *range(795, 1005, 30))
DAYS = 150
FEE = 6_400


@dataclass(frozen=True, slots=True)
class Slot:
    """A time that exactly one visit may have."""

    provider_id: int
    day: date
    start: int


@dataclass(frozen=True, slots=True)
class PaymentFile:
    """An 835 and the claims it pays."""

    name: str
    content: str
    claims: tuple[str, ...]


@dataclass(slots=True)
class Ground:
    """Each slot is handed out twice, so that two desks want it at once; the rest once. Any thread may ask."""

    people: Sequence[int]
    with_mail: frozenset[int]
    _slots: Iterator[Slot]
    _visits: Iterator[int]
    _files: Iterator[PaymentFile]
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def slot(self) -> Slot | None:
        with self._lock:
            return next(self._slots, None)

    def visit(self) -> int | None:
        with self._lock:
            return next(self._visits, None)

    def file(self) -> PaymentFile | None:
        with self._lock:
            return next(self._files, None)


def lay_out(engine: Engine, opens: datetime, visits: int, files: int, claims: int = 3) -> Ground:
    """So many visits in a room, and so many files over so many claims each."""
    out = outstanding(engine, opens, files * claims)
    made = [
        PaymentFile(
            f"storm-{n}.835",
            payment_file(part, opens.date(), n),
            tuple(number for number, _ in part),
        )
        for n, part in enumerate(out[at : at + claims] for at in range(0, len(out), claims))
    ]
    with engine.begin() as connection:
        people = _people(connection)
        rooms = _visits_in_room(connection, [each for each, _ in people], opens, visits)
        last = connection.execute(text("SELECT MAX(day) FROM visit")).scalar_one()
    with_mail = frozenset(each for each, mail in people if mail)
    return Ground(
        [each for each, _ in people],
        with_mail,
        _twice(_slots(max(last, opens.date()))),
        iter(rooms),
        iter(made),
    )


def _people(connection: Connection) -> list[tuple[int, str]]:
    """Grown-ups on file with a phone, and where their mail goes."""
    rows = connection.execute(
        text(
            "SELECT id, email FROM patient WHERE status = 'active' AND phone <> '' AND birth < '2000-01-01'"
            " AND id NOT IN (SELECT patient_id FROM coverage) ORDER BY id LIMIT 400"
        )
    )
    return [(row.id, row.email) for row in rows]


def _visits_in_room(connection: Connection, people: Sequence[int], opens: datetime, many: int) -> list[int]:
    """Visits of no minutes, which stand on no Book, each with one charge that waits to be posted."""
    visit_id, line_id = (
        int(connection.execute(text(f"SELECT COALESCE(MAX(id), 0) FROM `{table}`")).scalar_one())
        for table in ("visit", "charge_line")
    )
    visits, lines = [], []
    for n in range(1, many + 1):
        visits.append(
            {
                "id": visit_id + n,
                "site_id": 1,
                "patient_id": people[n % len(people)],
                "provider_id": 1,
                "room_id": 1,
                "type_id": 1,
                "day": opens.date(),
                "start_min": 600,
                "minutes": 0,
                "state": "room",
                "request_key": f"storm-room-{n}",
                "made_at": opens,
                "made_by": 1,
            }
        )
        lines.append(
            {
                "id": line_id + n,
                "visit_id": visit_id + n,
                "service_id": 2,
                "provider_id": 1,
                "fee_cents": FEE,
                "points_to": [],
                "entered_at": opens,
            }
        )
    connection.execute(insert(schema.visit), visits)
    connection.execute(insert(schema.charge_line), lines)
    return [each["id"] for each in visits]  # type: ignore[misc]


def _slots(after: date) -> Iterator[Slot]:
    for day in (after + timedelta(days=n) for n in range(1, DAYS)):
        if day.weekday() < 5 and not closures(day, day):
            yield from (Slot(provider, day, start) for start in STARTS for provider in PROVIDERS)


def _twice(slots: Iterator[Slot]) -> Iterator[Slot]:
    for each in slots:
        yield each
        yield each


def empty_slots(engine: Engine, many: int) -> tuple[list[Slot], list[int]]:
    """So many times on days that nobody has booked yet, and whom to book."""
    with engine.connect() as connection:
        people = [each for each, _ in _people(connection)]
        last: date = connection.execute(text("SELECT MAX(day) FROM visit")).scalar_one()
    return list(islice(_slots(last), many)), people


def type_id() -> int:
    return TYPE_ID[KIND]
