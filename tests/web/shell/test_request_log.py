"""Every request has a number and a line; numbers for Prometheus count what happened, and name no person, path
or value.
"""

from __future__ import annotations

import json
import logging
import sys
from collections.abc import Iterator
from datetime import timedelta

import httpx
import pytest
import structlog
from fastapi import FastAPI
from fastapi.testclient import TestClient
from prometheus_client import generate_latest
from prometheus_client.parser import text_string_to_metric_families
from sqlalchemy import insert, text

from tests.conftest import JUNO, add_patient, free_port, order
from tests.fakes import FakeMail
from tests.web.conftest import Browser
from zax.core.errors import Conflict
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.logs import configure
from zax.metrics import REGISTRY, serve
from zax.outside.doors import Outside, OutsideTrouble
from zax.outside.measured import measured
from zax.processes import _Numbers
from zax.store import engine as engines
from zax.store import schema
from zax.store.engine import pools_of
from zax.web.shell.request_log import UNKNOWN

NAME = "Zyxmark"


def count(name: str, **labels: str) -> float:
    """A counter as Prometheus would read it."""
    return REGISTRY.get_sample_value(name, labels) or 0.0


@pytest.fixture
def lines(capfd: pytest.CaptureFixture[str]) -> Iterator[list[dict[str, object]]]:
    """What was logged since the last look, each time it is read."""

    class Lines(list[dict[str, object]]):
        def __iter__(self) -> Iterator[dict[str, object]]:
            out, err = capfd.readouterr()
            return iter([json.loads(line) for line in (out + err).splitlines() if line.startswith("{")])

    structlog.reset_defaults()
    configure()
    yield Lines()


def test_a_request_leaves_one_line_by_its_route_with_the_number_of_its_answer(
    juno: Browser, desk: Desk, lines: list[dict[str, object]]
) -> None:
    patient = add_patient(desk, last=NAME)
    list(lines)
    before = count("zax_requests_total", method="GET", route="/patients/{patient_id}", status="200")
    answer = juno.get(f"/patients/{patient}?tab={NAME}")
    (line,) = [each for each in lines if each["event"] == "request"]
    assert (line["route"], line["method"], line["status"]) == ("/patients/{patient_id}", "GET", 200)
    assert line["request"] == answer.headers["x-request-id"] and len(str(line["request"])) == 12
    assert NAME not in json.dumps(line) and float(str(line["ms"])) > 0 and str(line["at"]).endswith("Z")
    after = count("zax_requests_total", method="GET", route="/patients/{patient_id}", status="200")
    assert after == before + 1


def test_a_defect_says_where_and_of_what_kind_under_the_number_its_page_shows(
    juno: Browser, lines: list[dict[str, object]]
) -> None:
    def broken() -> None:
        raise ValueError(NAME)

    app = juno.client.app
    assert isinstance(app, FastAPI)
    app.add_api_route("/broken", broken)
    client = TestClient(app, base_url="http://127.0.0.1", raise_server_exceptions=False)
    answer = client.get("/broken")
    found = list(lines)
    (line,) = [each for each in found if each["event"] == "defect"]
    (error,) = line["error"]  # type: ignore[misc]
    assert error["kind"] == "builtins.ValueError" and error["where"][-1].endswith(" broken")
    assert line["request"] == answer.headers["x-request-id"] and str(line["request"]) in answer.text
    assert NAME not in json.dumps(found) and line["route"] == "/broken"


def test_addresses_that_are_none_and_odd_methods_share_a_name(juno: Browser) -> None:
    for path in ("/nothing", f"/{NAME}", "/p/x/y/z"):
        juno.get(path)
    juno.client.request("BREW", "/day")
    assert NAME not in generate_latest(REGISTRY).decode()
    assert count("zax_requests_total", method="GET", route=UNKNOWN, status="404") >= 2
    assert count("zax_requests_total", method="OTHER", route=UNKNOWN, status="405") >= 0


