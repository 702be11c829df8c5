"""Closing too early: who is still expected is asked about, and a manager may open the day again until its
slip is printed; what a receipt says when the books put it on another day.
"""

from __future__ import annotations

from datetime import timedelta

import pytest

from tests.conftest import JUNO, RAVI, SAM, TODAY, add_patient, at, order, scalar, visit_at_checkout
from tests.desk.acting import TOMORROW
from tests.desk.paying import agrees, pay
from zax.clock import ShiftedClock
from zax.core.errors import Conflict, NotAllowed, Refused
from zax.core.wording import day_words, long_day
from zax.demo.world import ZONE
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.day.checkout import finish_checkout
from zax.desk.money.day_close import CloseForm, close_day, closing_of, note_slip, reopen_day
from zax.desk.money.payments import Item
from zax.desk.money.receipts import receipt_of
from zax.web.money.documents import receipt_pdf


def close(desk: Desk, anyway: bool = False) -> int:
    with desk.engine.connect() as connection:
        found = closing_of(connection, desk.clinic, 1, TODAY, TODAY)
    drawer = desk.clinic.money.float_cents + found.expected["cash"]
    pieces = {100: str(drawer // 100), 1: str(drawer % 100)}
    return close_day(
        desk, JUNO, 1, TODAY, CloseForm(pieces=pieces, counted={}, mark=found.mark, anyway=anyway)
    )


@pytest.fixture
def owing(desk: Desk) -> int:
    patient = add_patient(desk)
    finish_checkout(desk, JUNO, visit_at_checkout(desk, patient, dental=True))
    return patient


def test_closing_while_visits_are_expected_asks(desk: Desk) -> None:
    for n in range(2):
        book_visit(desk, JUNO, order(add_patient(desk, first=f"P{n}", last=f"Q{n}"), 5, f"1{4 + n}:00"))
    with pytest.raises(Refused, match="2 visits are still expected") as refused:
        close(desk)
    assert set(refused.value.problems) == {"anyway"} and scalar(desk, "SELECT COUNT(*) FROM day_close") == 0
    assert close(desk, anyway=True)
    assert "expected" in str(scalar(desk, "SELECT unfinished FROM day_close"))


def test_a_manager_opens_it_again_and_money_falls_on_today(desk: Desk, owing: int) -> None:
    number = close(desk)
    pay(desk, owing, [Item()], ("cash", "5"), key="after")
    assert scalar(desk, "SELECT day FROM payment ORDER BY id DESC LIMIT 1") == TOMORROW
    with pytest.raises(NotAllowed):
        reopen_day(desk, JUNO, number, "too early")
    with pytest.raises(NotAllowed):
        reopen_day(desk, RAVI, number, "too early")
    with pytest.raises(Refused, match="Say why"):
        reopen_day(desk, SAM, number, "  ")
    assert reopen_day(desk, SAM, number, "closed too early") == TODAY
    pay(desk, owing, [Item()], ("cash", "7"), key="again")
    assert scalar(desk, "SELECT day FROM payment ORDER BY id DESC LIMIT 1") == TODAY
    with pytest.raises(Conflict, match="already open"):
        reopen_day(desk, SAM, number, "once more")
    again = close(desk)
    assert again != number and scalar(desk, "SELECT COUNT(*) FROM day_close") == 2
    with pytest.raises(Conflict, match="already open, or a later"):
        reopen_day(desk, SAM, number, "the old one")
    with pytest.raises(Conflict, match="no longer good"):
        note_slip(desk, JUNO, number)  # its money may be on the new slip
    assert scalar(desk, "SELECT COUNT(*) FROM day_close WHERE slip_at IS NOT NULL") == 0
    # What came in between stays on the next day, and is counted there alone.
    counted = f"SELECT JSON_VALUE(expected, '$.cash') FROM day_close WHERE id = {again}"
    assert int(scalar(desk, counted)) == 700 and agrees(desk)


@pytest.mark.parametrize("late", ["slip", "tomorrow"])
def test_it_stays_closed_once_the_slip_is_printed_or_the_day_is_over(
    desk: Desk, clock: ShiftedClock, owing: int, late: str
) -> None:
    number = close(desk)
    if late == "slip":
        note_slip(desk, JUNO, number)
        note_slip(desk, JUNO, number)  # printed twice
    else:
        clock.set_to(at(9, 0, TOMORROW))
    with pytest.raises(Conflict, match="slip was printed" if late == "slip" else "on that same day"):
        reopen_day(desk, SAM, number, "too late")
    assert scalar(desk, "SELECT closed_day FROM site_books") == TODAY


def test_a_receipt_after_the_close_keeps_the_day_it_was_taken_and_says_where_it_counts(
    desk: Desk, owing: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    pay(desk, owing, [Item()], ("cash", "5"), key="before")
    close(desk)
    pay(desk, owing, [Item()], ("cash", "6"), key="after")
    numbers = scalar(desk, "SELECT CONCAT(MIN(id), ' ', MAX(id)) FROM receipt")
    before, after = (int(each) for each in numbers.split())
    with desk.engine.connect() as connection:
        shown = [receipt_of(connection, desk.clinic, number) for number in (before, after)]
    assert [each.later_than(ZONE) for each in shown] == [None, TODAY]
    assert [each.why_not_void(TODAY) for each in shown] == [f"{day_words(TODAY)} is closed", ""]
    later = TODAY + timedelta(days=2)
    assert shown[1].why_not_void(later) == f"{day_words(TOMORROW)} is over"
    reopen_day(desk, SAM, scalar(desk, "SELECT id FROM day_close"), "too early")
    with desk.engine.connect() as connection:
        shown = [receipt_of(connection, desk.clinic, number) for number in (before, after)]
    assert shown[0].why_not_void(TODAY) == "" and "hasn’t started" in shown[1].why_not_void(TODAY)
    monkeypatch.setattr("zax.web.shell.pdf.write", str.encode)
    paper = " ".join(receipt_pdf(desk, after).decode().split())
    today, tomorrow = long_day(TODAY), long_day(TOMORROW)
    assert f"Our books of {today} were already closed, so this counts on {tomorrow}." in paper
    assert f", {today}, {TODAY.year}</p>" in paper
    assert "were closed" not in receipt_pdf(desk, before).decode()
