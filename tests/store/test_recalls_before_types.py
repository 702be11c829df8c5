"""A clinic that had months on its visit types keeps every recall when they become recall types."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from alembic import command
from sqlalchemy import Engine, text

from tests.conftest import free_port
from zax.store.engine import connect
from zax.store.migrate import config
from zax.store.server import Server

pytestmark = pytest.mark.slow


@pytest.fixture
def before(tmp_path: Path) -> Iterator[Engine]:
    """A server of its own, as it was before recall types."""
    server = Server(tmp_path / "db", free_port(), buffer_mb=64)
    made = connect(server.start())
    upgrade(made, "0013")
    yield made
    made.dispose()
    server.stop()


def upgrade(engine: Engine, to: str) -> None:
    alembic = config()
    with engine.begin() as connection:
        alembic.attributes["connection"] = connection
        command.upgrade(alembic, to)


def test_no_recall_is_lost_when_months_become_types(before: Engine) -> None:
    with before.begin() as connection:
        connection.execute(text("SET foreign_key_checks=0"))
        connection.execute(
            text(
                "INSERT INTO visit_type (id, name, minutes, role, position, recall_months) VALUES"
                " (1, 'Hygiene', 60, 'hygienist', 1, 6), (2, 'Physical', 40, 'medical', 2, 0),"
                " (3, 'Filling', 40, 'dentist', 3, 0)"
            )
        )
        connection.execute(
            text(
                "INSERT INTO recall (patient_id, type_id, months, due_day, made_at, ended_at) VALUES"
                " (1, 1, 6, '2016-01-01', NOW(), NULL), (2, 1, 4, '2026-12-01', NOW(), NULL),"
                " (1, 2, 12, '2027-01-01', NOW(), NULL), (1, 1, 6, '2015-07-01', NOW(), NOW()),"
                " (3, 1, 0, '2026-11-01', NOW(), NULL)"
            )
        )
    upgrade(before, "head")
    with before.connect() as connection:
        types = connection.execute(
            text("SELECT name, count, unit, type_id, active FROM recall_type ORDER BY id")
        ).all()
        rows = connection.execute(
            text(
                "SELECT r.patient_id, t.name, r.own_count, r.due_day, r.open_key IS NOT NULL FROM recall r"
                " JOIN recall_type t ON t.id = r.recall_type_id ORDER BY r.id"
            )
        ).all()
    assert [tuple(row) for row in types] == [("Hygiene", 6, "month", 1, 1), ("Physical", 6, "month", 2, 0)]
    assert [(row[0], row[1], row[2], str(row[3]), bool(row[4])) for row in rows] == [
        (1, "Hygiene", 0, "2016-01-01", True),
        (2, "Hygiene", 4, "2026-12-01", True),
        (1, "Physical", 12, "2027-01-01", True),
        (1, "Hygiene", 0, "2015-07-01", False),
        (3, "Hygiene", 0, "2026-11-01", True),
    ]
