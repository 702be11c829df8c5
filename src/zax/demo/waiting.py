"""Who waits at the demo clinic: the waitlist, the shelf, requests from the web, planned work. Made by the
same acts as the desk uses, each at its own moment of the past weeks.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass
from datetime import date, datetime, timedelta
from typing import Any

from sqlalchemy import insert, select, update

from zax.clock import ShiftedClock, to_utc
from zax.core.book.hours import clock_words
from zax.core.patients.wishes import wishes_of
from zax.core.people.roles import Role
from zax.demo.world import SERVICE_ID, TYPE_ID, ZONE
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import BookOrder, book_visit
from zax.desk.book.cancellation import take_off
from zax.desk.book.openings import Part, Request, find_openings
from zax.desk.book.shelf import shelve
from zax.desk.book.waitlist import note_try, wait_for
from zax.desk.patients.details import name_keys
from zax.store import schema
from zax.store.rows import add

JUNO = Actor(1, "Juno Park", Role.MANAGER, "JP")
RAVI = Actor(2, "Ravi Teller", Role.MANAGER, "RT")


@dataclass(frozen=True, slots=True)
class _Waiter:
    """`why` is lost, sooner or short; `days` since when; `provider` 0 for anybody; half days liked and never
    (see core.patients.wishes).
    """

    name: str
    kind: str
    why: str
    days: int
    provider: int
    likes: tuple[int, ...] = ()
    never: tuple[int, ...] = ()
    tried: str = ""
    also_short: bool = False


WAITERS = (
    _Waiter("Gideon Marr", "Crown prep", "sooner", 21, 3, (2, 6), (8, 9), "left word"),
    _Waiter("Sunniva Dahl", "Root canal", "lost", 8, 3, (4, 5, 9), (), "wants a Friday"),
    _Waiter("Ada Lorne", "Filling", "lost", 12, 3, (3, 7), (0, 2, 4, 6, 8), "no answer", True),
    _Waiter("Bram Kessler", "Filling", "sooner", 6, 0, (1, 3, 5, 7, 9), (), "", True),
    _Waiter("Priti Vance", "Filling", "sooner", 15, 3, (0, 2, 4), (), "mornings only"),
    _Waiter("Noor Haidari", "Toothache", "short", 4, 0, (7, 9), (0, 1)),
    _Waiter("Otto Nyman", "Filling", "sooner", 19, 3, (1, 5, 7), (), "said later"),
    _Waiter("Marit Osgood", "Extraction", "short", 71, 0, (), (8,), "left word"),
    _Waiter("Felix Adair", "Crown prep", "short", 64, 1, (2, 3)),
    _Waiter("Tilda Brandt", "Hygiene", "short", 93, 0, (0, 1)),
    _Waiter("Ingrid Solheim", "Hygiene", "lost", 5, 2, (2, 3)),
    _Waiter("Carlo Venn", "Hygiene", "sooner", 11, 0, (8,), (0, 1)),
    _Waiter("Wanda Pell", "Hygiene", "sooner", 9, 4, (), (), "no answer"),
    _Waiter("Jory Tamm", "Gum care", "lost", 14, 4, (5,), (), "", True),
    _Waiter("Selma Roth", "Crown seat", "lost", 3, 1, (6, 7)),
    _Waiter("Emil Straud", "Filling", "lost", 2, 1, (4,), (), "", True),
    _Waiter("Vera Lind", "Physical", "sooner", 17, 5, (0, 2)),
    _Waiter("Abel Crowe", "Physical", "lost", 7, 5, (), (8, 9)),
    _Waiter("Dora Finch", "Sick visit", "short", 1, 0),
    _Waiter("Milo Garrick", "Follow-up", "lost", 4, 6, (6,)),
    _Waiter("Petra Noll", "Follow-up", "sooner", 10, 6, (1,)),
    _Waiter("Rufus Bane", "Vaccines", "short", 12, 0, (9,)),
    _Waiter("Hedda Moss", "Root canal", "lost", 33, 1, (), (), "called twice"),
)
# name, type, provider, how many days ago it was shelved, words, shared
SHELVED = (
    ("Ingrid Moss", "Crown prep", 1, 5, "clinic moved it", False),
    ("Leon Achebe", "Hygiene", 2, 0, "car trouble", False),
    ("Ruby Stroud", "Follow-up", 6, 1, "wants a morning", True),
)
# name, type, provider, in how many days at the earliest, in their words
ASKED = (
    ("Jonah Reyes", "Toothache", 3, 0, "Chipped a tooth last night, it does not hurt."),
    ("Lotte Amsel", "Hygiene", 2, 2, "Any time after lunch is fine."),
    ("Ken Dorval", "Sick visit", 5, 1, ""),
)
# patient of today, service, tooth, surfaces
PLANNED = (
    ("Theo Marsh", "D2740", "30", ""),
    ("Theo Marsh", "D2391", "29", "O"),
    ("Grace Lindqvist", "D1206", "", ""),
    ("Helen Vasquez", "D2392", "14", "MO"),
    ("Ada Lorne", "D2392", "19", "DO"),
    ("Omar Said", "36415", "", ""),
)


class Waiting:
    """Plays the past weeks' calls. `opens` is the minute (UTC) at which the demo begins."""

    def __init__(self, desk: Desk, clock: ShiftedClock, opens: datetime, day: date) -> None:
        self.desk, self.clock, self.opens, self.day = desk, clock, opens, day
        self.people: dict[str, int] = {}

    def play(self, progress: Callable[[], None]) -> None:
        moments: list[tuple[datetime, Callable[[], None]]] = []
        for number, waiter in enumerate(WAITERS):
            moments.append((self._ago(waiter.days, number), lambda w=waiter: self._wait(w)))  # type: ignore[misc]
        for number, row in enumerate(SHELVED):
            moments.append((self._ago(row[3], number + 40), lambda r=row: self._shelve(*r)))  # type: ignore[misc]
        for number, asked in enumerate(ASKED):
            moments.append((self.opens - timedelta(minutes=50 - 9 * number), lambda r=asked: self._ask(*r)))  # type: ignore[misc]
        for moment, work in sorted(moments, key=lambda pair: pair[0]):
            self.clock.set_to(moment)
            work()
            progress()
        self.clock.set_to(self.opens)
        self._plan()

    def _ago(self, days: int, number: int) -> datetime:
        if days == 0:
            return self.opens - timedelta(minutes=140)
        return self.opens - timedelta(days=days, minutes=number * 3)

    def _person(self, name: str, likes: tuple[int, ...] = (), never: tuple[int, ...] = ()) -> int:
        first, last = name.split()
        wishes = wishes_of(likes, never)
        with self.desk.engine.begin() as connection:
            household = add(connection, schema.household, name=last)
            number = len(self.people)
            made = add(
                connection,
                schema.patient,
                household_id=household,
                guarantor=True,
                first=first,
                last=last,
                **asdict(name_keys(first, last)),
                birth=self.day - timedelta(days=8500 + number * 517),
                sex="F" if number % 2 else "M",
                phone=f"360555{160 + number:04d}",
                email="" if name == "Ken Dorval" else f"{first}.{last}@example.org".lower(),
                street=f"{20 + number} Harbor Lane",
                city="Marrow Harbor",
                state="WA",
                zip="98201",
                likes=wishes.likes,
                never=wishes.never,
                made_at=to_utc(datetime(self.day.year, 1, 12, 9), ZONE),
            )
        self.people[name] = int(made)
        return int(made)

    def _opening(self, kind: str, provider: int, first: date, minutes: int = 0) -> Any:
        request = Request(
            (Part(TYPE_ID[kind], minutes, provider),), (1,), first, first + timedelta(days=120), limit=1
        )
        with self.desk.engine.connect() as connection:
            return find_openings(connection, self.desk.clinic, self.clock.now(), request)[0]

    def _book(self, patient_id: int, kind: str, provider: int, first: date, key: str, **more: Any) -> int:
        found = self._opening(kind, provider, first)
        order = BookOrder(
            1,
            found.day,
            clock_words(found.start),
            found.lead,
            str(TYPE_ID[kind]),
            "",
            patient_id,
            key,
            **more,
        )
        return book_visit(self.desk, JUNO, order)

    def _wait(self, waiter: _Waiter) -> None:
        patient_id = self._person(waiter.name, waiter.likes, waiter.never)
        key, at = f"waits-{waiter.name}"[:40], self.clock.now().date()
        if waiter.why == "short":
            wait_for(self.desk, JUNO, patient_id, "short", TYPE_ID[waiter.kind], waiter.provider, 1, "")
        elif waiter.why == "sooner":
            self._book(
                patient_id,
                waiter.kind,
                waiter.provider,
                max(self.day + timedelta(days=24), at),
                key,
                sooner=True,
                short=waiter.also_short,
            )
        else:
            visit_id = self._book(
                patient_id, waiter.kind, waiter.provider, at + timedelta(days=2), key, short=waiter.also_short
            )
            take_off(self.desk, JUNO, visit_id, "wants", "called in the morning")
            if waiter.also_short:
                wait_for(self.desk, JUNO, patient_id, "short", TYPE_ID[waiter.kind], 0, 1, "")
        if waiter.tried:
            self._tried(patient_id, waiter)

    def _tried(self, patient_id: int, waiter: _Waiter) -> None:
        w = schema.waiting
        with self.desk.engine.connect() as connection:
            wait_id = connection.execute(
                select(w.c.id).where(w.c.patient_id == patient_id, w.c.ended_at.is_(None)).limit(1)
            ).scalar_one()
        self.clock.set_to(min(self.clock.now() + timedelta(days=2), self.opens - timedelta(minutes=90)))
        note_try(self.desk, RAVI, wait_id, waiter.tried)

    def _shelve(self, name: str, kind: str, provider: int, days: int, words: str, shared: bool) -> None:
        visit_id = self._book(self._person(name), kind, provider, self.clock.now().date(), f"shelf-{name}")
        shelve(self.desk, RAVI if shared else JUNO, [visit_id], words, shared)

    def _ask(self, name: str, kind: str, provider: int, ahead: int, words: str) -> None:
        until = to_utc(
            datetime(self.day.year, self.day.month, self.day.day, 12) + timedelta(days=ahead), ZONE
        )
        self._book(
            self._person(name),
            kind,
            provider,
            self.day + timedelta(days=ahead),
            f"asked-{name}",
            held_until=until,
            web_message=words,
        )

    def _plan(self) -> None:
        p = schema.patient
        with self.desk.engine.begin() as connection:
            for name, code, tooth, surfaces in PLANNED:
                first, last = name.split()
                patient_id = connection.execute(
                    select(p.c.id)
                    .where(p.c.first == first, p.c.last == last)
                    .order_by(p.c.id.desc())
                    .limit(1)
                ).scalar_one()
                connection.execute(
                    insert(schema.planned_service).values(
                        patient_id=patient_id,
                        service_id=SERVICE_ID[code],
                        tooth=tooth,
                        surfaces=surfaces,
                        made_at=self.opens - timedelta(days=30),
                    )
                )
            # A third of the known patients have told which half days suit them.
            connection.execute(update(p).where(p.c.id % 3 == 0, p.c.likes == 0).values(likes=1 << 2))
