"""What `make bench` measures about time: a full day of twelve columns, a week, a waitlist of 2,000, and the
search for openings.

A site of its own carries the data: 20 people, a year ahead at 80 percent. The search itself is also measured
without a database, as CPU time of the core, to show how it grows with months and people.
"""

from __future__ import annotations

import random
import statistics
import time
from collections.abc import Iterator
from datetime import date, datetime, timedelta

from sqlalchemy import Connection, Engine, insert, text

from zax.core.book.hours import Span
from zax.core.book.minutes import bits_of, bits_within
from zax.core.book.openings import best_openings
from zax.core.book.search_request import Helpers, SearchRequest, SiteDay
from zax.core.json import Json
from zax.demo.bulk import Bulk
from zax.demo.world import TYPE_ID, ZONE
from zax.store import schema

SITE = 9001
PEOPLE, COLUMNS = 20, 12
DAY_VISITS, WAITING = 150, 2_000
FILL = 0.8
HOURS = ((480, 720), (780, 1020))
ROUNDS = 15
BOOK = (
    "SELECT v.id, v.patient_id, v.provider_id, v.room_id, v.type_id, v.day, v.start_min, v.minutes, v.state,"
    " v.version, v.note, p.first, p.last, p.phone, p.birth, p.street, p.sex, p.alert FROM staff_slot s JOIN"
    " visit v ON v.id = s.visit_id JOIN patient p ON p.id = v.patient_id WHERE s.provider_id = %s AND s.day"
    " BETWEEN %s AND %s ORDER BY v.day, v.start_min"
)
WAITLIST = (
    (
        "SELECT w.*, p.first, p.last, p.phone, p.likes, p.never, v.day, v.state FROM waiting w JOIN patient"
        " p ON p.id = w.patient_id LEFT JOIN visit v ON v.id = w.visit_id WHERE w.ended_at IS NULL AND"
        f" w.site_id = {SITE} AND p.status = 'active' ORDER BY w.since_at"
    ),
    (
        "SELECT v.patient_id, SUM(v.state IN ('here', 'room', 'checkout', 'left', 'settled')), SUM(v.state ="
        " 'missed' OR v.off_why = 'missed'), SUM(v.state = 'canceled') FROM visit v JOIN waiting w ON"
        f" w.patient_id = v.patient_id WHERE w.ended_at IS NULL AND w.site_id = {SITE} GROUP BY v.patient_id"
    ),
)
SLOTS = (
    (
        "SELECT s.provider_id, s.day, s.start_min, s.end_min FROM staff_slot s JOIN visit v ON v.id ="
        " s.visit_id WHERE s.provider_id BETWEEN %s AND %s AND s.day BETWEEN %s AND %s AND v.state NOT IN"
        " ('missed', 'canceled', 'shelf')"
    ),
    (
        f"SELECT room_id, day, type_id, patient_id, start_min, minutes FROM visit WHERE site_id = {SITE} AND"
        " day BETWEEN %s AND %s AND state NOT IN ('missed', 'canceled', 'shelf')"
    ),
)


def monday_after(day: date) -> date:
    return day + timedelta(days=7 - day.weekday())


def prepare(engine: Engine, opens: datetime) -> None:
    """The site with its people, a year of visits and its waitlist, once."""
    with engine.connect() as connection:
        if connection.execute(text("SELECT COUNT(*) FROM site WHERE id = :id"), {"id": SITE}).scalar_one():
            return
    today = opens.date()
    with engine.begin() as connection:
        _write_site(connection)
    with Bulk(engine) as bulk:
        _write_visits(bulk, engine, today)
    with engine.begin() as connection:
        _write_waitlist(connection, opens)


def _write_site(connection: Connection) -> None:
    put = connection.execute
    put(
        insert(schema.site).values(
            id=SITE,
            name="Full house",
            timezone=ZONE,
            phone="3605550199",
            state="WA",
            opens_min=480,
            closes_min=1080,
            grid_minutes=5,
        )
    )
    put(
        insert(schema.room),
        [
            {
                "id": SITE + n,
                "site_id": SITE,
                "name": f"Room {n + 1}",
                "dental": False,
                "position": n,
                "equipment": ["ekg"],
            }
            for n in range(PEOPLE)
        ],
    )
    put(
        insert(schema.provider),
        [
            {
                "id": SITE + n,
                "first": "Dr.",
                "last": f"Number {n + 1}",
                "name": f"Dr. Number {n + 1}",
                "short": f"Dr. {n + 1}",
                "role": "medical",
                "dental": False,
                "npi": "1467560045",
                "taxonomy": "207Q00000X",
                "room_id": SITE + n,
                "position": n,
            }
            for n in range(PEOPLE)
        ],
    )
    # Eight of the twenty are not in on Mondays, so that a Monday has twelve columns.
    put(
        insert(schema.provider_hours),
        [
            {"provider_id": SITE + n, "site_id": SITE, "weekday": day, "start_min": a, "end_min": b}
            for n in range(PEOPLE)
            for day in range(5)
            for a, b in HOURS
            if day or n < COLUMNS
        ],
    )


