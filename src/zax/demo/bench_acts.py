"""What `make bench` measures: the acts and screens of a working day, each as the request to Zax and the
one to its floor, on people and visits of the town chosen by a fixed seed.
"""

from __future__ import annotations

import random
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from sqlalchemy import Engine, text

from zax.demo import bench_book, bench_money, bench_payments, bench_visit
from zax.demo.world import TYPE_ID, closures

ROUNDS, WARM = 200, 30
# Of pages that take a second in this town.
FEW = 30
Request = tuple[str, str, dict[str, str] | None]


@dataclass(frozen=True, slots=True)
class Act:
    """One measured act: the n-th request to Zax and to the floor, and the aimed ratio; at the first site or
    another, so many times.
    """

    name: str
    ours: Callable[[int], Request]
    floor: Callable[[int], Request]
    aim: float | None
    site: int = 1
    rounds: int = ROUNDS


def acts(engine: Engine, day: date, token: str) -> list[Act]:
    """What is measured, on people and visits chosen by a fixed seed."""
    rng = random.Random(7)
    with engine.connect() as connection:
        names = [
            row[0]
            for row in connection.execute(text("SELECT last_key FROM patient WHERE id % 401 = 7 LIMIT 240"))
        ]
        visits = list(
            connection.execute(
                text("SELECT id FROM visit WHERE day BETWEEN :a AND :b AND site_id = 1"),
                {"a": day - timedelta(days=60), "b": day},
            ).scalars()
        )
        top = int(connection.execute(text("SELECT MAX(id) FROM patient")).scalar_one())
        open_lines = connection.execute(
            text(
                "SELECT v.id, MAX(CASE WHEN j.patient_cents > 400 THEN j.line_id END), v.patient_id FROM"
                " visit v JOIN journal j ON j.visit_id = v.id WHERE v.state = 'left' AND v.site_id = 1 AND"
                " v.day > :since GROUP BY v.id HAVING SUM(j.patient_cents) > 1000 ORDER BY v.id LIMIT 500"
            ),
            {"since": day - timedelta(days=400)},
        ).all()
        last = max(connection.execute(text("SELECT MAX(day) FROM visit")).scalar_one(), day)
    # Days that nobody has booked yet, so that the bench can be run again on the same data.
    coming = (last + timedelta(days=n) for n in range(1, 100))
    far = [d for d in coming if d.weekday() < 5 and not closures(d, d)]
    slots = [(d, minute) for d in far for minute in (480, 510, 540, 570, 600, 630)]
    words = [rng.choice(names)[: rng.randrange(2, 5)] for _ in range(ROUNDS + WARM)]
    people = [rng.randrange(1, top) for _ in range(2 * len(words))]

    def booking(n: int) -> Request:
        d, minute = slots[n]
        form = {
            "csrf": token,
            "day": str(d),
            "provider_id": "5",
            "at": f"{minute // 60}:{minute % 60:02d}",
            "type_id": str(TYPE_ID["Sick visit"]),
            "minutes": "30",
            "patient_id": str(people[n]),
            "key": f"bench-{time.time_ns()}",
        }
        return "POST", "/book", form

    def booking_floor(n: int) -> Request:
        d, minute = slots[n]
        return (
            "POST",
            f"/book_visit?provider=6&day={d}&at={minute}&patient={people[n]}&key=floor-{time.time_ns()}",
            None,
        )

    def payment(n: int) -> Request:
        visit = open_lines[n % len(open_lines)]
        form = {
            "csrf": token,
            "tender": "cash",
            "amount": "0.01",
            "key": f"bench-{time.time_ns()}",
            "do": "pay",
        }
        return "POST", f"/visits/{visit[0]}/checkout", form

    def payment_floor(n: int) -> Request:
        visit, line, patient = open_lines[-1 - n % len(open_lines)]
        return "POST", f"/take_payment?visit={visit}&line={line}&patient={patient}&key={n}", None

    return [
        Act(
            "patient search",
            lambda n: ("GET", f"/find?q={words[n]}", None),
            lambda n: ("GET", f"/search?q={words[n]}", None),
            2,
        ),
        Act("Day", lambda n: ("GET", "/day", None), lambda n: ("GET", f"/day?day={day}&site=1", None), 3),
        Act("Book", lambda n: ("GET", "/book", None), lambda n: ("GET", f"/book?day={day}&site=1", None), 3),
        Act(
            "visit sheet",
            lambda n: ("GET", f"/visits/{visits[n]}/sheet", None),
            lambda n: ("GET", f"/sheet?id={visits[n]}", None),
            2,
        ),
        Act("book_visit", booking, booking_floor, None),
        Act("take_payment", payment, payment_floor, None),
        *_of_time(day),
        *_of_visits(engine, day),
        *_of_money(engine),
        *_of_payments(engine),
        Act(
            "claims to work",
            lambda n: ("GET", "/claims", None),
            lambda n: ("GET", f"/claims?day={day}", None),
            3,
            rounds=FEW,
        ),
        *_of_followup(day),
    ]


