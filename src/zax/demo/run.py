"""`zax demo`: starts everything on this machine in order, says where it is, and stops everything it started.
Every trouble is one sentence.
"""

from __future__ import annotations

import json
import os
import shutil
import signal
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from datetime import datetime
from functools import partial
from pathlib import Path

from rich.console import Console

from zax.core.people.roles import ROLE_WORDS, Role
from zax.demo.world import PASSWORD, USERS, ZONE
from zax.desk.worker.tools import Lane
from zax.settings import Settings
from zax.store.server import Server, ServerTrouble, port_is_free
from zax.supervisor import Database, Part, Process, Supervisor

console = Console(highlight=False)
START_SECONDS = 40


class Trouble(RuntimeError):
    """The demo cannot run; the message says why and what to do."""


def run_demo(fresh: bool) -> int:
    """0 when it was stopped in order, 1 when it could not start or a part of it died."""
    settings = Settings()
    stop = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, lambda *_: stop.set())
    server = Server(settings.var / "db", settings.db_port)
    parts: list[Part] = [Database(server)]
    try:
        _check_ports(settings)
        if fresh:
            _throw_away(settings.var)
        console.print("Starting the database")
        server.start(meanwhile=_import_all)
        shift = _prepare(settings, stop)
        if not stop.is_set():
            _start_all(settings, shift, parts, stop)
        if not stop.is_set():
            _say_where(settings)
            Supervisor(parts, console.print).watch(stop)
            console.print("Stopping")
        return 0
    except (ServerTrouble, Trouble) as trouble:
        console.print(f"[bold]{trouble}[/bold]", soft_wrap=True)
        return 1
    except OSError as error:
        console.print(
            f"[bold]{error.strerror or error} ({error.filename or settings.var}). Mend that and start"
            " again.[/bold]",
            soft_wrap=True,
        )
        return 1
    finally:
        for part in reversed(parts):
            part.end()


def _import_all() -> None:
    """Read the application's code while the database comes up."""
    import weasyprint  # noqa: F401

    import zax.processes
    import zax.standin.app  # noqa: F401


def _check_ports(settings: Settings) -> None:
    wanted = {
        "ZAX_PORT": settings.port,
        "ZAX_STANDIN_PORT": settings.standin_port,
        "ZAX_SMTP_PORT": settings.smtp_port,
        "ZAX_POP_PORT": settings.pop_port,
    }
    for name, port in wanted.items():
        if not port_is_free(port):
            raise Trouble(
                f"Port {port} is taken by another program. Set {name} to a free port and start again."
            )


def _throw_away(var: Path) -> None:
    Server(var / "db", 0).end_left_over()
    for name in ("db", "standin", "session-key"):
        path = var / name
        if path.is_dir():
            shutil.rmtree(path)
        else:
            path.unlink(missing_ok=True)


def _prepare(settings: Settings, stop: threading.Event) -> float:
    """Migrations and, on first use or after one that broke off, the demo clinic. The clock's shift in
    seconds.
    """
    from sqlalchemy.exc import SQLAlchemyError

    from zax.clock import SystemClock, local
    from zax.demo.seed import demo_clock, opening_day, seed, seeded
    from zax.processes import engine_of
    from zax.store.migrate import drop_everything, migrate

    engine = engine_of(settings)
    try:
        if seeded(engine) is None:
            console.print("Making the demo clinic (once, about half a minute)")
            drop_everything(engine)  # what a first run that broke off has left
            migrate(engine)
            today = local(SystemClock().now(), ZONE).date()
            seed(engine, settings.demo_size, opening_day(today), settings.var)
        else:
            migrate(engine)
        return demo_clock(engine).shift.total_seconds()
    except SQLAlchemyError as error:
        if stop.is_set():
            return 0.0
        reason = str(getattr(error, "orig", error)).splitlines()[0]
        raise Trouble(
            f"The database refused: {reason}. Run the same command again; `make demo-fresh` starts over."
        ) from error
    finally:
        engine.dispose()


