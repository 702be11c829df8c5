"""Who waits at the demo clinic: the waitlist, the shelf, requests from the web, planned work. Made by the
same acts as the desk uses, each at its own moment of the past weeks.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass
from datetime import date, datetime, timedelta

from sqlalchemy import insert, select, update

from zax.clock import ShiftedClock, to_utc
from zax.core.book.search_request import Opening
from zax.core.patients.wishes import wishes_of
from zax.core.people.roles import MANAGER
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

JUNO = Actor(1, "Juno Park", MANAGER, "JP")
RAVI = Actor(2, "Ravi Teller", MANAGER, "RT")


@dataclass(frozen=True, slots=True, kw_only=True)
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
    _Waiter(
        name="Gideon Marr",
        kind="Crown prep",
        why="sooner",
        days=21,
        provider=3,
        likes=(2, 6),
        never=(8, 9),
        tried="left word",
    ),
    _Waiter(
        name="Sunniva Dahl",
        kind="Root canal",
        why="lost",
        days=8,
        provider=3,
        likes=(4, 5, 9),
        never=(),
        tried="wants a Friday",
    ),
    _Waiter(
        name="Ada Lorne",
        kind="Filling",
        why="lost",
        days=12,
        provider=3,
        likes=(3, 7),
        never=(0, 2, 4, 6, 8),
        tried="no answer",
        also_short=True,
    ),
    _Waiter(
        name="Bram Kessler",
        kind="Filling",
        why="sooner",
        days=6,
        provider=0,
        likes=(1, 3, 5, 7, 9),
        never=(),
        tried="",
        also_short=True,
    ),
    _Waiter(
        name="Priti Vance",
        kind="Filling",
        why="sooner",
        days=15,
        provider=3,
        likes=(0, 2, 4),
        never=(),
        tried="mornings only",
    ),
    _Waiter(
        name="Noor Haidari", kind="Toothache", why="short", days=4, provider=0, likes=(7, 9), never=(0, 1)
    ),
    _Waiter(
        name="Otto Nyman",
        kind="Filling",
        why="sooner",
        days=19,
        provider=3,
        likes=(1, 5, 7),
        never=(),
        tried="said later",
    ),
    _Waiter(
        name="Marit Osgood",
        kind="Extraction",
        why="short",
        days=71,
        provider=0,
        likes=(),
        never=(8,),
        tried="left word",
    ),
    _Waiter(name="Felix Adair", kind="Crown prep", why="short", days=64, provider=1, likes=(2, 3)),
    _Waiter(name="Tilda Brandt", kind="Hygiene", why="short", days=93, provider=0, likes=(0, 1)),
    _Waiter(name="Ingrid Solheim", kind="Hygiene", why="lost", days=5, provider=2, likes=(2, 3)),
    _Waiter(name="Carlo Venn", kind="Hygiene", why="sooner", days=11, provider=0, likes=(8,), never=(0, 1)),
    _Waiter(
        name="Wanda Pell",
        kind="Hygiene",
        why="sooner",
        days=9,
        provider=4,
        likes=(),
        never=(),
        tried="no answer",
    ),
    _Waiter(
        name="Jory Tamm",
        kind="Gum care",
        why="lost",
        days=14,
        provider=4,
        likes=(5,),
        never=(),
        tried="",
        also_short=True,
    ),
    _Waiter(name="Selma Roth", kind="Crown seat", why="lost", days=3, provider=1, likes=(6, 7)),
    _Waiter(
        name="Emil Straud",
        kind="Filling",
        why="lost",
        days=2,
        provider=1,
        likes=(4,),
        never=(),
        tried="",
        also_short=True,
    ),
    _Waiter(name="Vera Lind", kind="Physical", why="sooner", days=17, provider=5, likes=(0, 2)),
    _Waiter(name="Abel Crowe", kind="Physical", why="lost", days=7, provider=5, likes=(), never=(8, 9)),
    _Waiter(name="Dora Finch", kind="Sick visit", why="short", days=1, provider=0),
    _Waiter(name="Milo Garrick", kind="Follow-up", why="lost", days=4, provider=6, likes=(6,)),
    _Waiter(name="Petra Noll", kind="Follow-up", why="sooner", days=10, provider=6, likes=(1,)),
    _Waiter(name="Rufus Bane", kind="Vaccines", why="short", days=12, provider=0, likes=(9,)),
    _Waiter(
        name="Hedda Moss",
        kind="Root canal",
        why="lost",
        days=33,
        provider=1,
        likes=(),
        never=(),
        tried="called twice",
    ),
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
                made_at=to_utc(datetime(self.day.year - 1, 1, 12, 9), ZONE),
            )
        self.people[name] = int(made)
        return int(made)

    def _opening(self, kind: str, provider: int, first: date, minutes: int = 0) -> Opening:
        request = Request(
            parts=(Part(TYPE_ID[kind], minutes, provider),),
            sites=(1,),
            first=first,
            last=first + timedelta(days=120),
            limit=1,
        )
        with self.desk.engine.connect() as connection:
            return find_openings(connection, self.desk.clinic, self.clock.now(), request)[0]

    def _book(
        self,
        patient_id: int,
        kind: str,
        provider: int,
        first: date,
        key: str,
        *,
        sooner: bool = False,
        short: bool = False,
        held_until: datetime | None = None,
        web_message: str = "",
    ) -> int:
        found = self._opening(kind, provider, first)
        order = BookOrder(
            site_id=1,
            day=found.day,
            at=found.start,
            provider_id=found.lead,
            type_id=TYPE_ID[kind],
            minutes=None,
            patient_id=patient_id,
            key=key,
            sooner=sooner,
            short=short,
            held_until=held_until,
            web_message=web_message,
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
