"""Finding one among a million, and what else grows with people: keystrokes by kind on the region, estimates,
an import of 50,000 rows.

`python -m zax.demo.bench_people`. The floor of a keystroke is one hand-written indexed query for the same
kind of question through the bare driver, as JSON from a bare Starlette route, called in turn in the same run;
the aim is p95 under 4 times the floor's p95.
"""

from __future__ import annotations

import asyncio
import json
import random
import time
from collections.abc import Callable
from datetime import date, timedelta
from pathlib import Path
from typing import Any
from urllib.parse import quote

from sqlalchemy import URL, Engine, bindparam, text
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import JSONResponse
from starlette.routing import Route

from zax.clock import ShiftedClock, SystemClock, local
from zax.core.coverage.benefits import benefits_from
from zax.core.coverage.estimate import Cover, PricedLine, estimate
from zax.core.coverage.limits import Done, Insured
from zax.core.coverage.used import Used
from zax.core.json import Json
from zax.demo.bench import console, measure, show
from zax.demo.bench_acts import ROUNDS, WARM, Act
from zax.demo.bench_asgi import Asgi, sign_in
from zax.demo.bench_data import desk_at_opening
from zax.demo.floor import Floor
from zax.demo.seed import SIZES, opening_day, seed, seeded
from zax.demo.world import PLANS, ZONE
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk
from zax.desk.clinic.clinic import load
from zax.desk.moving.jobs import job_of, open_import, run_import, start_import
from zax.logs import configure
from zax.outside.adapters import real_outside
from zax.settings import Settings
from zax.store.engine import connect
from zax.store.files import FileStore
from zax.store.migrate import drop_everything, migrate
from zax.store.server import Server
from zax.web.app import create_app

AIM = 4
ROWS = 50_000
_BARE = {
    "last": (
        "SELECT id, first, last, birth, phone FROM patient WHERE status = 'active' AND last_key LIKE %s ORDER"
        " BY last_key, first_key LIMIT 8"
    ),
    "both": (
        "SELECT id, first, last, birth, phone FROM patient WHERE status = 'active' AND last_key LIKE %s AND"
        " first_key LIKE %s LIMIT 8"
    ),
    "phone": (
        "SELECT id, first, last, birth, phone FROM patient WHERE status = 'active' AND phone LIKE %s ORDER BY"
        " phone LIMIT 8"
    ),
    "birth": (
        "SELECT id, first, last, birth, phone FROM patient WHERE status = 'active' AND birth = %s LIMIT 8"
    ),
    "member": (
        "SELECT p.id, p.first, p.last, p.birth, p.phone FROM coverage c JOIN patient p ON p.id = c.patient_id"
        " WHERE c.member_key LIKE %s LIMIT 8"
    ),
    "sound": (
        "SELECT id, first, last, birth, phone FROM patient WHERE status = 'active' AND last_sound = %s"
        " LIMIT 200"
    ),
}


class Bare(Floor):
    """The floor of each kind of keystroke."""

    def app(self) -> Starlette:
        return Starlette(routes=[Route("/find", self.find)])

    def find(self, request: Request) -> JSONResponse:
        kind, *values = request.query_params["kind"], *request.query_params.getlist("v")
        return JSONResponse(self.rows((_BARE[kind],), *values))


def keystrokes(engine: Engine) -> list[Act]:
    """One act a kind of question, typed as people type it, on people chosen by a fixed seed; never on those
    that the bench imported, who are all called alike.
    """
    rng = random.Random(11)
    with engine.connect() as connection:
        ids = [rng.randrange(1, SIZES["region"].patients) for _ in range(ROUNDS + WARM)]
        rows = {
            r.id: r
            for r in connection.execute(
                text("SELECT * FROM patient WHERE id IN :ids").bindparams(
                    bindparam("ids", ids, expanding=True)
                )
            )
        }
        found = text(
            "SELECT patient_id, MIN(member_key) AS member FROM coverage WHERE patient_id IN :ids GROUP BY"
            " patient_id"
        )
        members = {
            r.patient_id: r.member
            for r in connection.execute(found.bindparams(bindparam("ids", ids, expanding=True)))
        }
    people = [rows[n] for n in ids]

    def act(name: str, kind: str, typed: Callable[[Any], str], bare: Callable[[Any], tuple[str, ...]]) -> Act:
        def floor(n: int) -> tuple[str, str, None]:
            return "GET", f"/find?kind={kind}" + "".join(f"&v={quote(v)}" for v in bare(people[n])), None

        return Act(name, lambda n: ("GET", f"/find?q={quote(typed(people[n]))}", None), floor, AIM)

    return [
        act("letters of a last name", "last", lambda p: p.last_key[:3], lambda p: (p.last_key[:3] + "%",)),
        act(
            "letters of both names",
            "both",
            lambda p: f"{p.first_key[:3]} {p.last_key[:3]}",
            lambda p: (p.last_key[:3] + "%", p.first_key[:3] + "%"),
        ),
        act(
            "first letters",
            "both",
            lambda p: f"{p.first_key[:1]} {p.last_key[:1]}",
            lambda p: (p.last_key[:1] + "%", p.first_key[:1] + "%"),
        ),
        act("phone digits", "phone", lambda p: p.phone[:8], lambda p: (p.phone[:8] + "%",)),
        act(
            "birth date",
            "birth",
            lambda p: f"{p.birth.month}/{p.birth.day}/{p.birth.year}",
            lambda p: (p.birth.isoformat(),),
        ),
        act(
            "member id",
            "member",
            lambda p: members.get(p.id) or "HG99",
            lambda p: ((members.get(p.id) or "HG99") + "%",),
        ),
        act("a name mistyped", "sound", lambda p: _mistyped(p.last_key), lambda p: (p.last_sound,)),
        act(
            "both names, one mistyped",
            "sound",
            lambda p: f"{p.first_key} {_mistyped(p.last_key)}",
            lambda p: (p.last_sound,),
        ),
    ]


