"""The own database instance: one sentence for each trouble, and a folder that can always be started again."""

import json
import os
import shutil
import signal
import socket
from collections import namedtuple
from datetime import date
from pathlib import Path

import pytest
from alembic import command
from sqlalchemy import text

from tests.conftest import free_port
from zax.core.coverage.benefits import Benefits, benefits_from
from zax.store.engine import connect
from zax.store.migrate import config
from zax.store.server import Server, ServerTrouble, port_is_free, url_of


def test_a_folder_without_a_database_says_so(tmp_path: Path) -> None:
    with pytest.raises(ServerTrouble, match="Run `make demo` first"):
        url_of(tmp_path, 1)


def test_a_full_disk_and_a_taken_port_are_said_before_anything_is_made(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    usage = namedtuple("usage", "total used free")
    monkeypatch.setattr(shutil, "disk_usage", lambda _: usage(10**12, 10**12, 5 * 2**20))
    with pytest.raises(ServerTrouble, match="almost full: 5 MB free"):
        Server(tmp_path / "db", free_port()).start()
    monkeypatch.undo()
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        assert not port_is_free(port)
        with pytest.raises(ServerTrouble, match=f"Port {port} is taken"):
            Server(tmp_path / "db", port).start()
    assert not (tmp_path / "db" / "data").exists()


@pytest.mark.slow
def test_a_killed_instance_starts_again_with_its_data(tmp_path: Path) -> None:
    server = Server(tmp_path / "db", free_port(), buffer_mb=64)
    engine = connect(server.start())
    with engine.begin() as connection:
        connection.execute(text("CREATE TABLE kept (n INT) ENGINE=InnoDB"))
        connection.execute(text("INSERT INTO kept VALUES (42)"))
    engine.dispose()
    assert oct((tmp_path / "db" / "password").stat().st_mode)[-3:] == "600"
    assert server.process
    os.kill(server.process.pid, signal.SIGKILL)
    server.process.wait()
    engine = connect(server.start())
    with engine.connect() as connection:
        assert connection.execute(text("SELECT n FROM kept")).scalar() == 42
    engine.dispose()
    server.stop()


@pytest.mark.slow
def test_a_database_that_does_not_come_up_shows_the_end_of_its_log(tmp_path: Path) -> None:
    server = Server(tmp_path / "db", free_port(), buffer_mb=64)
    server.start()
    server.stop()
    shutil.rmtree(tmp_path / "db" / "data" / "mysql")
    (tmp_path / "db" / "data" / "ibdata1").write_bytes(b"broken")
    with pytest.raises(ServerTrouble, match=r"did not come up. Its log .* ends: "):
        server.start()
    (tmp_path / "db" / "ready").unlink()  # as after a first run that broke off: made anew
    server.start()
    server.stop()


@pytest.mark.slow
def test_a_database_of_before_the_record_keeps_its_plans_people_and_payments(tmp_path: Path) -> None:
    """The migrations since then carry over plans' terms, member keys, sounds, what payments were for, and who
    is in which room.
    """
    server = Server(tmp_path / "db", free_port(), buffer_mb=64)
    old = connect(server.start())
    alembic = config()
    try:
        with old.begin() as connection:
            alembic.attributes["connection"] = connection
            command.upgrade(alembic, "0002")
            for statement in (
                (
                    "INSERT INTO payer (id, name, electronic_id, filing_indicator, filing_days) VALUES (1,"
                    " 'P', 'P1', 'CI', 365)"
                ),
                """INSERT INTO plan (id, payer_id, name, deductible_cents, dental, percents, no_deductible)
                VALUES (1, 1, 'Old', 5000, 1, '{"basic": 80}', '["preventive"]')""",
                "INSERT INTO household (id, name) VALUES (1, 'V')",
                (
                    "INSERT INTO patient (id, household_id, guarantor, first, last, first_key, last_key,"
                    " phone, made_at) VALUES (1, 1, 1, 'Ana', 'de la Cruz', 'ana', 'de la cruz', '', NOW())"
                ),
                (
                    "INSERT INTO coverage (patient_id, plan_id, subscriber_id, member_id) VALUES (1, 1, 1,"
                    " 'hg-44 1')"
                ),
                "SET foreign_key_checks=0",
                "INSERT INTO room (id, site_id, name, position) VALUES (7, 1, 'Chair 1', 1)",
                (
                    "INSERT INTO visit (id, site_id, patient_id, provider_id, room_id, type_id, day,"
                    " start_min, minutes, state, made_at, made_by) VALUES (1, 1, 1, 1, 7, 1, '2026-11-24',"
                    " 600, 30, 'room', NOW(), 1)"
                ),
                (
                    "INSERT INTO track_move (visit_id, from_stop, to_stop, at) VALUES (1, 'here', 'room',"
                    " '2026-11-24 18:00:00')"
                ),
                (
                    "INSERT INTO payment (id, request_key, patient_id, visit_id, tender, cents, state, day,"
                    " at, by_id) VALUES (9, 'k', 1, 1, 'cash', 4260, 'taken', '2026-11-24', NOW(), 1)"
                ),
                (
                    "INSERT INTO site (id, name, timezone, opens_min, closes_min, grid_minutes) VALUES (1,"
                    " 'Quay', 'America/Los_Angeles', 480, 1080, 5)"
                ),
                (
                    "INSERT INTO user (id, sign_in, name, role, password_hash) VALUES (1, 'juno', 'Juno',"
                    " 'receptionist', '')"
                ),
                (
                    "INSERT INTO journal (id, kind, day, at, patient_id, visit_id, payment_id, patient_cents,"
                    " words) VALUES (5, 'payment', '2026-11-24', NOW(), 1, 1, 9, -4260, 'Paid')"
                ),
                (
                    "INSERT INTO visit (id, site_id, patient_id, provider_id, room_id, type_id, day,"
                    " start_min, minutes, state, made_at, made_by) VALUES (2, 1, 1, 1, 7, 1, '2026-11-25',"
                    " 600, 30, 'cancelled', NOW(), 1)"
                ),
                (
                    "INSERT INTO track_move (visit_id, from_stop, to_stop, at) VALUES (2, 'booked',"
                    " 'cancelled', '2026-11-24 18:00:00')"
                ),
                (
                    "INSERT INTO payment (id, request_key, patient_id, visit_id, tender, cheque_number,"
                    " cents, state, day, at, by_id) VALUES (10, 'c', 1, 1, 'cheque', '1184', 500, 'taken',"
                    " '2026-11-24', NOW(), 1)"
                ),
                "SET foreign_key_checks=1",
            ):
                connection.exec_driver_sql(statement)
        with old.begin() as connection:
            alembic.attributes["connection"] = connection
            command.upgrade(alembic, "head")
            terms = json.loads(connection.execute(text("SELECT terms FROM plan")).scalar_one())
            person = connection.execute(
                text(
                    "SELECT p.last_sound, p.last_tail, c.member_key, c.`rank` FROM patient p JOIN coverage c"
                    " ON c.patient_id = p.id"
                )
            ).one()
            part = connection.execute(
                text("SELECT payment_id, visit_id, cents FROM payment_part WHERE payment_id = 9")
            ).one()
            place = connection.execute(text("SELECT visit_id, room_id, stage_id FROM whereabouts")).one()
            paid = connection.execute(
                text(
                    "SELECT p.site_id, p.asked_cents, r.day, t.patient_id, j.site_id FROM payment p JOIN"
                    " receipt r ON r.id = p.receipt_id JOIN payment_part t ON t.payment_id = p.id JOIN"
                    " journal j ON j.payment_id = p.id"
                )
            ).one()
            check = connection.execute(text("SELECT tender, check_number FROM payment WHERE id = 10")).one()
            off = connection.execute(
                text(
                    "SELECT v.state, m.to_stop FROM visit v JOIN track_move m ON m.visit_id = v.id"
                    " WHERE v.id = 2"
                )
            ).one()
        assert benefits_from("Old", terms) == Benefits(
            name="Old", percents={"basic": 80}, deductible_cents=5000, no_deductible=frozenset({"preventive"})
        )
        assert tuple(person) == ("TLKRS", "cruz", "HG441", 1)
        assert (tuple(part), tuple(place)) == ((9, 1, 4260), (1, 7, None))
        assert (tuple(check), tuple(off)) == (("check", "1184"), ("canceled", "canceled"))
        assert tuple(paid) == (1, 4260, date(2026, 11, 24), 1, 1)
    finally:
        old.dispose()
        server.stop()
