"""The processes Zax is made of: web, worker, and the stand-in. Each is started by the command line and ends
on SIGTERM or Ctrl-C.
"""

from __future__ import annotations

import gc
import os
import re
import signal
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta

import structlog
import uvicorn
from sqlalchemy import Engine

from zax import metrics
from zax.clock import Clock, ShiftedClock, SystemClock
from zax.desk.acts.transaction import Desk
from zax.desk.clinic.clinic import load
from zax.desk.setup.doors import Doors
from zax.desk.worker.beats import LONG_RUNS, beat, prune_feed
from zax.desk.worker.tools import Lane
from zax.desk.worker.worker import run_once
from zax.metrics import Waiting
from zax.outside.adapters import real_outside
from zax.outside.doors import Outside
from zax.outside.mailbox import PopMailbox
from zax.outside.measured import measured
from zax.outside.resting import resting
from zax.outside.sftp import SftpPlace
from zax.settings import Settings
from zax.store.acts.outbox import due_by_kind
from zax.store.engine import TROUBLE, connect, error_number, pools_of, reader
from zax.store.files import FileStore
from zax.store.server import daily_url_of, url_of
from zax.store.vault import Vault
from zax.web.app import create_app
from zax.web.money.documents import receipt_pdf, statement_pdfs
from zax.web.notices.mail import mail_html

log = structlog.get_logger()
WORKER_PAUSE = 1.0
BEAT_SECONDS = 5.0
LONGEST_PAUSE = 30.0
_PLACE = re.compile(r"(?P<user>[^@\s]+)@(?P<host>[^:@\s]+):(?P<port>\d{1,5})")


def clock_of_environment() -> Clock:
    """The system's clock, or one moved by ZAX_CLOCK_SHIFT seconds, as the demo sets it for all its
    processes.
    """
    shift = os.environ.get("ZAX_CLOCK_SHIFT")
    return ShiftedClock(timedelta(seconds=float(shift))) if shift else SystemClock()


def engine_of(settings: Settings) -> Engine:
    return connect(url_of(settings.var / "db", settings.db_port))


def desk_of(settings: Settings) -> Desk:
    """For the web and the worker: with the rights of every day."""
    engine = connect(daily_url_of(settings.var / "db", settings.db_port))
    with engine.connect() as connection:
        return Desk(engine, clock_of_environment(), load(connection))


def leave_what_stays() -> None:
    """What is there once the application stands, its code above all, stays for good: looking through it for
    garbage would hold up a page for a fifth of a second, every thousand objects or so.
    """
    gc.collect()
    gc.freeze()


def outside_of(settings: Settings, desk: Desk) -> Outside:
    """The doors as the clinic has told us of them; until then, in the demo, the stand-in behind each."""
    usual = _usual_doors(settings) if settings.standin else None
    return measured(Doors(desk, Vault(settings.var), settings.var, usual).now)


def _usual_doors(settings: Settings) -> Outside:
    """As the settings name them. Exits for a place that cannot be read."""
    found = _PLACE.fullmatch(settings.claims_sftp)
    if settings.claims_sftp and not found:
        raise SystemExit(f"ZAX_CLAIMS_SFTP is {settings.claims_sftp!r}; write user@host:port.")
    place: SftpPlace | None = None
    if found:
        keys = (settings.claims_key, settings.claims_known)
        place = SftpPlace(found["user"], found["host"], int(found["port"]), *keys)
    mailbox = PopMailbox("127.0.0.1", settings.pop_port, settings.mailbox_user, settings.mailbox_secret)
    return real_outside(settings.standin_url, settings.smtp_port, settings.terminal_seconds, place, mailbox)


@dataclass(frozen=True, slots=True)
class _Numbers:
    """What metrics looks up when it is asked: the outbox, and the pools of this process."""

    desk: Desk

    def waiting(self) -> list[Waiting]:
        with reader(self.desk.engine).connect() as connection:
            return [Waiting(*each) for each in due_by_kind(connection, self.desk.clock.now())]

    def connections(self) -> dict[str, tuple[int, int]]:
        return pools_of(self.desk.engine)


def _give_numbers(settings: Settings, desk: Desk, after: int) -> None:
    """On the port that is so many after the one of the settings; nowhere where none is named."""
    if settings.metrics_port is not None:
        metrics.serve(settings.metrics_port + after, _Numbers(desk))


def serve_web() -> None:
    settings = Settings()
    desk = desk_of(settings)
    outside = outside_of(settings, desk)
    app = create_app(desk, outside, settings)
    _give_numbers(settings, desk, 0)
    leave_what_stays()
    uvicorn.run(
        app,
        host="127.0.0.1",
        port=settings.port,
        log_level="warning",
        access_log=False,
        log_config=None,
        timeout_graceful_shutdown=1,
        server_header=False,
        proxy_headers=bool(settings.proxy),
        forwarded_allow_ips=settings.proxy or None,
    )


def serve_standin() -> None:
    from zax.standin.app import create_app as create_standin

    settings = Settings()
    seconds = float(os.environ.get("ZAX_STANDIN_PAY_SECONDS", "20"))
    callback = f"http://127.0.0.1:{settings.port}/callbacks/messages"
    app = create_standin(
        settings.var / "standin", settings.smtp_port, seconds, settings.sftp_port, callback, settings.pop_port
    )
    uvicorn.run(
        app,
        host="127.0.0.1",
        port=settings.standin_port,
        log_level="warning",
        access_log=False,
        log_config=None,
        timeout_graceful_shutdown=1,
    )


def run_worker(pulse: Callable[[], None] = lambda: None, lane: Lane = Lane.EVERYTHING) -> None:
    """Until told to stop: do the duties, carry out the outbox, say that we live: to the database every few
    seconds, and through `pulse` to whoever started us. Whatever goes wrong, it goes on after a pause that
    grows.
    """
    settings = Settings()
    desk = desk_of(settings)
    _give_numbers(settings, desk, 2 if lane == Lane.LONG else 1)
    outside = resting(outside_of(settings, desk))
    files = FileStore(settings.var)
    stop = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: stop.set())
    alive = _sign_of_life(desk, pulse, LONG_RUNS if lane == Lane.LONG else "worker")
    pruned, failures = False, 0
    while not stop.is_set():
        pulse()
        try:
            if not pruned:
                prune_feed(desk)
                pruned = True
            alive()
            run_once(
                desk,
                outside,
                receipt_pdf,
                files,
                statement_pdfs=statement_pdfs,
                mail_html=mail_html,
                alive=alive,
                lane=lane,
                backups=settings.backups,
            )
            failures = 0
        except TROUBLE as error:
            failures += 1
            log.warning("worker.database", number=error_number(error), times=failures)
        stop.wait(min(LONGEST_PAUSE, WORKER_PAUSE * 2 ** min(failures, 5)))


def _sign_of_life(desk: Desk, pulse: Callable[[], None], name: str) -> Callable[[], None]:
    """What is called often, also in the middle of long work."""
    said = 0.0

    def alive() -> None:
        nonlocal said
        pulse()
        if time.monotonic() - said > BEAT_SECONDS:
            beat(desk, name)
            said = time.monotonic()

    return alive