def _mistyped(name: str) -> str:
    """Two letters in the middle swapped."""
    at = len(name) // 2
    return name[: at - 1] + name[at] + name[at - 1] + name[at + 1 :] if len(name) > 3 else name + name[-1]


async def run_region(engine: Engine, url: URL, settings: Settings) -> list[Json]:
    desk, _, _ = desk_at_opening(engine)
    outside = real_outside(settings.standin_url, settings.smtp_port, settings.terminal_seconds)
    ours, floor = Asgi(create_app(desk, outside, settings)), Asgi(Bare(url).app())
    await sign_in(ours)
    results = []
    for act in keystrokes(engine):
        row = await measure(act, ours, floor)
        row["p95_ratio"] = round(row["p95_ms"] / row["floor_p95_ms"], 2)
        results.append(row | {"aim": act.aim})
        console.print(f"measured {act.name}: p95 {row['p95_ratio']} times its floor")
    return results


def estimates(count: int = 1000) -> float:
    """CPU seconds for so many estimates of five lines with two coverages, limits, history and maxima."""
    benefits = [benefits_from(name, terms) for _, name, _, terms in PLANS[:2]]
    day = date(2026, 11, 24)
    done = tuple(Done("D1110", day - timedelta(days=200 * n), "") for n in range(8))
    covers = [
        Cover(
            benefits=b,
            used=Used(deductible=1000, paid=50_000, done=done),
            fees={"D2750": 114_000},
            insured=Insured(date(1984, 5, 3), date(2020, 1, 1)),
        )
        for b in benefits
    ]
    lines = [
        PricedLine(line_id=n, cents=cents, category=category, code=code, tooth=tooth)
        for n, (code, category, cents, tooth) in enumerate(
            (
                ("D1110", "preventive", 11_800, ""),
                ("D0120", "diagnostic", 6_400, ""),
                ("D2392", "basic", 28_600, "14"),
                ("D2740", "major", 118_000, "3"),
                ("D1206", "preventive", 4_200, ""),
            )
        )
    ]
    began = time.process_time()
    for _ in range(count):
        estimate(lines, covers, day)
    return time.process_time() - began


def import_rows(desk: Desk, folder: Path) -> float:
    """Seconds of the clock for 50,000 rows with households and coverage, the run itself."""
    rng, mark = random.Random(3), time.time_ns()
    rows = (
        f"P{mark}x{n},Quayside{n % 977},{1 + n % 12}/{1 + n % 28}/{1940 + n % 80},36055501{n % 100:02d},{n}"
        f" Pier Road,Marrow Harbor,WA,98201,{mark}-{n // 3},Northmoor"
        f" Standard,NM-{mark}-{rng.randrange(10**6)}\n"
        for n in range(ROWS)
    )
    content = (
        "first,last,birth,phone,street,city,state,zip,household,plan,member_id\n" + "".join(rows)
    ).encode()
    store = FileStore(folder)
    job_id = open_import(desk, WORKER, store, "patients", "bench.csv", content)
    with desk.engine.connect() as connection:
        start_import(desk, WORKER, job_id, job_of(connection, job_id).columns, False, queue=False)
    began = time.monotonic()
    run_import(desk, WORKER, store, job_id)
    seconds = time.monotonic() - began
    with desk.engine.connect() as connection:
        job = job_of(connection, job_id)
    assert job.made == ROWS, f"{job.made} of {ROWS} rows were taken in, {job.refused} refused"
    return seconds


def main() -> None:
    """Seeds the region once under var/region, then measures; rows go to var/bench-people.json."""
    base = Settings()
    settings = Settings(var=base.var / "region", db_port=base.db_port)
    configure()
    server = Server(settings.var / "db", settings.db_port, buffer_mb=2048)
    url = server.start()
    engine = connect(url)
    try:
        if seeded(engine) is None:
            drop_everything(engine)
            migrate(engine)
            began = time.monotonic()
            seed(engine, "region", opening_day(local(SystemClock().now(), ZONE).date()), None)
            console.print(f"seeded the region in {time.monotonic() - began:.0f} s")
        else:
            migrate(engine)
        results = asyncio.run(run_region(engine, url, settings))
        show(results)
        with engine.connect() as connection:
            desk = Desk(engine, ShiftedClock(), load(connection))
        more = {
            "estimates_1000_cpu_s": round(estimates(), 3),
            "import_50000_s": round(import_rows(desk, settings.var), 1),
        }
        console.print(more)
        (base.var / "bench-people.json").write_text(json.dumps({"keystrokes": results, **more}, indent=1))
    finally:
        engine.dispose()
        server.stop()


if __name__ == "__main__":
    main()
