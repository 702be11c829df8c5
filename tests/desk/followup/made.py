"""Recall types and recalls for tests, as the setup and the desk would make them."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import Any

from tests.conftest import JUNO
from zax.core.followup.recall import RecallType, read_interval
from zax.demo.world import TYPE_ID
from zax.desk.acts.transaction import Desk
from zax.desk.followup.recalls import set_recall
from zax.store.followup.recalls import change_recall, keep_type


def recall_type(desk: Desk, kind: str = "Hygiene", every: str = "6 months", **more: Any) -> int:
    """A recall type of the visit type's name; its id."""
    made = RecallType(id=0, name=kind, every=read_interval(every), type_id=TYPE_ID[kind])
    with desk.engine.begin() as connection:
        return keep_type(connection, replace(made, **more))


def recall(desk: Desk, patient: int, type_id: int, due: date) -> int:
    """An open recall, due that day, even one long gone."""
    number = set_recall(desk, JUNO, patient, type_id, "")
    with desk.engine.begin() as connection:
        change_recall(connection, number, due_day=due)
    return number
