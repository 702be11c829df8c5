"""A clinic that writes to its patients, for tests."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from tests.conftest import SAM, rows_of
from zax.core.messages.channel import Channel
from zax.core.notices.events import EVENTS, Event
from zax.core.notices.lead import read_lead
from zax.desk.acts.transaction import Desk
from zax.desk.notices import rules


def only(desk: Desk, *which: tuple[Event, Channel, str] | tuple[Event, Channel, str, str]) -> None:
    """Switch messages on, but these alone, each with its lead and its second try."""
    rules.keep_habits(desk, SAM, replace(rules.habits_of(desk.clinic), runs=True))
    wanted = {(each[0], each[1]): each[2:] for each in which}
    with desk.engine.connect() as connection:
        found = rules.rules_of(connection)
    for event, kind in EVENTS.items():
        for channel in kind.by:
            rule = found.general(event, channel)
            leads = wanted.get((event, channel))
            if leads is None and not rule.runs:
                continue
            now = replace(rule, runs=leads is not None, again=None)
            if leads is not None:
                now = replace(now, lead=read(leads[0]), again=read(leads[1]) if len(leads) > 1 else None)
            rules.keep_rule(desk, SAM, now)


def read(typed: str) -> Any:
    return read_lead(typed, "lead", before=True, after=True)


def log(desk: Desk) -> list[dict[str, Any]]:
    return rows_of(desk, "SELECT * FROM message ORDER BY id")


def told(desk: Desk) -> list[tuple[str, str]]:
    """Whom the rules told or skipped: event and why not."""
    return [(row["event"], row["why_not"]) for row in rows_of(desk, "SELECT * FROM notice_told ORDER BY id")]
