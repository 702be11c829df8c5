"""Ten thousand bookings at once, eight for every time there is: each time goes to one, and everybody is told.

They are made by the act itself in several processes of many threads, so that nothing but the database stands
between them.
"""

from __future__ import annotations

import os
import random
import threading
import time
from collections import Counter
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from multiprocessing import get_context

from sqlalchemy import URL, text

from zax.core.errors import Conflict, Refused
from zax.core.json import Json
from zax.demo.bench_data import desk_at_opening
from zax.demo.today import JUNO
from zax.demo.torture.ground import MINUTES, Slot, type_id
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import BookOrder, book_visit
from zax.store.engine import connect

FOR_EACH = 8
PROCESSES, THREADS = 4, 8
KEY = "crowd-"


@dataclass(frozen=True, slots=True)
class Wish:
    number: int
    slot: Slot
    patient_id: int


def wishes(slots: Sequence[Slot], people: Sequence[int], rng: random.Random) -> list[Wish]:
    """Eight for each time, those for one close together and in no order."""
    made = [slot for slot in slots for _ in range(FOR_EACH)]
    order = sorted(range(len(made)), key=lambda n: n // FOR_EACH + rng.uniform(0, 3))
    return [Wish(n, made[at], rng.choice(people)) for n, at in enumerate(order)]


def ask(desk: Desk, wish: Wish) -> str:
    """What they were told: booked, gone, or how else it ended."""
    order = BookOrder(
        site_id=1,
        day=wish.slot.day,
        at=wish.slot.start,
        provider_id=wish.slot.provider_id,
        type_id=type_id(),
        minutes=MINUTES,
        patient_id=wish.patient_id,
        key=f"{KEY}{wish.number}",
    )
    try:
        book_visit(desk, JUNO, order)
    except (Conflict, Refused):
        return "gone"
    except Exception as error:  # noqa: BLE001 (how it ended is what is asked)
        return f"failed: {type(error).__name__}"
    return "booked"


def ask_all(desk: Desk, wishes: Sequence[Wish], threads: int) -> Counter[str]:
    gate = threading.Barrier(threads)

    def some(part: Sequence[Wish]) -> list[str]:
        gate.wait()
        return [ask(desk, each) for each in part]

    with ThreadPoolExecutor(threads) as pool:
        answers = pool.map(some, [wishes[n::threads] for n in range(threads)])
        return Counter(each for part in answers for each in part)


def _in_process(url: URL, wishes: Sequence[Wish]) -> Counter[str]:
    engine = connect(url)
    try:
        return ask_all(desk_at_opening(engine)[0], wishes, THREADS)
    finally:
        engine.dispose()


def crowd(
    url: URL, slots: Sequence[Slot], people: Sequence[int], seed: int, say: Callable[[str], None]
) -> Json:
    """What they were told, the seconds, and every fault in words."""
    asked = wishes(slots, people, random.Random(seed))
    began = time.monotonic()
    with ProcessPoolExecutor(PROCESSES, mp_context=get_context("spawn")) as pool:
        parts = pool.map(partial(_in_process, url), [asked[n::PROCESSES] for n in range(PROCESSES)])
        told: Counter[str] = sum(parts, Counter())
    seconds = time.monotonic() - began
    engine = connect(url)
    with engine.connect() as connection:
        rows = connection.execute(
            text(
                "SELECT provider_id, day, start_min, COUNT(*) AS many FROM visit WHERE request_key LIKE"
                " 'crowd-%' AND state <> 'off' GROUP BY provider_id, day, start_min"
            )
        ).all()
    engine.dispose()
    faults = [f"{tuple(row)[:3]} has {row.many} visits" for row in rows if row.many != 1]
    if len(rows) != len(slots) or told["booked"] != len(slots):
        faults.append(f"{len(slots)} times, {len(rows)} booked, {told['booked']} told so")
    faults += [f"{many} {what}" for what, many in told.items() if what.startswith("failed")]
    say(f"{len(asked):,} bookings at once for {len(slots):,} times in {seconds:.0f} s: {dict(told)}")
    return {
        "asked": len(asked),
        "times": len(slots),
        "told": dict(told),
        "seconds": round(seconds, 1),
        "processes": PROCESSES,
        "threads": THREADS,
        "cpus": os.cpu_count(),
        "faults": faults,
    }
