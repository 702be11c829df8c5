"""Hand-overs against a real MariaDB: in somebody's list until done, seen done by who gave it, never lost."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import pytest

from tests.conftest import INES, JUNO, ODILE, SAM, TODAY, add_patient, order, scalar
from tests.desk.followup.made import recall, recall_type
from tests.desk.followup.test_calls import RAVI
from zax.core.errors import Conflict, NotAllowed, NotFound, Refused
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.followup.hand_overs import HandOverForm, done, give, open_again, pass_on, seen
from zax.desk.patients.duplicates import merge
from zax.store.followup.hand_overs import HandedOver, about_patient, count_for, given_by, open_for


def given(desk: Desk, to: str = "role-receptionist", about: str = "", **more: Any) -> int:
    form = {"about": about or f"patient-{add_patient(desk)}", "to": to, "words": "take a deposit"} | more
    return give(desk, INES, HandOverForm(**form))


def lists(desk: Desk, who: Actor) -> list[int]:
    with desk.engine.connect() as connection:
        found = [each.id for each in open_for(connection, who.id or 0, who.role.key)]
        assert count_for(connection, who.id or 0, who.role.key) == len(found)
    return found


def from_ines(desk: Desk) -> list[HandedOver]:
    with desk.engine.connect() as connection:
        return given_by(connection, INES.id or 0, desk.clock.now() - timedelta(days=1))


def test_it_is_in_their_list_until_done_and_the_giver_sees_it_done(desk: Desk) -> None:
    number = given(desk, amount="400")
    assert lists(desk, JUNO) == lists(desk, RAVI) == [number] and lists(desk, ODILE) == []
    done(desk, RAVI, number, "took it by card")
    done(desk, JUNO, number, "twice is once")
    assert lists(desk, JUNO) == []
    (row,) = from_ines(desk)
    assert (row.doer, row.done_words, row.seen_at, row.cents) == (
        "Ravi Teller",
        "took it by card",
        None,
        40_000,
    )
    seen(desk, JUNO, number)
    assert from_ines(desk)[0].seen_at is None
    seen(desk, INES, number)
    assert from_ines(desk)[0].seen_at is not None
    open_again(desk, INES, number)
    assert lists(desk, JUNO) == [number]


def test_it_goes_to_one_person_and_on_to_another(desk: Desk) -> None:
    number = given(desk, to="user-3", by="fri")
    assert lists(desk, ODILE) == [number] and lists(desk, JUNO) == []
    with pytest.raises(NotAllowed):
        done(desk, JUNO, number, "")
    pass_on(desk, ODILE, number, "user-1")
    assert lists(desk, JUNO) == [number] and lists(desk, ODILE) == []
    with pytest.raises(Refused):
        pass_on(desk, JUNO, number, "user-999")
    done(desk, SAM, number, "")
    with pytest.raises(Conflict):
        pass_on(desk, JUNO, number, "user-3")


def test_anything_that_is_there_can_be_handed_over(desk: Desk) -> None:
    patient = add_patient(desk, first="Iris")
    visit = book_visit(desk, JUNO, order(patient))
    due = recall(desk, patient, recall_type(desk), TODAY)
    for about in (f"visit-{visit}", f"recall-{due}", f"patient-{patient}"):
        number = given(desk, about=about)
        title = scalar(desk, "SELECT title FROM hand_over WHERE id = :id", id=number)
        assert title.startswith("Iris")
    with desk.engine.connect() as connection:
        assert len(about_patient(connection, patient)) == 3
    for about in ("visit-999999", "nonsense-3", "visit-x", "visit"):
        with pytest.raises(NotFound):
            given(desk, about=about)


def test_a_merge_keeps_what_was_handed_over(desk: Desk) -> None:
    keep, drop = add_patient(desk), add_patient(desk, first="Helena")
    number = given(desk, about=f"patient-{drop}")
    merge(desk, ODILE, keep, drop, {}, (1, 1))
    with desk.engine.connect() as connection:
        assert [each.id for each in about_patient(connection, keep)] == [number]