def _of_followup(day: date) -> list[Act]:
    """Lists over everybody of the town."""
    return [
        Act(
            "recalls of a town",
            lambda n: ("GET", "/followup/recalls", None),
            lambda n: ("GET", f"/recalls?day={day}", None),
            3,
            rounds=FEW,
        ),
        Act(
            "call sheet of a town",
            lambda n: ("GET", "/followup/calls", None),
            lambda n: ("GET", f"/calls?day={day}", None),
            3,
            rounds=FEW,
        ),
    ]


def _of_time(day: date) -> list[Act]:
    """Full day, week, waitlist and openings, at the site made for it."""
    monday = bench_book.monday_after(day)
    person = bench_book.SITE + 3
    kind = TYPE_ID["Physical"]
    last = day + timedelta(days=27)
    return [
        Act(
            "Book, 12 columns, 150 visits",
            lambda n: ("GET", f"/book?day={monday}", None),
            lambda n: ("GET", f"/book?day={monday}&site={bench_book.SITE}", None),
            3,
            bench_book.SITE,
        ),
        Act(
            "Book, a week",
            lambda n: ("GET", f"/book?by=week&who={person}&day={monday}", None),
            lambda n: (
                "GET",
                f"/week?provider={person}&first={monday}&last={monday + timedelta(days=6)}",
                None,
            ),
            None,
            bench_book.SITE,
        ),
        Act(
            "waitlist of 2,000 with fit",
            lambda n: ("GET", "/waitlist", None),
            lambda n: ("GET", f"/waitlist?day={day}", None),
            None,
            bench_book.SITE,
        ),
        Act(
            "openings, 20 people, a year",
            lambda n: ("GET", f"/book?find=1&more=1&type={kind}&day={day}&after={8 + n % 4}:00", None),
            lambda n: ("GET", f"/openings?first={day}&last={last}", None),
            None,
            bench_book.SITE,
        ),
    ]


def _of_visits(engine: Engine, day: date) -> list[Act]:
    """A crowded Day, and the checkout page with everything it offers."""
    leaving = bench_visit.leaving(engine, day)
    return [
        Act(
            "Day, 200 visits",
            lambda n: ("GET", "/day", None),
            lambda n: ("GET", f"/day?day={day}&site={bench_visit.SITE}", None),
            3,
            bench_visit.SITE,
        ),
        Act(
            "checkout page",
            lambda n: ("GET", f"/visits/{leaving[n % len(leaving)]}/checkout", None),
            lambda n: ("GET", f"/checkout?id={leaving[n % len(leaving)]}&day={day}", None),
            None,
        ),
    ]


def _of_money(engine: Engine) -> list[Act]:
    """The account of a household with 500 entries, by visit and by date, and its payment page."""
    homes = bench_money.accounts(engine)

    def account(n: int) -> Any:
        return homes[n % len(homes)]

    def floor(n: int) -> Request:
        return ("GET", f"/account?id={account(n).household_id}", None)

    return [
        Act("account, 500 entries", lambda n: ("GET", f"/accounts/{account(n).patient_id}", None), floor, 3),
        Act(
            "account by date", lambda n: ("GET", f"/accounts/{account(n).patient_id}?by=date", None), floor, 3
        ),
        Act("payment page", lambda n: ("GET", f"/pay/{account(n).patient_id}", None), floor, None),
    ]


def _of_payments(engine: Engine) -> list[Act]:
    """An insurer's check with hundreds of claims to place, a name looked for on it, and the denials."""
    check = bench_payments.open_payment(engine)
    return [
        Act(
            "posting desk, 400 claims",
            lambda n: ("GET", f"/claims/payments/{check}", None),
            lambda n: ("GET", f"/posting?id={check}", None),
            3,
            rounds=FEW,
        ),
        Act(
            "claim found by name",
            lambda n: ("GET", f"/claims/payments/{check}?find={'abcdefghij'[n % 10]}", None),
            lambda n: ("GET", f"/posting?id={check}", None),
            None,
            rounds=FEW,
        ),
        Act(
            f"denials, {bench_payments.DENIED}",
            lambda n: ("GET", "/claims/denied", None),
            lambda n: ("GET", "/denied", None),
            3,
            rounds=FEW,
        ),
    ]
