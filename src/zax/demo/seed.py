"""Fills an empty database: the demo clinic in full swing, or a whole town for measuring. The same seed gives
the same clinic.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from pathlib import Path

from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn
from sqlalchemy import Engine, insert, inspect, select

from zax.clock import ShiftedClock, local, system_now, to_utc
from zax.demo import claims, remits
from zax.demo.accounts import add_money
from zax.demo.arrivals import receive, write_arrivals, write_copays
from zax.demo.bulk import Bulk
from zax.demo.colleagues import write_colleagues
from zax.demo.hand_overs import write_hand_overs
from zax.demo.history import History
from zax.demo.messages import write_messages
from zax.demo.offers import offer_openings
from zax.demo.people import Person, make_people
from zax.demo.recalls import follow_up, write_recalls
from zax.demo.records import enrich
from zax.demo.registrations import register
from zax.demo.returns import write_returns
from zax.demo.setup_rows import write_world
from zax.demo.standin_state import share_secret, tell_standin
from zax.demo.today import (
    OPENS_AT,
    VISITS,
    PayingTerminal,
    Today,
    give_helen_a_household,
    regulars,
    write_patients,
)
from zax.demo.waiting import ASKED, SHELVED, WAITERS, Waiting
from zax.demo.world import ZONE, working_day_after
from zax.desk.acts.transaction import Desk
from zax.desk.clinic.clinic import load
from zax.store import schema
from zax.store.charges.code_book import diagnosis_rows
from zax.store.files import FileStore


@dataclass(frozen=True, slots=True, kw_only=True)
class Size:
    """How much to make. `copies` repeats the two sites with their people; `back` and `ahead` are days of
    visits. `plays_today`: the day itself is made by acts, as people would.
    """

    patients: int
    copies: int
    back: int
    ahead: int
    fill: float
    full: bool
    plays_today: bool = False


SIZES = {
    "demo": Size(patients=1_200, copies=1, back=548, ahead=21, fill=0.55, full=True, plays_today=True),
    # The demo with a short past: for who starts it only to see it start.
    "short": Size(patients=600, copies=1, back=60, ahead=10, fill=0.55, full=True, plays_today=True),
    "town": Size(patients=100_000, copies=38, back=730, ahead=30, fill=0.9, full=False),
    "region": Size(patients=1_000_000, copies=4, back=5, ahead=5, fill=0.5, full=False),
}
SEED = 1142


def opening_day(real_today: date) -> date:
    return working_day_after(real_today)


def seeded(engine: Engine) -> dict[str, str] | None:
    """What a finished seeding left in the settings, or None for an empty or half-filled database."""
    with engine.connect() as connection:
        if not inspect(connection).has_table(schema.setting.name):
            return None
        found = connection.execute(
            select(schema.setting.c.value).where(schema.setting.c.name == "seeded")
        ).scalar()
    return found if isinstance(found, dict) else None


def seed(
    engine: Engine, size_name: str, day: date, var: Path | None, progress: Progress | None = None
) -> int:
    """Fill the database with the clinic as it stands at 10:42 on `day`; how many visits there are."""
    size = SIZES[size_name]
    opens = to_utc(datetime(day.year, day.month, day.day) + timedelta(minutes=OPENS_AT), ZONE)
    with progress or _bar() as bar:
        people = _write_setup(engine, size, opens, bar)
        expected = write_patients(engine, day) if size.plays_today else []
        visits = _fill(engine, size, opens, (people, expected), bar)
        if size.plays_today:
            write_copays(engine)
            clock = ShiftedClock()
            desk = _desk(engine, clock)
            task = bar.add_task("Today", total=len(VISITS) * 4)
            by_name = {f"{person.first} {person.last}": person.id for person in expected}
            claims.before_today(desk, day, by_name)
            Today(desk, clock, day).play(by_name, lambda: bar.advance(task))
            clock.set_to(opens - timedelta(minutes=10))
            claims.answered(desk, day, by_name)
            bar.update(task, completed=len(VISITS) * 4)
            give_helen_a_household(desk)
            task = bar.add_task("Waiting", total=len(WAITERS) + len(SHELVED) + len(ASKED))
            Waiting(desk, clock, opens, day).play(lambda: bar.advance(task))
            enrich(desk, clock, opens, day, var)
            receive(desk, clock, opens, day)
            clock.set_to(opens - timedelta(minutes=10))
            claims.asked_beforehand(desk, by_name[claims.ASKED_BEFOREHAND])
            clock.set_to(opens)
            add_money(desk, clock, PayingTerminal(), day)
            remits.payments_come_in(desk, clock, opens, day)
            with engine.begin() as connection:
                write_recalls(connection, opens, day - timedelta(days=6))
                follow_up(connection, day, opens)
                write_returns(connection, day, opens)
                write_hand_overs(connection, day, opens)
            write_messages(engine, desk, clock, opens, day)
            offer_openings(desk, clock, opens, day)
            if var is not None:
                register(desk, clock, opens, FileStore(var))
            visits += len(VISITS)
        else:
            with engine.begin() as connection:
                write_arrivals(connection, opens)
                write_recalls(connection, opens, day - timedelta(days=6))
    if var is not None:
        tell_standin(engine, var / "standin", day.year)
    with engine.begin() as connection:
        if var is not None:
            share_secret(connection, var)
        write_colleagues(connection, opens)
        value = {"size": size_name, "opens": opens.isoformat(), "made": system_now().isoformat()}
        connection.execute(insert(schema.setting).values(name="seeded", value=value))
    return visits


def _bar() -> Progress:
    return Progress(
        TextColumn("{task.description:<12}"),
        BarColumn(),
        TextColumn("{task.percentage:>3.0f}%"),
        TimeElapsedColumn(),
    )


def _write_setup(engine: Engine, size: Size, opens: datetime, bar: Progress) -> list[Person]:
    """The clinic, and the people it knows."""
    now = local(opens, ZONE)
    with engine.begin() as connection:
        write_world(connection, now.date(), size.copies)
    with Bulk(engine) as bulk:
        task = bar.add_task("Codes", total=1)
        bulk.add(schema.diagnosis_code, "code, words, billable", diagnosis_rows())
        bar.advance(task)
        task = bar.add_task("Patients", total=1)
        people = make_people(bulk, size.patients, now.date(), SEED)
    bar.advance(task)
    return people


def _fill(
    engine: Engine, size: Size, opens: datetime, known: tuple[list[Person], list[Person]], bar: Progress
) -> int:
    """Past and coming visits of the people `known`: those of any day, and those who come today."""
    now = local(opens, ZONE)
    people, expected = known
    with Bulk(engine) as bulk:
        history = History(bulk, people, now, SEED + 1, size.full, regulars(expected))
        task = bar.add_task("Visits", total=size.back + size.ahead + 1)
        _make_days(history, size, now, lambda: bar.advance(task))
        history.flush()
        task = bar.add_task("Loading", total=1)
    bar.advance(task)
    return history.visits


def _make_days(history: History, size: Size, now: datetime, step: Callable[[], None]) -> None:
    for ahead in range(-size.back, size.ahead + 1):
        day = now.date() + timedelta(days=ahead)
        # Today at the demo clinic is made by acts; coming days are booked less and less.
        fill = size.fill if ahead <= 0 else max(0.15, 0.75 - ahead * 0.035) if size.plays_today else 0.6
        if not (ahead == 0 and size.plays_today):
            for copy in range(size.copies):
                history.make_day(day, copy, fill)
        if ahead % 5 == 0:
            history.flush()
        step()


def _desk(engine: Engine, clock: ShiftedClock) -> Desk:
    with engine.connect() as connection:
        return Desk(engine, clock, load(connection))


def demo_clock(engine: Engine) -> ShiftedClock:
    """The clock standing where the demo left it: its last heartbeat, or the opening minute."""
    found = seeded(engine)
    assert found is not None
    with engine.connect() as connection:
        last = connection.execute(
            select(schema.beat.c.clock_at).where(schema.beat.c.name == "worker")
        ).scalar()
    clock = ShiftedClock()
    clock.set_to(last or datetime.fromisoformat(found["opens"]))
    return clock
