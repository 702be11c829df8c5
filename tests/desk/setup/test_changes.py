"""Every change of the setup is on record row by row, and can be turned back while nothing came after it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import select, text

from tests.conftest import JUNO, ODILE, SAM, TODAY, add_patient, order, scalar
from tests.desk.setup.test_setup_time import rows
from zax.core.acts.row_changes import RowChange, changes_from, changes_to, said
from zax.core.errors import NotAllowed, NotFound, Refused
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import order_steps
from zax.desk.arrivals.stages import save_stage
from zax.desk.book.booking import book_visit
from zax.desk.patients.notes import save_flag
from zax.desk.people.roles import turn_right
from zax.desk.setup.changes import undo_change
from zax.desk.setup.hours import close_holidays, set_hours
from zax.desk.setup.money import save_reason
from zax.desk.setup.providers import set_npi
from zax.desk.setup.services import set_fees
from zax.desk.setup.sites import choose_mark, save_room
from zax.desk.setup.visit_types import save_set
from zax.store import schema
from zax.store.acts.setup_log import RECORDED
from zax.store.people.setup_changes import setup_changes

# What a manager may do in a row, each a change of another table or way of writing.
DEEDS: dict[str, Callable[[Desk], object]] = {
    "fee": lambda desk: set_fees(desk, ODILE, {1: "65.00", 2: "1"}),
    "hours": lambda desk: set_hours(desk, SAM, 5, TODAY, rows(("9:00", "15:00")), "leave"),
    "holiday": lambda desk: close_holidays(desk, SAM, [(TODAY.replace(month=12, day=24), "Eve")], "leave"),
    "set": lambda desk: save_set(desk, SAM, 1, "Recall", [1, 2, 3], True),
    "new set": lambda desk: save_set(desk, SAM, 0, "Of its own", [4], True),
    "room": lambda desk: save_room(desk, SAM, 1, 1, "Chair One", True, "x-ray", True),
    "mark": lambda desk: choose_mark(desk, SAM, "type"),
    "npi": lambda desk: set_npi(desk, SAM, 6, "1234567893"),
    "flag": lambda desk: save_flag(desk, SAM, 1, "Very nervous", True, True),
    "reason": lambda desk: save_reason(desk, SAM, 0, 0, "Storm", True),
}


def setup_of(desk: Desk) -> dict[str, list[tuple[Any, ...]]]:
    """Every row of the setup, but for what counts its versions."""
    found = {}
    with desk.engine.connect() as connection:
        for name in sorted(RECORDED):
            table = schema.metadata.tables[name]
            columns = [each for each in table.columns if each.name != "version"]
            query = select(*columns)
            if name == "setting":
                query = query.where(table.c.name != "setup_version", ~table.c.name.startswith("hold_"))
            found[name] = sorted((tuple(row) for row in connection.execute(query)), key=str)
    return found


def last(desk: Desk) -> int:
    return int(scalar(desk, "SELECT COALESCE(MAX(id), 0) FROM setup_change"))


@pytest.mark.parametrize("deed", DEEDS)
def test_undone_everything_is_as_it_was_and_undone_again_it_is_done(desk: Desk, deed: str) -> None:
    before = setup_of(desk)
    DEEDS[deed](desk)
    after = setup_of(desk)
    assert after != before
    undo_change(desk, SAM, last(desk))
    assert setup_of(desk) == before
    undo_change(desk, SAM, last(desk))
    assert setup_of(desk) == after


@settings(max_examples=12, suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(st.permutations(sorted(set(DEEDS) - {"new set", "reason"})))
def test_any_number_of_changes_is_turned_back_in_reverse(desk: Desk, deeds: list[str]) -> None:
    before = setup_of(desk)
    made = []
    for deed in deeds:
        DEEDS[deed](desk)
        made.append(last(desk))
    for change in reversed(made):
        undo_change(desk, SAM, change)
    assert setup_of(desk) == before


def test_what_was_changed_again_is_never_overwritten(desk: Desk) -> None:
    set_fees(desk, ODILE, {1: "65"})
    first = last(desk)
    set_fees(desk, ODILE, {1: "66"})
    with pytest.raises(Refused, match="changed again since"):
        undo_change(desk, SAM, first)
    assert desk.clinic.services[1].fee_cents == 6_600


def test_what_is_in_use_by_now_stays(desk: Desk) -> None:
    made = save_room(desk, SAM, 0, 1, "Exam D", False, "", True)
    change = last(desk)
    with desk.engine.begin() as connection:
        visit = book_visit(desk, JUNO, order(add_patient(desk)))
        connection.execute(text("UPDATE visit SET room_id = :r WHERE id = :v"), {"r": made, "v": visit})
    with pytest.raises(Refused, match="in use by now"):
        undo_change(desk, SAM, change)
    assert made in desk.clinic.rooms


def test_a_refused_change_leaves_nothing_on_record(desk: Desk) -> None:
    before = last(desk)
    with pytest.raises(Refused):
        choose_mark(desk, SAM, "stars")
    assert last(desk) == before


def test_who_may_undo_and_what_cannot_be(desk: Desk) -> None:
    set_fees(desk, ODILE, {1: "65"})
    change = last(desk)
    with pytest.raises(NotAllowed):
        undo_change(desk, JUNO, change)
    undo_change(desk, SAM, change)
    with pytest.raises(Refused, match="undone already"):
        undo_change(desk, SAM, change)
    with pytest.raises(NotFound):
        undo_change(desk, SAM, 10**6)
    turn_right(desk, SAM, "receptionist", "claims", True, 1)
    with pytest.raises(Refused, match="own page"):
        undo_change(desk, SAM, last(desk))


def test_a_form_shown_before_an_undo_is_stale(desk: Desk) -> None:
    """Kills: an undo that puts the old version back, so that a form of then would overwrite it unseen."""
    version = scalar(desk, "SELECT version FROM reason WHERE id = 1")
    save_reason(desk, SAM, 1, version, "Storm", True)
    undo_change(desk, SAM, last(desk))
    assert scalar(desk, "SELECT version FROM reason WHERE id = 1") > version + 1


def test_the_log_says_in_words_what_changed_and_who(desk: Desk) -> None:
    set_fees(desk, ODILE, {1: "65"})
    save_stage(desk, SAM, 0, "Recovery", "assistant", True, True)
    order_steps(desk, SAM, [])
    with desk.engine.connect() as connection:
        told = [(each.by_name, each.words) for each in setup_changes(connection, 10)]
    assert ("Odile Marsh", "Exam, regular: fee 64.00 to 65.00") in told
    assert ("Sam Quill", "Recovery: new") in told


def test_changes_are_kept_as_they_are_and_long_ones_are_cut() -> None:
    long = RowChange("room", {"id": 1}, {"id": 1, "name": "x" * 300}, {"id": 1, "name": "y" * 300})
    made = RowChange("flag", {"id": 2}, None, {"id": 2, "words": "Nervous"})
    gone = made.back
    assert changes_from(changes_to([long, made, gone])) == [long, made, gone]
    assert said([made]) == "Nervous: new" and said([gone]) == "Nervous: taken away"
    assert len(said([long, made, made, made])) <= 160 and said([]) == ""


def test_settings_are_told_by_name_and_secrets_by_nobody() -> None:
    def change(name: str, before: object, after: object) -> str:
        key = {"name": name}
        return said([RowChange("setting", key, key | {"value": before}, key | {"value": after})])

    assert change("lock_minutes", 10, 15) == "lock minutes 10 to 15"
    assert change("wall_token", "abc", "def") == "wall token changed"
    assert said([RowChange("setting", {"name": "gateway"}, None, {"name": "gateway", "value": {}})]) == ""