def _write_visits(bulk: Bulk, engine: Engine, today: date) -> None:
    rng = random.Random(11)
    with engine.connect() as connection:
        number = int(connection.execute(text("SELECT MAX(id) FROM visit")).scalar_one())
        top = int(connection.execute(text("SELECT MAX(id) FROM patient")).scalar_one())
    full, visits, slots = monday_after(today), [], []
    for ahead in range(1, 366):
        day = today + timedelta(days=ahead)
        for person in range(PEOPLE):
            for at, minutes in _day(rng, day, person, full):
                number += 1
                kind = TYPE_ID["Physical" if minutes == 40 else "Sick visit"]
                visits.append(
                    (
                        number,
                        SITE,
                        rng.randrange(1, top),
                        SITE + person,
                        SITE + person,
                        kind,
                        day,
                        at,
                        minutes,
                        "booked",
                        "2026-01-01",
                        1,
                    )
                )
                slots.append((number, SITE + person, day, at, at + minutes, ""))
    bulk.add(
        schema.visit,
        "id, site_id, patient_id, provider_id, room_id, type_id, day, start_min, minutes, state, made_at,"
        " made_by",
        visits,
    )
    bulk.add(schema.staff_slot, "visit_id, provider_id, day, start_min, end_min, words", slots)


def _day(rng: random.Random, day: date, person: int, full: date) -> Iterator[tuple[int, int]]:
    """One person's visits of a day; on the full Monday so many that the day has DAY_VISITS."""
    if day.weekday() > 4 or (day.weekday() == 0 and person >= COLUMNS):
        return
    if day == full:
        wanted = DAY_VISITS // COLUMNS + (person < DAY_VISITS % COLUMNS)
        yield from (
            (at, 30) for at in [a for opens, closes in HOURS for a in range(opens, closes, 30)][:wanted]
        )
        return
    for opens, closes in HOURS:
        at = opens
        while at + 40 <= closes:
            minutes = rng.choice((30, 40))
            if rng.random() < FILL:
                yield at, minutes
            at += minutes


def _write_waitlist(connection: Connection, opens: datetime) -> None:
    rng = random.Random(12)
    kinds = [TYPE_ID[name] for name in ("Sick visit", "Physical", "Follow-up", "Vaccines")]
    rows = []
    for number in range(WAITING):
        since = opens - timedelta(days=rng.randrange(1, 90))
        rows.append(
            {
                "patient_id": number * 37 + 5,
                "why": rng.choice(("lost", "short")),
                "site_id": SITE,
                "type_id": rng.choice(kinds),
                "minutes": rng.choice((30, 40)),
                "provider_id": SITE + rng.randrange(PEOPLE) if rng.random() < 0.5 else None,
                "value_cents": rng.randrange(5_000, 40_000),
                "since_at": since,
                "asked_at": since,
            }
        )
    connection.execute(insert(schema.waiting), rows)
    connection.execute(
        text("UPDATE patient SET likes = 1 << (id % 10) WHERE id IN (SELECT patient_id FROM waiting)")
    )


# --- the core alone
def calendar(people: int, months: int, seed: int = 3) -> list[SiteDay]:
    """So many people for so many months at 80 percent, in visits of 30 to 60 minutes, two of them stepping in
    for exams.
    """
    rng = random.Random(seed)
    found, first = [], date(2026, 11, 23)
    for number in range(months * 365 // 12):
        day = first + timedelta(days=number)
        if day.weekday() > 4:
            continue
        open_bits = {p: bits_within(Span(a, b) for a, b in HOURS) for p in range(people)}
        busy = {p: bits_of(_spans(rng)) for p in range(people)}
        found.append(
            SiteDay(
                day=day,
                site_id=1,
                grid=5,
                open=open_bits,
                busy=busy,
                rooms={p: busy[p] for p in range(people)},
            )
        )
    return found


def _spans(rng: random.Random) -> list[Span]:
    spans = []
    for opens, closes in HOURS:
        at = opens
        while at + 30 <= closes:
            minutes = min(rng.choice((30, 40, 50, 60)), closes - at)
            if rng.random() < FILL:
                spans.append(Span(at, at + minutes))
            at += minutes
    return spans


def openings_table() -> list[Json]:
    """CPU milliseconds (median) of the 20 best openings: an hour with an exam by one of two others; and of a
    search that finds nothing.
    """
    rows = []
    for people, months in ((20, 1), (20, 3), (20, 6), (20, 12), (20, 24), (5, 12), (50, 12), (100, 12)):
        days = calendar(people, months)
        helpers = Helpers(tuple(range(max(2, people // 5))), 10, (30, 20, 40))
        hour = SearchRequest(
            minutes=60,
            leads=tuple(range(people)),
            rooms=tuple(range(people)),
            home_rooms={p: p for p in range(people)},
            helpers=(helpers,),
        )
        never = SearchRequest(minutes=300, leads=tuple(range(people)), rooms=tuple(range(people)))
        rows.append(
            {
                "people": people,
                "months": months,
                "cpu_ms": _cpu(hour, days),
                "nothing_cpu_ms": _cpu(never, days),
            }
        )
    return rows


def _cpu(need: SearchRequest, days: list[SiteDay]) -> float:
    times = []
    for _ in range(ROUNDS):
        began = time.process_time()
        best_openings([need], days, days[0].day)
        times.append((time.process_time() - began) * 1000)
    return round(statistics.median(times), 2)
