"""`make bench`: how long the main acts and screens take beside their floor, both measured in the same run on
the same data.

The floor of an act is the same rows by hand-written SQL through the bare driver (zax.demo.floor). Requests
are whole: routing, session, database, page; in one process, without a network. The two are called in turn, so
that whatever else the machine does hits both.
"""

from __future__ import annotations

import asyncio
import json
import statistics
import time

from rich.console import Console
from rich.table import Table
from sqlalchemy import URL, Engine

from zax.clock import SystemClock, local
from zax.core.json import Json
from zax.demo import (
    bench_book,
    bench_claims,
    bench_messages,
    bench_missing,
    bench_money,
    bench_online,
    bench_payments,
    bench_visit,
)
from zax.demo.bench_acts import WARM, Act, acts
from zax.demo.bench_asgi import Asgi, sign_in
from zax.demo.bench_data import bench_settings, desk_at_opening
from zax.demo.bench_memory import export_cost, in_a_fresh_process, large_picture, portrait_cost
from zax.demo.floor import Floor
from zax.demo.seed import SIZES, opening_day, seed, seeded
from zax.demo.world import ZONE
from zax.logs import configure
from zax.outside.adapters import real_outside
from zax.processes import leave_what_stays
from zax.settings import Settings
from zax.store.engine import connect
from zax.store.migrate import drop_everything, migrate
from zax.store.server import Server
from zax.web.app import create_app

# The requests that are measured log their lines on standard output, as they do at a clinic.
console = Console(highlight=False, stderr=True)


async def measure(act: Act, ours: Asgi, floor: Asgi) -> Json:
    """Both sides in turn; medians and 95th percentiles in milliseconds."""
    mine, bare = [], []
    warm = min(WARM, act.rounds)
    for n in range(warm + act.rounds):
        mine.append(await ours.call(act.ours(n)))
        bare.append(await floor.call(act.floor(n)))
    p50, p95 = _quantiles(mine[warm:])
    floor_p50, floor_p95 = _quantiles(bare[warm:])
    return {
        "act": act.name,
        "p50_ms": p50,
        "p95_ms": p95,
        "floor_p50_ms": floor_p50,
        "floor_p95_ms": floor_p95,
        "ratio": round(p50 / floor_p50, 2),
    }


def _quantiles(times: list[float]) -> tuple[float, float]:
    return round(statistics.median(times), 3), round(statistics.quantiles(times, n=20)[18], 3)


async def run(engine: Engine, url: URL, settings: Settings) -> list[Json]:
    desk, clock, opens = desk_at_opening(engine)
    bench_book.prepare(engine, opens)
    bench_visit.prepare(engine, opens.date())
    bench_money.prepare(engine)
    bench_payments.prepare(engine)
    desk.read_setup()
    outside = real_outside(
        settings.standin_url, settings.smtp_port, settings.terminal_seconds
    )  # cash asks nobody
    ours, floor = Asgi(create_app(desk, outside, settings)), Asgi(Floor(url).app())
    token = await sign_in(ours)
    leave_what_stays()
    at_site = {1: ours}
    for site in (bench_book.SITE, bench_visit.SITE):
        at_site[site] = Asgi(ours.app)
        at_site[site].cookies = dict(ours.cookies)
        await at_site[site].call(("POST", "/site", {"csrf": token, "site_id": str(site), "back": "/day"}))
    results = []
    for act in acts(engine, opens.date(), token):
        clock.set_to(opens)
        results.append(await measure(act, at_site[act.site], floor) | {"aim": act.aim})
        row = results[-1]
        console.print(f"{act.name}: {row['p50_ms']:.2f} ms, {row['ratio']:.2f} of its floor")
    return results


def show(results: list[Json]) -> None:
    table = Table("act", "p50 ms", "p95 ms", "floor p50", "floor p95", "ratio", "aim")
    for row in results:
        aim = f"{row['aim']:.0f}" if row["aim"] else "–"
        table.add_row(
            row["act"],
            *(f"{row[k]:.2f}" for k in ("p50_ms", "p95_ms", "floor_p50_ms", "floor_p95_ms", "ratio")),
            aim,
        )
    console.print(table)


def show_growth(rows: list[Json]) -> None:
    """How the core's search for openings grows."""
    table = Table("people", "months", "20 best, CPU ms", "nothing found, CPU ms")
    for row in rows:
        table.add_row(
            str(row["people"]), str(row["months"]), f"{row['cpu_ms']:.2f}", f"{row['nothing_cpu_ms']:.2f}"
        )
    console.print(table)


def show_crowd(base: Settings, crowd: Json) -> None:
    """How two hundred who ask for a time at once fare beside as many at the desk."""
    (base.var / "bench-online.json").write_text(json.dumps(crowd, indent=1))
    console.print(
        f"{crowd['people']} people asking for times at once: p95 {crowd['asking_p95_ms']} ms,"
        f" {crowd['ratio']} of as many at the desk’s own pages (aim 1.5); a Day begun with them took"
        f" {crowd['day_with_them_ms']} ms"
    )


def in_the_demo(base: Settings) -> tuple[Json, Json]:
    """In a clinic of its own: how well missed visits are foretold, and what a payment of 10,000 claims costs,
    which leaves them paid.
    """
    settings = bench_settings(base)
    server = Server(settings.var / "db-payments", settings.db_port + 5, buffer_mb=512)
    url = server.start()
    engine = connect(url)
    try:
        drop_everything(engine)
        migrate(engine)
        day = opening_day(local(SystemClock().now(), ZONE).date())
        seed(engine, "demo", day, None)
        foretold = bench_missing.quality(engine, day)
        return foretold, in_a_fresh_process(bench_payments.import_cost, url, bench_payments.MANY)
    finally:
        engine.dispose()
        server.stop()


