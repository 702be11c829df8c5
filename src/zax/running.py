"""Starts the parts of Zax on this machine in order, watches them, and stops everything it started. Every
trouble is one sentence.

What runs is the caller's: the demo brings a made-up clinic and a stand-in for the outside, `zax run` neither.
"""

from __future__ import annotations

import json
import os
import signal
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial

from rich.console import Console

from zax.desk.worker.tools import Lane
from zax.settings import Settings
from zax.store.server import Server, ServerTrouble, port_is_free
from zax.supervisor import LONGEST_PAUSE, Database, Part, Process, Supervisor

console = Console(highlight=False)
START_SECONDS = 40


class Trouble(RuntimeError):
    """It cannot run; the message says why and what to do."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan:
    """What is to run. `ports` must be free, by the name of their setting. `before` is done before the
    database starts, `prepare` once it runs: the shift of the clock in seconds, None for none. `more` are
    parts besides worker and web; `say` tells where it all is;
    with `binary_log` the database can be brought to any second. A part that keeps ending is started again
    after `longest_pause` seconds at most.
    """

    settings: Settings
    ports: Mapping[str, int]
    prepare: Callable[[threading.Event], float | None]
    say: Callable[[], None]
    before: Callable[[], None] = lambda: None
    more: Sequence[Part] = ()
    binary_log: bool = False
    longest_pause: float = LONGEST_PAUSE


def run(plan: Plan) -> int:
    """0 when it was stopped in order, 1 when it could not start or a part of it died."""
    settings = plan.settings
    stop = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, lambda *_: stop.set())
    server = Server(settings.var / "db", settings.db_port, binary_log=plan.binary_log)
    parts: list[Part] = [Database(server)]
    try:
        _check_ports(plan.ports)
        plan.before()
        console.print("Starting the database")
        server.start(meanwhile=_import_all)
        shift = plan.prepare(stop)
        if not stop.is_set():
            _start_all(plan, shift, parts, stop)
        if not stop.is_set():
            plan.say()
            Supervisor(parts, console.print, longest_pause=plan.longest_pause).watch(stop)
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

    import zax.processes  # noqa: F401


def _check_ports(ports: Mapping[str, int]) -> None:
    for name, port in ports.items():
        if not port_is_free(port):
            raise Trouble(
                f"Port {port} is taken by another program. Set {name} to a free port and start again."
            )


def _start_all(plan: Plan, shift: float | None, parts: list[Part], stop: threading.Event) -> None:
    """Workers and web as children forked from here: what is imported already need not be read three times."""
    from zax.processes import run_worker, serve_web

    if shift is not None:
        os.environ["ZAX_CLOCK_SHIFT"] = str(shift)
    logs = plan.settings.var / "log"
    logs.mkdir(parents=True, exist_ok=True)
    for part in (
        *plan.more,
        Process("worker", partial(run_worker, lane=Lane.SHORT), logs / "worker.log", beats=True),
        Process(
            "worker for long runs", partial(run_worker, lane=Lane.LONG), logs / "long-runs.log", beats=True
        ),
        Process("web", lambda _: serve_web(), logs / "serve.log"),
    ):
        parts.append(part)
        part.start()
    _wait_for(
        f"http://127.0.0.1:{plan.settings.port}/healthz", parts, stop, lambda body: body.get("worker") == "up"
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
