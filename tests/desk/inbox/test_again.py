"""A message sent again: with its words, to where they are reached today, and only while it is still true."""

from __future__ import annotations

from datetime import timedelta

import pytest

from tests.conftest import JUNO, add_patient, at, scalar
from tests.desk.notices.made import log, only
from tests.desk.notices.test_planning import DAY, REMINDER, move_to, texts, visit, works
from zax.clock import ShiftedClock
from zax.core.errors import Conflict, NotFound, Refused
from zax.desk.acts.transaction import Desk
from zax.desk.inbox.again import CHANGED, send_again
from zax.desk.inbox.replies import take_reply
from zax.desk.patients.details import change_section
from zax.outside.doors import Outside

REACH = {"texts_to": "phone", "home_phone": "", "work_phone": "", "email": ""}


@pytest.fixture
def reminded(desk: Desk, clock: ShiftedClock, outside: Outside) -> int:
    """A visit whose reminder went to Helen's old phone."""
    only(desk, REMINDER)
    made = visit(desk, add_patient(desk))
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    works(desk, outside)
    return made


def test_it_goes_to_the_phone_of_today_and_an_answer_to_it_counts(
    desk: Desk, outside: Outside, reminded: int
) -> None:
    patient = log(desk)[0]["patient_id"]
    change_section(desk, JUNO, patient, "reach", {**REACH, "phone": "360 555 0199"}, 1, 1)
    assert send_again(desk, JUNO, log(desk)[0]["id"], "k") == "3605550199"
    works(desk, outside)
    assert [to for to, _ in texts(outside)] == ["3605550148", "3605550199"]
    assert log(desk)[1]["words"] == log(desk)[0]["words"]
    take_reply(desk, 7, "3605550199", "YES")
    assert scalar(desk, "SELECT state FROM visit") == "confirmed"


def test_not_once_the_visit_stands_elsewhere_or_has_begun(
    desk: Desk, clock: ShiftedClock, reminded: int
) -> None:
    first = log(desk)[0]["id"]
    move_to(desk, reminded, DAY, "15:00")
    with pytest.raises(Refused, match=CHANGED):
        send_again(desk, JUNO, first, "k")
    move_to(desk, reminded, DAY, "14:00")
    clock.set_to(at(14, 0, DAY))
    with pytest.raises(Refused, match=CHANGED):
        send_again(desk, JUNO, first, "k2")
    assert len(log(desk)) == 1


def test_not_while_it_is_on_its_way_nor_without_words_nor_a_way(
    desk: Desk, outside: Outside, reminded: int
) -> None:
    first = log(desk)[0]["id"]
    send_again(desk, JUNO, first, "k")
    with pytest.raises(Conflict, match="on its way"):
        send_again(desk, JUNO, log(desk)[1]["id"], "k2")
    with pytest.raises(NotFound):
        send_again(desk, JUNO, 999, "k3")
    works(desk, outside)
    patient = log(desk)[0]["patient_id"]
    change_section(desk, JUNO, patient, "reach", {**REACH, "phone": "360 555 0199", "texts_to": "none"}, 1, 1)
    with pytest.raises(Refused, match="wants no texts"):
        send_again(desk, JUNO, log(desk)[1]["id"], "k4")


def test_pressed_twice_it_goes_once(desk: Desk, outside: Outside, reminded: int) -> None:
    for _ in range(2):
        send_again(desk, JUNO, log(desk)[0]["id"], "k")
    works(desk, outside)
    assert len(texts(outside)) == 2
