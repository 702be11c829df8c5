"""A database that dies while money is taken: all or nothing is kept, and the desk is told which."""

import os
import signal
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import insert

from tests.conftest import (
    JUNO,
    TODAY,
    add_patient,
    at,
    free_port,
    scalar,
    visit_at_checkout,
)
from tests.desk.acting import patient_open
from tests.desk.paying import agrees, picked
from tests.fakes import FakeCalls, FakeClearinghouse, FakeMail, FakeTerminal, FakeTexts
from tests.web.conftest import Browser
from zax.clock import ShiftedClock
from zax.demo.setup_rows import write_world
from zax.desk.acts.transaction import Desk
from zax.desk.clinic.clinic import load
from zax.desk.day.checkout import finish_checkout
from zax.desk.money.terminal import CLARIFY_AFTER
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside, Sale
from zax.settings import Settings
from zax.store import schema
from zax.store.engine import connect
from zax.store.migrate import migrate
from zax.store.server import Server
from zax.web.app import create_app
from zax.web.money.documents import receipt_pdf


# --- the database dies
class DeadlyTerminal(FakeTerminal):
    """Takes the money, and the database is killed before anybody can write that down."""

    server: Server

    def sell(self, key: str, cents: int, token: str = "", keep: bool = False) -> Sale:
        answer = super().sell(key, cents, token, keep)
        self.later[key] = answer
        kill(self.server)
        return answer


def kill(server: Server) -> None:
    assert server.process
    os.kill(server.process.pid, signal.SIGKILL)
    server.process.wait()


@pytest.mark.slow
@pytest.mark.parametrize("when", ["while it is written", "while the card is asked"])
def test_a_database_killed_in_the_middle_leaves_all_or_nothing_and_the_desk_is_told(
    tmp_path: Path, when: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    server = Server(tmp_path / "db", free_port(), buffer_mb=64)
    engine = connect(server.start())
    migrate(engine)
    clock = ShiftedClock()
    clock.set_to(at(10, 42))
    with engine.begin() as connection:
        write_world(connection, TODAY)
        connection.execute(
            insert(schema.diagnosis_code), [{"code": "J02.9", "words": "Sore throat", "billable": True}]
        )
        clinic = load(connection)
    desk = Desk(engine, clock, clinic)
    terminal = DeadlyTerminal()
    terminal.server = server
    outside = Outside(terminal, FakeClearinghouse(), FakeMail(), FakeTexts(), FakeCalls())
    patient = add_patient(desk)
    visit = visit_at_checkout(desk, patient, dental=True)
    finish_checkout(desk, JUNO, visit)
    form = picked(desk, patient, visit, tender="card")
    if when == "while it is written":
        form |= {"tender": "cash", "receipt": "email"}
        from zax.desk.money import payments

        monkeypatch.setattr(
            payments, "mail_receipt", lambda tx, receipt_id: kill(server)
        )  # all is written, nothing committed
    try:
        with TestClient(
            create_app(desk, outside, Settings(var=tmp_path)), base_url="http://127.0.0.1"
        ) as client:
            web = Browser(client).sign_in("juno")
            told = web.post(f"/pay/{patient}", **form)
            assert (
                told.status_code == 503
                and f"/pay/check/k?back=/pay/{patient}" in told.text
                and "Either all of it went through or none of it did" in told.text
            )
            monkeypatch.undo()
            server.start()
            checked = web.get(f"/pay/check/k?back=/pay/{patient}")
            if when == "while it is written":
                assert (
                    checked.headers["location"] == f"/pay/{patient}"
                    and "Nothing was taken" in web.get(f"/pay/{patient}").text
                )
                assert (
                    scalar(desk, "SELECT COUNT(*) FROM payment") == 0 and patient_open(desk, visit) == 28_600
                )
                assert web.post(f"/pay/{patient}", **form).status_code == 303
            else:
                assert checked.headers["location"].startswith("/receipts/")
                assert (
                    "not confirmed yet" in web.get(checked.headers["location"]).text
                    and patient_open(desk, visit) == 28_600
                )
                clock.set_to(at(10, 42) + CLARIFY_AFTER * 4)
                run_once(desk, outside, receipt_pdf)
            assert (
                patient_open(desk, visit) == 0
                and agrees(desk)
                and len(terminal.asked) == (0 if form["tender"] == "cash" else 1)
            )
    finally:
        engine.dispose()
        server.stop()
