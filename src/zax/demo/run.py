"""`zax demo`: the made-up clinic with everything around it, from nothing to a page."""

from __future__ import annotations

import os
import shutil
import threading
import time
from datetime import datetime
from functools import partial
from pathlib import Path

from zax.core.people.roles import SHIPPED
from zax.demo.world import PASSWORD, USERS, ZONE
from zax.running import Plan, Trouble, console, run
from zax.settings import Settings
from zax.store.server import Server, ServerTrouble
from zax.supervisor import LONGEST_PAUSE, Process


def run_demo(fresh: bool, longest_pause: float = LONGEST_PAUSE) -> int:
    """0 when it was stopped in order, 1 when it could not start or a part of it died."""
    os.environ["ZAX_STANDIN"] = "1"
    settings = Settings()
    ports = {
        "ZAX_PORT": settings.port,
        "ZAX_STANDIN_PORT": settings.standin_port,
        "ZAX_SMTP_PORT": settings.smtp_port,
        "ZAX_POP_PORT": settings.pop_port,
    }
    return run(
        Plan(
            settings=settings,
            ports=ports,
            before=lambda: _throw_away(settings.var) if fresh else None,
            prepare=partial(_prepare, settings),
            more=(Process("stand-in", lambda _: _serve_standin(), settings.var / "log" / "standin.log"),),
            say=lambda: _say_where(settings),
            longest_pause=longest_pause,
        )
    )


def _serve_standin() -> None:
    from zax.processes import serve_standin

    serve_standin()


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
        console.print(f"  {sign_in:<8}{name:<24}{SHIPPED[role].words}")
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
