"""With the database away every page and act says so in words and answers 503, nothing typed is lost, and the
log stays small; once it is back, everything goes on.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import insert

from tests.conftest import (
    TODAY,
    add_patient,
    at,
    free_port,
    order,
)
from tests.fakes import FakeCalls, FakeClearinghouse, FakeMail, FakeTerminal, FakeTexts
from tests.web.conftest import Browser
from zax import logs
from zax.clock import ShiftedClock
from zax.demo.setup_rows import write_world
from zax.desk.acts.transaction import Desk
from zax.desk.clinic.clinic import load
from zax.outside.doors import Outside
from zax.settings import Settings
from zax.store import schema
from zax.store.engine import connect
from zax.store.migrate import migrate
from zax.store.server import Server
from zax.web.app import create_app

pytestmark = pytest.mark.slow


@pytest.fixture
def house(tmp_path: Path) -> Iterator[tuple[Server, Desk, Browser]]:
    """A clinic of its own, somebody signed in, and its database to be stopped."""
    server = Server(tmp_path / "db", free_port(), buffer_mb=64)
    engine = connect(server.start())
    migrate(engine)
    clock = ShiftedClock()
    clock.set_to(at(10, 42))
    with engine.begin() as connection:
        write_world(connection, TODAY)
        connection.execute(insert(schema.diagnosis_code), [{"code": "J02.9", "words": "x", "billable": True}])
        desk = Desk(engine, clock, load(connection))
    app = create_app(
        desk,
        Outside(FakeTerminal(), FakeClearinghouse(), FakeMail(), FakeTexts(), FakeCalls()),
        Settings(var=tmp_path),
    )
    with TestClient(app, base_url="http://127.0.0.1", raise_server_exceptions=False) as client:
        yield server, desk, Browser(client).sign_in("juno")
    engine.dispose()
    server.stop()


def test_nothing_typed_is_lost_and_everything_goes_on_once_it_is_back(
    house: tuple[Server, Desk, Browser], capsys: pytest.CaptureFixture[str]
) -> None:
    server, desk, web = house
    patient = add_patient(desk)
    form = {
        "patient_id": patient,
        "day": TODAY,
        "at": "14:00",
        "provider_id": "5",
        "type_id": order(patient).type_id,
        "note": "asks for “<the same> room”",
        "key": "k1",
        "back": "/book",
    }
    assert web.token  # that of a page shown before
    server.stop()
    capsys.readouterr()
    for path in ("/day", "/book", f"/patients/{patient}", "/money", "/patients?q=vas", "/live", "/waitlist"):
        answer = web.get(path)
        assert answer.status_code == 503, path
        assert path == "/live" or "database isn’t answering" in answer.text
    told = web.post("/book", **form)
    assert told.status_code == 503
    assert 'value="asks for “&lt;the same&gt; room”"' in told.text and 'action="/book"' in told.text
    boosted = web.client.post(
        "/book",
        data={"csrf": web.token} | {k: str(v) for k, v in form.items()},
        headers={"HX-Request": "true", "HX-Boosted": "true"},
    )
    assert (boosted.status_code, boosted.text) == (503, "")
    assert boosted.headers["HX-Reswap"] == "none" and boosted.headers["HX-Trigger"] == "zax-down"
    for _ in range(200):
        assert web.get("/day").status_code == 503
    # A line a request, as ever; that the database is down is said once a minute by those who serve pages, and
    # by who reads the feed for them, if its turn came.
    lines = [json.loads(line) for line in capsys.readouterr().out.splitlines()]
    others = sorted(each["event"] for each in lines if each["event"] != "request")
    assert others in (["database.down"], ["database.down", "feed.unreadable"])
    assert max(len(json.dumps(each)) for each in lines) < 300
    server.start()
    assert web.get("/day").status_code == 200
    assert web.post("/book", **form).status_code == 303
    assert web.post("/book", **form).status_code in {303, 409}
    with desk.engine.connect() as connection:
        assert connection.execute(schema.visit.select()).all().__len__() == 1


def test_a_warning_that_comes_thousands_of_times_is_written_once_a_minute(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    now = [0.0]
    monkeypatch.setattr(logs.time, "monotonic", lambda: now[0])
    seldom = logs.Seldom("feed.unreadable")
    for _ in range(1000):
        seldom.warn(why="down")
        now[0] += 0.1
    lines = [json.loads(line) for line in capsys.readouterr().out.splitlines()]
    assert [each["times"] for each in lines] == [1, 600]
