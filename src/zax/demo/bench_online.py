"""What two hundred people do to a clinic who ask for a time at the same moment, as after a reminder to all:
beside as many requests for the desk's own pages at once, the Day and the Book in turn.

Both are whole requests, which all begin together; a page's time runs from then on, so what waits for its
turn counts. The rounds alternate, so that whatever else the machine does hits both.
"""

from __future__ import annotations

import asyncio
import statistics
from collections.abc import Sequence
from dataclasses import asdict

from sqlalchemy import Engine, text

from zax.core.json import Json
from zax.demo.bench_acts import Request
from zax.demo.bench_asgi import Asgi, sign_in
from zax.demo.bench_data import desk_at_opening
from zax.demo.world import TYPE_ID
from zax.desk.online.habits import SETTING, OnlineHabits
from zax.outside.adapters import real_outside
from zax.processes import leave_what_stays
from zax.settings import Settings
from zax.store.clinic import settings as stored
from zax.web.app import create_app

PEOPLE = 200
ROUNDS = 5
KINDS = ("Hygiene", "Toothache")


def _prepare(engine: Engine) -> None:
    """Two types may be asked for online; again changes nothing."""
    with engine.begin() as connection:
        for name in KINDS:
            connection.execute(
                text("UPDATE visit_type SET web = 'held', for_whom = 'all' WHERE id = :id"),
                {"id": TYPE_ID[name]},
            )
        stored.keep_setting(connection, SETTING, asdict(OnlineHabits(runs=True)))


async def _at_once(asgi: Sequence[Asgi], requests: Sequence[Request]) -> list[float]:
    """Milliseconds of each, all begun together."""
    return await asyncio.gather(
        *(each.call(request, expect=(200,)) for each, request in zip(asgi, requests, strict=True))
    )


def _browsers(app: Asgi, many: int) -> list[Asgi]:
    """So many browsers with the same session."""
    made = [Asgi(app.app) for _ in range(many)]
    for each in made:
        each.cookies = dict(app.cookies)
    return made


async def crowd(engine: Engine, settings: Settings) -> Json:
    """Milliseconds: the 95th percentiles of both, their ratio, and a Day that began with the crowd."""
    _prepare(engine)
    desk, _, _ = desk_at_opening(engine)
    outside = real_outside(settings.standin_url, settings.smtp_port, settings.terminal_seconds)
    at_desk = Asgi(create_app(desk, outside, settings))
    await sign_in(at_desk)
    leave_what_stays()
    kinds = [TYPE_ID[name] for name in KINDS]
    asked: list[Request] = [
        ("GET", f"/ask/times?type={kinds[n % 2]}{'&part=morning' if n % 3 == 0 else ''}", None)
        for n in range(PEOPLE)
    ]
    own: list[Request] = [("GET", "/day" if n % 2 else "/book", None) for n in range(PEOPLE)]
    asking, working, with_them = [], [], []
    for n in range(ROUNDS + 1):
        phones, desks = [Asgi(at_desk.app) for _ in asked], _browsers(at_desk, PEOPLE)
        times = await _at_once([*phones, desks[0]], [*asked, ("GET", "/day", None)])
        own_times = await _at_once(desks, own)
        if n:  # the first round warms both
            asking += times[:-1]
            with_them.append(times[-1])
            working += own_times
    a, w = (statistics.quantiles(each, n=20)[18] for each in (asking, working))
    return {
        "people": PEOPLE,
        "asking_p50_ms": round(statistics.median(asking), 1),
        "asking_p95_ms": round(a, 1),
        "desk_p50_ms": round(statistics.median(working), 1),
        "desk_p95_ms": round(w, 1),
        "ratio": round(a / w, 2),
        "day_with_them_ms": round(statistics.median(with_them), 1),
    }