def _start_all(settings: Settings, shift: float, parts: list[Part], stop: threading.Event) -> None:
    """Stand-in, worker and web as children forked from here: what is imported already need not be read three
    times.
    """
    from zax.processes import run_worker, serve_standin, serve_web

    os.environ["ZAX_CLOCK_SHIFT"] = str(shift)
    logs = settings.var / "log"
    logs.mkdir(parents=True, exist_ok=True)
    for part in (
        Process("stand-in", lambda _: serve_standin(), logs / "standin.log"),
        Process("worker", partial(run_worker, lane=Lane.SHORT), logs / "worker.log", beats=True),
        Process(
            "worker for long runs", partial(run_worker, lane=Lane.LONG), logs / "long-runs.log", beats=True
        ),
        Process("web", lambda _: serve_web(), logs / "serve.log"),
    ):
        parts.append(part)
        part.start()
    _wait_for(
        f"http://127.0.0.1:{settings.port}/healthz", parts, stop, lambda body: body.get("worker") == "up"
    )


def _wait_for(
    url: str,
    parts: list[Part],
    stop: threading.Event,
    well: Callable[[dict[str, object]], bool],
) -> None:
    deadline = time.monotonic() + START_SECONDS
    while time.monotonic() < deadline and not stop.is_set():
        _check_alive(parts)
        try:
            with urllib.request.urlopen(url, timeout=2) as answer:
                if well(json.load(answer)):
                    return
        except (urllib.error.URLError, OSError, ValueError):
            pass  # not up yet: asked again until the deadline
        stop.wait(0.15)
    if not stop.is_set():
        raise Trouble(
            f"Zax did not come up within {START_SECONDS} seconds. Its logs are in the log folder under"
            " ZAX_VAR."
        )


def _check_alive(parts: list[Part]) -> None:
    for part in parts:
        if not part.alive():
            raise Trouble(
                f"The {part.name} ended by itself. Its log is in the log folder under ZAX_VAR; look there,"
                " then start again."
            )


def _say_where(settings: Settings) -> None:
    now = datetime.now().astimezone()
    console.print(
        f"\nZax is at [bold]http://127.0.0.1:{settings.port}[/bold] ({now:%H:%M} your time; the clinic has"
        " its own clock)."
    )
    console.print(
        f"The simulated outside world, to steer the card terminal: http://127.0.0.1:{settings.standin_port}\n"
    )
    console.print(f"Sign in with any of these names; the password is [bold]{PASSWORD}[/bold]")
    for sign_in, name, role, _ in USERS:
        console.print(f"  {sign_in:<8}{name:<24}{ROLE_WORDS[Role(role)]}")
    console.print("\nCtrl-C stops everything; the data is kept.")


def seed_alone(size: str) -> int:
    """`zax seed`: a database of its own under ZAX_VAR, filled and stopped again."""
    from zax.clock import SystemClock, local
    from zax.demo.seed import SIZES, opening_day, seed, seeded
    from zax.store.engine import connect
    from zax.store.migrate import drop_everything, migrate

    if size not in SIZES:
        console.print(f"There is no size “{size}”; choose {' or '.join(SIZES)}.")
        return 1
    settings = Settings()
    server = Server(settings.var / "db", settings.db_port, buffer_mb=1024)
    try:
        engine = connect(server.start())
        if seeded(engine) is not None:
            console.print(f"{settings.var} already holds a clinic. Choose another folder with ZAX_VAR.")
            return 1
        drop_everything(engine)
        migrate(engine)
        began = time.monotonic()
        count = seed(engine, size, opening_day(local(SystemClock().now(), ZONE).date()), settings.var)
        console.print(f"{count:,} visits in {time.monotonic() - began:.0f} s")
        engine.dispose()
        return 0
    except ServerTrouble as trouble:
        console.print(str(trouble), soft_wrap=True)
        return 1
    finally:
        server.stop()