def test_acts_are_counted_by_how_they_end(desk: Desk) -> None:
    patient = add_patient(desk)
    fine = count("zax_acts_total", act="book.booking.book_visit", outcome="fine")
    refused = count("zax_acts_total", act="book.booking.book_visit", outcome="Conflict")
    book_visit(desk, JUNO, order(patient))
    with pytest.raises(Conflict):
        book_visit(desk, JUNO, order(patient, key="another"))
    assert count("zax_acts_total", act="book.booking.book_visit", outcome="fine") == fine + 1
    assert count("zax_acts_total", act="book.booking.book_visit", outcome="Conflict") == refused + 1


def test_doors_are_counted_and_pass_everything_on(outside: Outside) -> None:
    ours = measured(lambda: outside)
    mail = outside.mail
    assert isinstance(mail, FakeMail)
    before = count("zax_door_calls_total", door="terminal", call="sell", outcome="fine")
    assert ours.terminal.sell("k1", 100).state == "approved"
    assert count("zax_door_calls_total", door="terminal", call="sell", outcome="fine") == before + 1

    class Shut:
        def sell(self, *_: object) -> None:
            raise OutsideTrouble("shut")

    doors = Outside(Shut(), outside.clearinghouse, mail, outside.texts, outside.calls)  # type: ignore[arg-type]
    shut = measured(lambda: doors)
    with pytest.raises(OutsideTrouble):
        shut.terminal.sell("k2", 100)
    assert count("zax_door_calls_total", door="terminal", call="sell", outcome="OutsideTrouble") >= 1


def test_a_slow_statement_is_a_line_without_its_values(
    desk: Desk, lines: list[dict[str, object]], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(engines, "SLOW_SECONDS", 0.0)
    list(lines)
    with desk.engine.connect() as connection:
        connection.execute(text("SELECT id FROM patient WHERE last = :name"), {"name": NAME})
    # A connection just opened has statements of its own: they are slow too where everything is.
    slow = [each for each in lines if each["event"] == "statement.slow"]
    assert sum("FROM patient WHERE last = ?" in str(each["statement"]) for each in slow) == 1
    assert NAME not in json.dumps(slow)


def test_the_numbers_are_given_out_on_a_port_of_their_own(desk: Desk) -> None:
    now, port = desk.clock.now(), free_port()
    with desk.engine.begin() as connection:
        row = {"kind": "message", "payload": {}, "state": "waiting", "made_at": now}
        for n, due in enumerate((now - timedelta(minutes=5), now, now + timedelta(hours=1))):
            connection.execute(insert(schema.outbox).values(**row, request_key=f"k{n}", due_at=due))
    end = serve(port, _Numbers(desk))
    try:
        told = httpx.get(f"http://127.0.0.1:{port}/metrics", trust_env=False).text
    finally:
        end()
    found = {family.name: family.samples for family in text_string_to_metric_families(told)}
    assert [(each.labels, each.value) for each in found["zax_outbox_due"]] == [({"kind": "message"}, 2.0)]
    assert 299 < found["zax_outbox_oldest_seconds"][0].value < 301
    assert {each.labels["pool"] for each in found["zax_pool_connections"]} == set(pools_of(desk.engine))
    with pytest.raises(httpx.TransportError):
        httpx.get(f"http://127.0.0.1:{port}/metrics", trust_env=False)


def test_what_libraries_log_is_a_line_of_ours(lines: list[dict[str, object]]) -> None:
    configure()  # pytest has handlers of its own for each phase of a test
    try:
        raise KeyError(NAME)
    except KeyError:
        logging.getLogger("somewhere").warning("it broke", exc_info=sys.exc_info())
    (line,) = [each for each in lines if each["event"] == "library"]
    assert (line["from"], line["says"], line["level"]) == ("somewhere", "it broke", "warning")
    assert NAME not in json.dumps(line) and "builtins.KeyError" in json.dumps(line["error"])
