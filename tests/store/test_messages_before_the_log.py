"""Texts and mails that waited before there was a log of messages go out all the same, and the hours without
texts that the offers had become the clinic's.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import Engine, text

from tests.conftest import free_port
from tests.store.test_recalls_before_types import upgrade
from zax.store.engine import connect
from zax.store.server import Server


@pytest.fixture
def before(tmp_path: Path) -> Iterator[Engine]:
    """A database as it was before, with a text and a mail that wait, one that went, and the clinic's own
    hours.
    """
    server = Server(tmp_path / "db", free_port(), buffer_mb=64)
    engine = connect(server.start())
    upgrade(engine, "0018")
    text_, mail = (
        {"patient_id": None, "to": "3605550101", "text": "Hi Ada"},
        {
            "patient_id": None,
            "to": "ada@example.org",
            "text": "Dear Ada",
            "subject": "Hello",
            "message_id": "<m>",
        },
    )
    rows = [
        ("t1", "patient_text", text_, "waiting"),
        ("m1", "patient_mail", mail, "waiting"),
        ("t2", "patient_text", text_, "done"),
    ]
    with engine.begin() as connection:
        for key, kind, payload, state in rows:
            connection.execute(
                text(
                    "INSERT INTO outbox (request_key, kind, payload, state, due_at, made_at) VALUES (:key,"
                    " :kind,"
                    " :payload, :state, NOW(), NOW())"
                ),
                {"key": key, "kind": kind, "payload": json.dumps(payload), "state": state},
            )
        offers = {"wave": 4, "quiet_from": 21 * 60, "quiet_to": 9 * 60}
        connection.execute(
            text("INSERT INTO setting (name, value) VALUES ('offers', :value)"), {"value": json.dumps(offers)}
        )
    yield engine
    engine.dispose()
    server.stop()


@pytest.mark.slow
def test_what_waited_is_in_the_log_and_the_hours_are_the_clinics(before: Engine) -> None:
    upgrade(before, "head")
    with before.connect() as connection:
        found = connection.execute(
            text("SELECT request_key, channel, address, subject, words, state FROM message ORDER BY id")
        )
        assert [tuple(row) for row in found] == [
            ("t1", "text", "3605550101", "", "Hi Ada", "waiting"),
            ("m1", "email", "ada@example.org", "Hello", "Dear Ada", "waiting"),
        ]
        kinds = connection.execute(text("SELECT DISTINCT kind FROM outbox")).scalars().all()
        assert kinds == ["message"]
        settings = connection.execute(text("SELECT name, value FROM setting"))
        kept = {row.name: row.value for row in settings}
        assert json.loads(kept["offers"]) == {"wave": 4}
        assert json.loads(kept["quiet_hours"])["weekdays"] == [9 * 60, 21 * 60]
