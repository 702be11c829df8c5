"""No patient's data in any log: marked words go through every form, address and failure of the real
processes, then every line they wrote is searched.
"""

from __future__ import annotations

import stat
import threading
from collections.abc import Callable, Iterator
from pathlib import Path

import httpx
import pytest
import uvicorn
from fastapi import FastAPI
from sqlalchemy import insert, text

from tests.conftest import add_patient, free_port, visit_at_checkout
from tests.fakes import FakeCalls, FakeClearinghouse, FakeMail, FakeTerminal, FakeTexts
from tests.web.conftest import hidden
from tests.web.shell.test_nasty_input import fields_of, path_with, routes
from zax.demo.world import PASSWORD
from zax.desk.acts.transaction import Desk
from zax.desk.clinic.clinic import load
from zax.desk.remits.mailbox import take_in
from zax.desk.worker.errands import HANDLERS
from zax.desk.worker.worker import run_once
from zax.outside.doors import Incoming, Outside
from zax.settings import Settings
from zax.store import schema
from zax.store.engine import connect
from zax.store.files import FileStore
from zax.store.server import Server, daily_url_of
from zax.supervisor import MOST_LOG_BYTES, Process
from zax.web.app import create_app
from zax.web.money.documents import receipt_pdf, statement_pdfs

pytestmark = [pytest.mark.slow, pytest.mark.usefixtures("setup")]
MARK = "Zyxmark"


def add_failing_routes(app: FastAPI) -> None:
    """Defects of the kinds that quote what they hold: a plain one, one of the database, one in a stream."""
    shared = app.state.shared

    def plain(q: str = "") -> None:
        raise ValueError(f"cannot read {q}")

    def twice(q: str = "") -> None:
        with shared.desk.engine.begin() as connection:
            for _ in range(2):
                statement = "INSERT INTO form_done (`key`, at) VALUES (:q, NOW())"
                connection.execute(text(statement), {"q": q})

    app.add_api_route("/fail/plain", plain)
    app.add_api_route("/fail/twice", twice)


@pytest.fixture
def running(desk: Desk, server: Server, tmp_path: Path) -> Iterator[Callable[[], str]]:
    """A web process with its log; answers with its address."""
    port = free_port()

    def work(_: Callable[[], None]) -> None:
        engine = connect(daily_url_of(server.folder, server.port))
        with engine.connect() as connection:
            ours = Desk(engine, desk.clock, load(connection))
        outside = Outside(FakeTerminal(), FakeClearinghouse(), FakeMail(), FakeTexts(), FakeCalls())
        app = create_app(ours, outside, Settings(var=tmp_path / "var"))
        add_failing_routes(app)
        uvicorn.run(app, host="127.0.0.1", port=port, log_level="warning", access_log=False, log_config=None)

    part = Process("web", work, tmp_path / "log" / "web.log")
    part.log.parent.mkdir()
    part.start()
    yield lambda: f"http://127.0.0.1:{port}"
    part.end()


def until_up(url: str) -> None:
    pause = threading.Event()
    for _ in range(300):
        try:
            httpx.get(f"{url}/healthz", trust_env=False)
        except httpx.TransportError:
            pause.wait(0.1)
        else:
            return
    raise AssertionError("the web did not come up")


def test_marked_words_are_in_no_log(
    desk: Desk, server: Server, running: Callable[[], str], tmp_path: Path
) -> None:
    patient = add_patient(desk, 1, last=MARK, first=MARK)
    visit_at_checkout(desk, patient, dental=True)
    url = running()
    until_up(url)
    client = httpx.Client(base_url=url, trust_env=False, timeout=60, headers={"connection": "close"})
    token = hidden(client.get("/sign-in").text, "csrf")
    client.post("/sign-in", data={"csrf": token, "name": "sam", "password": PASSWORD, "to": "/day"})
    token = hidden(client.get("/keys").text, "csrf")
    for route in routes("POST"):
        if route.path not in {"/sign-in", "/sign-out"}:
            fields = dict.fromkeys(fields_of(route), MARK) | {"csrf": token}
            client.post(path_with(route, str(patient)), data=fields)
    for route in routes("GET"):
        if "events" not in route.path and route.path != "/live":
            queries = {each.alias: MARK for each in route.dependant.query_params}
            client.get(path_with(route, str(patient)), params=queries)
    assert client.get("/fail/plain", params={"q": MARK}).status_code == 500
    assert client.get("/fail/twice", params={"q": MARK}).status_code == 500
    client.get(f"/{MARK}")
    client.get("/day", headers={"cookie": f"zax_session={MARK}", "x-forwarded-for": MARK})
    logs = list((tmp_path / "log").iterdir())
    assert "ValueError" in logs[0].read_text() and "IntegrityError" in logs[0].read_text()
    for path in [*logs, *server.folder.glob("mariadb.*")]:
        if path.is_file():
            assert MARK not in path.read_text(errors="replace"), path
            assert stat.S_IMODE(path.stat().st_mode) & 0o077 == 0, path


def test_what_the_worker_cannot_do_is_not_quoted_in_its_log(
    desk: Desk, tmp_path: Path, capfd: pytest.CaptureFixture[str]
) -> None:
    add_patient(desk, last=MARK)
    box = FakeClearinghouse()
    box.mailbox = [Incoming(f"{MARK}.835", MARK, f"ISA*{MARK}~")]
    take_in(desk, f"{MARK}.835", f"NM1*{MARK}", lambda: None)
    with desk.engine.begin() as connection:
        for kind in HANDLERS:
            row = {"kind": kind, "request_key": kind, "payload": {"name": MARK}, "state": "waiting"}
            now = desk.clock.now()
            connection.execute(insert(schema.outbox).values(**row, due_at=now, made_at=now))
    outside = Outside(FakeTerminal(), box, FakeMail(), FakeTexts(), FakeCalls())
    for _ in HANDLERS:
        run_once(desk, outside, receipt_pdf, FileStore(tmp_path), statement_pdfs=statement_pdfs)
    out, err = capfd.readouterr()
    assert "outbox.failed" in out
    assert MARK not in out + err


def _ends(_: Callable[[], None]) -> None:
    raise RuntimeError(f"no room for {MARK}")


def test_a_part_that_ends_says_where_and_not_what(tmp_path: Path) -> None:
    """Its log is its owner's alone, and grows so far and no further."""
    part = Process("web", _ends, tmp_path / "web.log")
    part.start()
    assert part.child is not None
    part.child.join(20)
    said = part.log.read_text()
    assert part.child.exitcode == 1 and "RuntimeError" in said and MARK not in said
    assert stat.S_IMODE(part.log.stat().st_mode) == 0o600
    part.keep_log_small()
    assert part.log.read_text() == said
    part.log.write_bytes(b"x" * (MOST_LOG_BYTES + 1))
    part.keep_log_small()
    kept = part.log.with_suffix(".log.1")
    assert part.log.stat().st_size == 0 and kept.stat().st_size == MOST_LOG_BYTES + 1
    assert stat.S_IMODE(kept.stat().st_mode) == 0o600
