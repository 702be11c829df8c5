"""A log is worth less than the work it tells of."""

import io
import json
import sys

import pytest
import structlog

from zax.logs import configure


def test_a_command_that_people_read_logs_only_what_went_wrong(monkeypatch: pytest.MonkeyPatch) -> None:
    out = io.StringIO()
    monkeypatch.setattr(sys, "stdout", out)
    configure(people=True)
    structlog.get_logger().warning("statement.slow")
    structlog.get_logger().error("defect")
    configure()
    structlog.get_logger().info("request")
    assert [json.loads(line)["event"] for line in out.getvalue().splitlines()] == ["defect", "request"]


def test_a_full_disk_costs_lines_and_not_the_work_and_the_log_says_how_many(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    configure()
    log = structlog.get_logger()
    with open("/dev/full", "w", buffering=1, closefd=True) as full:
        monkeypatch.setattr(sys, "stdout", full)
        log.info("first")
        log.info("second")
        room = io.StringIO()
        monkeypatch.setattr(sys, "stdout", room)
        log.info("third")
        log.info("fourth")
        monkeypatch.undo()
        # What is still in the buffer goes nowhere.
        with pytest.raises(OSError, match="No space left"):
            full.close()
    lines = [json.loads(line) for line in room.getvalue().splitlines()]
    assert [each["event"] for each in lines] == ["log.missing", "third", "fourth"]
    assert lines[0]["lines"] == 2
