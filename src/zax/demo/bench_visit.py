"""What `make bench` needs from arrival to leaving: a day of 200 visits at one site, visits at checkout, and
200 heads-ups for 60 people.
"""

from __future__ import annotations

import random
import statistics
import time
from datetime import date

from sqlalchemy import Engine, text

from zax.core.arrivals.conditions import About, HeadsUp, compile_condition, showing
from zax.core.json import Json

SITE = 3
VISITS = 200
CHECKOUT = (
    (
        "SELECT v.id, v.day, v.state, SUM(j.patient_cents) AS c, SUM(j.insurer_cents) FROM visit w JOIN"
        " patient q ON q.id = w.patient_id STRAIGHT_JOIN patient p ON p.household_id = q.household_id"
        " STRAIGHT_JOIN visit v ON v.patient_id = p.id STRAIGHT_JOIN journal j ON j.visit_id = v.id WHERE"
        " w.id = %s AND v.id <> w.id GROUP BY v.id HAVING c <> 0"
    ),
    (
        "SELECT r.* FROM recall r JOIN visit v ON v.patient_id = r.patient_id WHERE v.id = %s AND r.ended_at"
        " IS NULL"
    ),
    "SELECT y.*, t.cents FROM payment y JOIN payment_part t ON t.payment_id = y.id WHERE t.visit_id = %s",
    (
        "SELECT s.* FROM planned_service s JOIN visit v ON v.patient_id = s.patient_id WHERE v.id = %s AND"
        " s.done_at IS NULL"
    ),
    "SELECT d.* FROM arrival_done d WHERE d.visit_id = %s AND d.undone_at IS NULL",
    (
        "SELECT f.kind, MAX(f.at) FROM patient_file f JOIN visit v ON v.patient_id = f.patient_id WHERE v.id"
        " = %s GROUP BY f.kind"
    ),
)


def prepare(engine: Engine, day: date) -> None:
    """Visits of other clinics come to one site until it has 200 today; again changes nothing."""
    with engine.begin() as connection:
        there = int(
            connection.execute(
                text("SELECT COUNT(*) FROM visit WHERE day = :day AND site_id = :site AND state <> 'shelf'"),
                {"day": day, "site": SITE},
            ).scalar_one()
        )
        connection.execute(
            text(
                "UPDATE visit SET site_id = :site WHERE day = :day AND site_id > 8 AND site_id % 2 = 1 AND"
                " state <> 'shelf' ORDER BY site_id, id LIMIT :more"
            ),
            {"site": SITE, "day": day, "more": max(0, VISITS - there)},
        )


def leaving(engine: Engine, day: date) -> list[int]:
    """The visits at checkout on that day, at any site."""
    with engine.connect() as connection:
        return list(
            connection.execute(
                text("SELECT id FROM visit WHERE day = :day AND state = 'checkout' ORDER BY id LIMIT 300"),
                {"day": day},
            ).scalars()
        )


def _condition(rng: random.Random) -> Json:
    """Two groups of two, each leaf of another kind and some turned round, as clinics write them."""

    def leaf() -> Json:
        made = rng.choice(
            (
                {"fact": "flag", "value": rng.randrange(1, 9)},
                {"fact": "older", "value": rng.randrange(20, 80)},
                {"fact": "owes", "value": rng.randrange(0, 20_000)},
                {"fact": "away", "value": rng.randrange(30, 700)},
                {"fact": "type", "value": rng.randrange(1, 13)},
                {"fact": "diagnosis", "value": rng.choice(("E11", "I10", "J"))},
                {"fact": "kind", "value": rng.choice(("none", "public", "dental"))},
                {"fact": "gap", "value": "any"},
                {"fact": "overdue", "value": 14},
                {"fact": "unsigned", "value": 1},
            )
        )
        return {"not": made} if rng.random() < 0.25 else made

    return {"any": [{"all": [leaf(), leaf()]}, {"all": [leaf(), leaf()]}]}


def headsup_ms(rules: int = 200, people: int = 60, rounds: int = 25) -> float:
    """CPU milliseconds (median) of asking so many heads-ups about so many people once, everything in place
    'arrival'.
    """
    rng = random.Random(5)
    listed = [
        HeadsUp(
            id=n,
            words=f"words {n}",
            todo="",
            places=frozenset({"arrival"}),
            holds=compile_condition(_condition(rng)),
        )
        for n in range(rules)
    ]
    asked = [
        About(
            first="A",
            last="B",
            flags=frozenset(rng.sample(range(1, 9), 2)),
            age=rng.randrange(90),
            balance=rng.randrange(-5000, 40_000),
            days_since=rng.randrange(900),
            type_id=rng.randrange(1, 13),
            diagnoses=("E11.9", "Z23"),
            kinds=frozenset({"dental"}),
            gaps=frozenset({"bill"} if rng.random() < 0.3 else ()),
            overdue=rng.choice((None, 30)),
        )
        for _ in range(people)
    ]
    times = []
    for _ in range(rounds):
        began = time.process_time()
        shown = sum(len(showing(listed, about, "arrival", frozenset())) for about in asked)
        times.append((time.process_time() - began) * 1000)
    assert 0 < shown < rules * people
    return round(statistics.median(times), 2)
