"""A run: desks at work, blow after blow, a look after each, and an account at the end."""

from __future__ import annotations

import random
import threading
import time
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, field, replace
from datetime import datetime, timedelta
from itertools import cycle

from sqlalchemy import Engine

from zax.core.json import Json
from zax.demo.seed import demo_clock, seeded
from zax.demo.torture.clinic import Clinic, within
from zax.demo.torture.desks import GIVE_UP_SECONDS, FrontDesk, Told
from zax.demo.torture.faults import Blow
from zax.demo.torture.ground import lay_out
from zax.demo.torture.judge import STAYS, Judge
from zax.store.acts.outbox import due_by_kind
from zax.store.engine import TROUBLE

USERS, MAY_IMPORT = ("juno", "sam"), {"sam"}
# Seconds of work between two blows, from the first thing done on.
CALM = (0.3, 3.0)
# Thousands of receipts are drawn at two or three a second.
QUIET_SECONDS = 1_500.0
# Errands that failed are tried again after pauses; the last of those of a blow is due by then.
SOON = timedelta(minutes=2)


@dataclass(slots=True)
class Account:
    """What came of it. `back` are the seconds from each blow until everything was well again, by blow."""

    seed: int
    desks: int
    blows: Counter[str] = field(default_factory=Counter)
    back: dict[str, list[float]] = field(default_factory=dict)
    done: Counter[str] = field(default_factory=Counter)
    counts: dict[str, int] = field(default_factory=dict)
    looks: int = 0
    seconds: float = 0.0
    faults: list[str] = field(default_factory=list)

    def as_json(self) -> Json:
        return asdict(replace(self, blows=Counter(), done=Counter())) | {
            "blows": dict(self.blows),
            "done": dict(self.done),
        }


def storm(
    clinic: Clinic,
    blows: Sequence[Blow],
    *,
    desks: int,
    seed: int,
    say: Callable[[str], None] = lambda _: None,
) -> Account:
    """Strike one blow after another while so many desks work. The clinic is started here and stopped at the
    end.
    """
    account, rng, began = Account(seed, desks), random.Random(seed), time.monotonic()
    try:
        clinic.start()
        _run(clinic, blows, rng, account, say)
    finally:
        clinic.stop()
    account.seconds = round(time.monotonic() - began, 1)
    return account


def _run(
    clinic: Clinic,
    blows: Sequence[Blow],
    rng: random.Random,
    account: Account,
    say: Callable[[str], None],
) -> None:
    engine = clinic.engine()
    found = seeded(engine)
    assert found is not None
    ground = lay_out(engine, datetime.fromisoformat(found["opens"]), visits=len(blows) * 4, files=len(blows))
    told, stop = Told(), threading.Event()
    judge = Judge(engine, (min(ground.people), max(ground.people)))
    workers = [
        FrontDesk(
            n, user, clinic.url, ground, told, stop, random.Random(rng.random()), imports=user in MAY_IMPORT
        )
        for n, user in zip(range(account.desks), cycle(USERS), strict=False)
    ]
    threads = [threading.Thread(target=each.work, name=f"desk {each.number}") for each in workers]
    try:
        for thread in threads:
            thread.start()
        _strike_all(clinic, blows, rng, judge, told, account, say)
        stop.set()
        for thread in threads:
            thread.join()
        _until_quiet(engine)
        judge.end(told.done, clinic.standin_url)
    finally:
        stop.set()
        engine.dispose()
    account.done = Counter(each.kind for each in told.done)
    account.counts, account.looks = told.counts, judge.looks
    account.faults = [*told.wrong, *judge.faults]


def _strike_all(
    clinic: Clinic,
    blows: Sequence[Blow],
    rng: random.Random,
    judge: Judge,
    told: Told,
    account: Account,
    say: Callable[[str], None],
) -> None:
    seen = 0
    for n, blow in enumerate(blows, 1):
        until_at_work(told, seen)
        time.sleep(rng.uniform(*CALM))
        blow.strike(clinic, rng)
        took = clinic.until_well()
        account.blows[blow.name] += 1
        account.back.setdefault(blow.name, []).append(round(took, 2))
        upto = len(told.done)
        judge.look(told.done[seen:upto])
        seen = upto
        say(f"{n}/{len(blows)} {blow.name}: well after {took:.1f} s; {upto} done, {len(judge.faults)} faults")


def until_at_work(told: Told, seen: int) -> None:
    """Until a desk has done something since the last look: a blow that meets nobody at work, as on a machine
    where signing in takes longer than the calm, proves nothing.
    """
    if not within(GIVE_UP_SECONDS, lambda: len(told.done) > seen):
        told.complain(f"no desk got anything done in {GIVE_UP_SECONDS:.0f} s of calm")


def _until_quiet(engine: Engine) -> None:
    """Until the worker has carried out everything that is due, and asked about every payment."""

    def quiet() -> bool:
        try:
            soon = demo_clock(engine).now() + SOON
            with engine.connect() as connection:
                return {each[0] for each in due_by_kind(connection, soon)} <= {STAYS}
        except TROUBLE:
            return False  # asked again until the deadline; what is left then is told by the judge

    within(QUIET_SECONDS, quiet, pause=0.5)
