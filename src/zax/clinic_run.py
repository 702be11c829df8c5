"""`zax run`: Zax for a clinic of one's own. Database, workers and web, with no made-up data and no stand-in;
the first start prints a link that opens the clinic. `zax database`: the first of these alone.
"""

from __future__ import annotations

import os
import signal
import threading
from functools import partial

from rich.progress import Progress, SpinnerColumn, TextColumn

from zax.notifying import ready
from zax.running import Plan, Trouble, console, run
from zax.settings import Settings
from zax.store.server import Server, ServerTrouble


def run_clinic() -> int:
    """0 when it was stopped in order, 1 when it could not start or a part of it died."""
    # Backups are made unless somebody says where else; better on another disk.
    os.environ.setdefault("ZAX_BACKUP", str(Settings().var / "backup"))
    settings = Settings()
    return run(
        Plan(
            settings=settings,
            ports={"ZAX_PORT": settings.port},
            prepare=partial(_prepare, settings),
            say=lambda: _say_all(settings),
            binary_log=True,
        )
    )


def run_database() -> int:
    """The database of `run_clinic` and its schema alone. 0 when it was stopped in order, 1 when it could not
    start or ended by itself.
    """
    settings, stop = Settings(), threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: stop.set())
    server = Server(settings.var / "db", settings.db_port, binary_log=True)
    try:
        server.start()
        _prepare(settings, stop)
        ready()
        _say_where(settings)
        while not stop.wait(0.5):
            if server.process is not None and server.process.poll() is not None:
                raise Trouble(f"The database ended by itself; {server.folder / 'mariadb.log'} says why.")
        return 0
    except (ServerTrouble, Trouble) as trouble:
        console.print(str(trouble), soft_wrap=True)
        return 1
    finally:
        server.stop()


def _prepare(settings: Settings, stop: threading.Event) -> None:
    """The newest schema, and on first use the code book of diagnoses."""
    from sqlalchemy.exc import SQLAlchemyError

    from zax.processes import engine_of
    from zax.store.charges.code_book import fill_code_book, has_code_book
    from zax.store.migrate import is_demo, migrate

    engine = engine_of(settings)
    try:
        if is_demo(engine):
            raise Trouble(
                f"{settings.var} holds the demo clinic. Set ZAX_VAR to a folder of the clinic’s own and start"
                " again."
            )
        migrate(engine)
        if not has_code_book(engine) and not stop.is_set():
            with Progress(SpinnerColumn(), TextColumn("{task.description}"), transient=True) as bar:
                bar.add_task("Reading the book of diagnoses (once)")
                fill_code_book(engine)
    except SQLAlchemyError as error:
        if not stop.is_set():
            reason = str(getattr(error, "orig", error)).splitlines()[0]
            raise Trouble(f"The database refused: {reason}. Run the same command again.") from error
    finally:
        engine.dispose()


def _say_all(settings: Settings) -> None:
    _say_where(settings)
    console.print("\nCtrl-C stops everything; the data is kept.")


def _say_where(settings: Settings) -> None:
    from zax.processes import engine_of
    from zax.store.clinic.queries import sites
    from zax.web.setup.opening import opening_key

    engine = engine_of(settings)
    with engine.connect() as connection:
        is_open = bool(sites(connection))
    engine.dispose()
    address = f"http://127.0.0.1:{settings.port}"
    if is_open:
        console.print(f"\nZax is at [bold]{address}[/bold]")
    else:
        console.print(
            "\nNo clinic yet. Open this link in a browser, once, to begin:"
            f"\n  [bold]{address}/open/{opening_key(settings.var)}[/bold]",
            soft_wrap=True,
        )