def _found_town(engine: Engine) -> None:
    """Once; from then on it is there."""
    if seeded(engine) is not None:
        migrate(engine)
        return
    drop_everything(engine)
    migrate(engine)
    began = time.monotonic()
    count = seed(engine, "town", opening_day(local(SystemClock().now(), ZONE).date()), None)
    console.print(
        f"seeded {SIZES['town'].patients:,} patients and {count:,} visits in {time.monotonic() - began:.0f} s"
    )


def main() -> None:
    """Seeds the town once under var/bench, then measures; rows go to var/bench.json."""
    configure()
    base = Settings()
    settings = bench_settings(base)
    server = Server(settings.var / "db", settings.db_port, buffer_mb=2048)
    url = server.start()
    engine = connect(url)
    try:
        _found_town(engine)
        results = asyncio.run(run(engine, url, settings))
        (base.var / "bench.json").write_text(
            json.dumps([{k: v for k, v in row.items() if k != "aim"} for row in results], indent=1)
        )
        show(results)
        show_crowd(base, asyncio.run(bench_online.crowd(engine, settings)))
        growth = bench_book.openings_table()
        (base.var / "bench-openings.json").write_text(json.dumps(growth, indent=1))
        show_growth(growth)
        desk, _, opens = desk_at_opening(engine)
        counted = bench_money.recount_seconds(engine) | bench_money.statements_seconds(desk)
        (base.var / "bench-money.json").write_text(json.dumps(counted, indent=1))
        console.print(
            f"recount: {counted['entries']:,} entries in {counted['recount_s']} s (aim 120),"
            f" {counted['faults']} faults"
        )
        console.print(
            f"{counted['statements']} statements in {counted['run_s']} s (aim 180), the first progress after"
            f" {counted['first_s']} s (aim 2); whom the rule picks in {counted['preview_s']} s"
        )
        cost = {
            "portrait": in_a_fresh_process(portrait_cost, large_picture()),
            "progressive": in_a_fresh_process(portrait_cost, large_picture(progressive=True)),
            "export": in_a_fresh_process(export_cost, url),
        }
        (base.var / "bench-memory.json").write_text(json.dumps(cost, indent=1))
        console.print(
            f"portrait of a 59-megapixel picture: {cost['portrait']['seconds']} s and"
            f" {cost['portrait']['mb']} MB, of a progressive one {cost['progressive']['seconds']} s and"
            f" {cost['progressive']['mb']} MB (aim 3 and 200)"
        )
        console.print(
            f"export of {cost['export']['lines']:,} lines, {cost['export']['mb_written']} MB:"
            f" {cost['export']['seconds']} s, {cost['export']['mb']} MB more than its first lines took"
        )
        claims = in_a_fresh_process(bench_claims.batch_cost, bench_claims.MANY) | {
            "from_the_record_ms": bench_claims.record_ms(engine),
            "payer_search": bench_claims.payer_search(),
        }
        (base.var / "bench-claims.json").write_text(json.dumps(claims, indent=1))
        console.print(
            f"{claims['claims']:,} claims checked and written in {claims['seconds']} s (aim 20),"
            f" {claims['mb']} MB more than the first {bench_claims.FIRST:,} took; one read from the record"
            f" and checked in {claims['from_the_record_ms']} ms"
        )
        found = claims["payer_search"]
        console.print(
            f"a payer found among {found['payers']:,} by any spelling: {found['slowest_ms']} ms of CPU at"
            f" most (aim 50); looking through them for the letters alone takes {found['floor_ms']} ms"
        )
        reminders = in_a_fresh_process(bench_messages.planning_cost, url, bench_messages.MANY)
        (base.var / "bench-messages.json").write_text(json.dumps(reminders, indent=1))
        console.print(
            f"{reminders['messages']:,} reminders planned in {reminders['seconds']} s (aim 30),"
            f" {reminders['ratio']} of copying their rows, {reminders['mb']} MB more than the first"
            f" {bench_messages.FIRST:,}; planned again: {reminders['again']}"
        )
        foretold, payments = in_the_demo(base)
        missing = {"demo": foretold, "town": bench_missing.quality(engine, opens.date())}
        (base.var / "bench-missing.json").write_text(json.dumps(missing, indent=1))
        for name, row in missing.items():
            console.print(
                f"missed visits, {name}: Brier {row['brier']} where the rate alone has"
                f" {row['brier_base']}, over {row['visits']:,} visits; read in {row['read_s']} s,"
                f" fitted in {row['fit_s']} s"
            )
        (base.var / "bench-payments.json").write_text(json.dumps(payments, indent=1))
        console.print(
            f"one payment over {payments['claims']:,} claims: {payments['seconds']} s (aim 60),"
            f" {payments['ratio']} of writing its rows alone, {payments['mb']} MB more than a small one took;"
            f" the first progress after {payments['first_progress_s']} s"
        )
        console.print(f"200 heads-ups for 60 people: {bench_visit.headsup_ms():.1f} ms of CPU (aim 20)")
    finally:
        engine.dispose()
        server.stop()


if __name__ == "__main__":
    main()
