"""Closing the day: counted against the journal, final from then on, once; and what the day sheet sums."""

import csv
import io
from concurrent.futures import ThreadPoolExecutor
from datetime import date, timedelta
from typing import Any

import pytest

from tests.conftest import (
    INES,
    JUNO,
    RAVI,
    SAM,
    TODAY,
    add_patient,
    at,
    known_patient,
    scalar,
    visit_at_checkout,
)
from tests.desk.acting import TOMORROW
from tests.desk.paying import agrees, all_lines, pay
from tests.fakes import FakeTerminal
from zax.clock import ShiftedClock
from zax.core.errors import Conflict, NotAllowed, NotFound, Refused, Stale
from zax.core.subject import About, Subject
from zax.desk.acts.transaction import Desk
from zax.desk.charges.finishing import back_to_room
from zax.desk.day.checkout import finish_checkout, take_checkout_back
from zax.desk.money.corrections import OffForm, give_discount, take_entry_back, write_off
from zax.desk.money.day_close import CloseForm, Closing, close_day, close_of, closing_of
from zax.desk.money.day_sheet import JOURNAL_COLUMNS, day_sheet, journal_lines
from zax.desk.money.payments import Item
from zax.desk.money.refunds import BackForm, refund, void
from zax.desk.money.terminal import close_payment
from zax.outside.doors import Sale
from zax.store.money.sums import journal_rows as journal_of
from zax.web.money.documents import day_sheet_pdf, deposit_slip_pdf


def closing(desk: Desk, day: date = TODAY) -> Closing:
    with desk.engine.connect() as connection:
        return closing_of(connection, desk.clinic, 1, day, TODAY)


def count(found: Closing, cash: int | None = None, **more: Any) -> CloseForm:
    """The drawer counted: the float and the cash that is expected (or `cash`), every check in the bag."""
    drawer = 15_000 + (found.expected["cash"] if cash is None else cash)
    values: dict[str, Any] = {
        "pieces": {100: str(drawer // 100), 1: str(drawer % 100)},
        "counted": {},
        "checks": [each.id for each in found.checks],
        "why": "",
        "mark": found.mark,
    }
    return CloseForm(**(values | more))


@pytest.fixture
def day(desk: Desk) -> int:
    """A day with a visit over 286.00 paid by cash, check and card; the patient."""
    patient = add_patient(desk)
    finish_checkout(desk, JUNO, visit_at_checkout(desk, patient, dental=True))
    pay(desk, patient, all_lines(desk, patient), ("cash", "100"), ("check", "86", "1042"), ("card", "100"))
    return patient


def test_the_count_is_held_against_the_journal_and_the_day_is_final(
    desk: Desk, day: int, clock: ShiftedClock
) -> None:
    found = closing(desk)
    assert (
        dict(found.expected) == {"cash": 10_000, "check": 8_600, "card": 10_000}
        and found.from_patients == 28_600
    )
    number = close_day(desk, JUNO, 1, TODAY, count(found))
    with desk.engine.connect() as connection:
        row = close_of(connection, number)
    assert (row.bank_cents, row.over_cents, row.entries, row.by_name) == (
        18_600,
        0,
        found.entries,
        "Juno Park",
    )
    assert [each["number"] for each in row.checks] == ["1042"] and row.counted["card"] == 10_000
    pay(desk, day, [Item()], ("cash", "5"), key="later")
    assert scalar(desk, "SELECT day FROM journal ORDER BY id DESC LIMIT 1") == TOMORROW
    assert scalar(desk, "SELECT day FROM payment ORDER BY id DESC LIMIT 1") == TOMORROW
    with pytest.raises(Conflict, match="can’t be voided"):
        void(
            desk,
            SAM,
            FakeTerminal(),
            BackForm(payment_id=scalar(desk, "SELECT MIN(id) FROM payment"), amount="", why="oops", key="v"),
        )
    refund(
        desk,
        SAM,
        FakeTerminal(),
        BackForm(payment_id=scalar(desk, "SELECT MIN(id) FROM payment"), amount="10", why="oops", key="r"),
    )
    assert scalar(desk, "SELECT COUNT(*) FROM journal WHERE day = :day", day=TODAY) == found.entries
    clock.set_to(at(18, 0, TOMORROW))
    tomorrow = closing(desk, TOMORROW)
    assert tomorrow.last.day == TODAY and tomorrow.expected["cash"] == 500 - 1_000 and agrees(desk)
    assert deposit_slip_pdf(desk, row).startswith(b"%PDF") and day_sheet_pdf(desk, 1, TODAY).startswith(
        b"%PDF"
    )


def test_over_and_short_are_kept_with_their_reason(desk: Desk, day: int) -> None:
    found = closing(desk)
    with pytest.raises(Refused, match=r"2\.00 short") as refused:
        close_day(desk, JUNO, 1, TODAY, count(found, 9_800))
    assert set(refused.value.problems) == {"why"} and scalar(desk, "SELECT COUNT(*) FROM day_close") == 0
    close_day(desk, JUNO, 1, TODAY, count(found, 9_800, why="wrong change at noon"))
    assert scalar(desk, "SELECT CONCAT(over_cents, why) FROM day_close") == "-200wrong change at noon"


def test_a_check_missing_from_the_bag_and_a_slip_that_differs_are_differences(desk: Desk, day: int) -> None:
    found = closing(desk)
    with pytest.raises(Refused, match=r"86\.00 short"):
        close_day(desk, JUNO, 1, TODAY, count(found, checks=[]))
    with pytest.raises(Refused, match=r"1\.00 over"):
        close_day(desk, JUNO, 1, TODAY, count(found, counted={"card": "101"}))
    with pytest.raises(Refused) as refused:
        close_day(desk, JUNO, 1, TODAY, count(found, counted={"card": "lots"}))
    assert set(refused.value.problems) == {"counted-card"}


def test_a_voided_check_is_not_in_the_bag_and_one_of_the_same_number_is(desk: Desk, day: int) -> None:
    iris = add_patient(desk, first="Iris")
    pay(desk, iris, [Item()], ("check", "5", "1042"), key="same")
    void(
        desk,
        SAM,
        FakeTerminal(),
        BackForm(
            payment_id=scalar(desk, "SELECT MAX(id) FROM payment"), amount="", why="wrong patient", key="v"
        ),
    )
    found = closing(desk)
    assert [each.first for each in found.checks] == ["Helen"] and found.expected["check"] == 8_600
    close_day(desk, JUNO, 1, TODAY, count(found))


def test_a_day_is_closed_once_by_one_person(desk: Desk, day: int) -> None:
    form = count(closing(desk))

    def close(actor: Any) -> str:
        try:
            return str(close_day(desk, actor, 1, TODAY, form))
        except Conflict as error:
            return error.message

    with ThreadPoolExecutor(4) as pool:
        said = list(pool.map(close, (JUNO, RAVI, SAM, JUNO)))
    assert scalar(desk, "SELECT COUNT(*) FROM day_close") == 1
    assert (
        sum(each.isdecimal() for each in said) == 1
        and sum("closed this day at 10:4" in each for each in said) == 3
    )
    with pytest.raises(NotAllowed):
        close_day(desk, INES, 1, TODAY, form)
    with pytest.raises(NotFound):
        close_day(desk, SAM, 99, TODAY, form)


def test_money_that_comes_in_while_counting_is_said_before_the_close(desk: Desk, day: int) -> None:
    form = count(closing(desk))
    pay(desk, day, [Item()], ("cash", "5"), key="meanwhile")
    with pytest.raises(Stale, match="came in while you counted"):
        close_day(desk, JUNO, 1, TODAY, form)


def test_nothing_slips_into_a_day_that_is_being_closed(desk: Desk, day: int) -> None:
    """Payments and closes at once: whatever the order, the closed day holds exactly what its
    close counted.
    """

    def work(n: int) -> None:
        if n % 4:
            pay(desk, day, [Item()], ("cash", "1"), key=f"k{n}")
            return
        try:
            close_day(desk, JUNO, 1, TODAY, count(closing(desk)))
        except (Stale, Conflict):
            return

    with ThreadPoolExecutor(8) as pool:
        list(pool.map(work, range(32)))
    closed = scalar(desk, "SELECT entries FROM day_close")
    if closed is None:
        close_day(desk, JUNO, 1, TODAY, count(closing(desk)))
        closed = scalar(desk, "SELECT entries FROM day_close")
    assert scalar(desk, "SELECT COUNT(*) FROM journal WHERE day = :day", day=TODAY) == closed
    assert scalar(desk, "SELECT COUNT(*) FROM payment WHERE cents = 100") == 24 and agrees(desk)


def test_a_clock_before_the_closed_day_writes_on_the_day_after_it(
    desk: Desk, day: int, clock: ShiftedClock
) -> None:
    close_day(desk, JUNO, 1, TODAY, count(closing(desk)))
    yesterday = TODAY - timedelta(days=1)
    clock.set_to(at(9, 0, yesterday))
    pay(desk, day, [Item()], ("cash", "5"), key="early")
    assert scalar(desk, "SELECT MAX(day) FROM journal") == TOMORROW
    with pytest.raises(Conflict, match="before the last closed day"):
        close_day(desk, JUNO, 1, yesterday, count(closing(desk, yesterday)))
    with pytest.raises(Refused, match="hasn’t come yet"):
        close_day(desk, JUNO, 1, TOMORROW, count(closing(desk, TOMORROW)))


def test_a_terminal_that_answers_after_the_close_counts_on_the_day_after(
    desk: Desk, day: int, clock: ShiftedClock
) -> None:
    pay(
        desk,
        day,
        [Item()],
        ("card", "45"),
        key="slow",
        terminal=FakeTerminal([Sale(state="unknown", words="no response")]),
    )
    close_day(desk, JUNO, 1, TODAY, count(closing(desk)))
    close_payment(desk, JUNO, "slow-1", Sale(state="approved", words="", card_ending="4417", reference="T7"))
    clock.set_to(at(18, 0, TOMORROW))
    assert closing(desk).expected["card"] == 10_000  # what was counted on the closed day stays
    tomorrow = closing(desk, TOMORROW)
    assert tomorrow.expected["card"] == 4_500 and tomorrow.counts["card"] == 1 and agrees(desk)


def test_what_is_unfinished_is_listed_with_where_it_is_finished(desk: Desk) -> None:
    patient = add_patient(desk)
    visit = visit_at_checkout(desk, patient)
    pay(desk, patient, [Item()], ("cash", "30"))
    pay(
        desk,
        patient,
        [Item()],
        ("card", "45"),
        key="slow",
        terminal=FakeTerminal([Sale(state="unknown", words="no response")]),
    )
    covered = add_patient(desk, plan_id=1, first="Walt", street="")
    finish_checkout(desk, JUNO, visit_at_checkout(desk, covered, dental=True, start="16:00"))
    found = {each.kind: each for each in closing(desk).unfinished}
    assert found["visit"].subject == Subject(About.CHECKOUT, visit) and found["visit"].words == "2:00 pm"
    assert found["claim"].who == "Walt Vasquez" and found["claim"].words == "$188.80"
    assert (
        found["asking"].words == "$45.00, in neither sum" and found["asking"].subject.about == About.RECEIPT
    )
    assert found["credit"].words == "$30.00" and found["credit"].subject.entry_id
    assert closing(desk).expected["card"] == 0


def test_the_day_sheet_sums_the_journal_by_provider_tender_and_reason(desk: Desk, day: int) -> None:
    other = known_patient(desk, first="Iris")
    finish_checkout(desk, JUNO, visit_at_checkout(desk, other, start="16:00"))
    line = scalar(desk, "SELECT MAX(id) FROM charge_line")
    write_off(desk, SAM, OffForm(line_id=line, amount="28", reason_id=2))
    with desk.engine.connect() as connection:
        sheet = day_sheet(connection, desk.clinic, 1, TODAY, TODAY)
        rows = journal_of(connection, 1, TODAY, TODAY)
    sums = {name: (each.production, each.patients, each.adjusted) for name, each in sheet.by_provider}
    assert sums == {"Dr. Calloway": (28_600, 28_600, 0), "Dr. Abernathy": (12_800, 0, 2_800)}
    assert (sheet.total.production, sheet.total.patients, sheet.total.adjusted) == (41_400, 28_600, 2_800)
    assert sheet.tenders == [("Card", 10_000, 1), ("Cash", 10_000, 1), ("Check", 8_600, 1)]
    assert [(each.words, int(each.cents)) for each in sheet.reasons] == [("Our mistake", 2_800)]
    table = list(csv.DictReader(io.StringIO("".join(journal_lines(rows)))))
    assert (
        len(table) == len(rows)
        and sum(round(float(each["patient_part"]) * 100) for each in table) == 41_400 - 28_600 - 2_800
    )


def test_what_was_taken_off_and_back_again_stands_under_no_reason(desk: Desk, day: int) -> None:
    other = add_patient(desk, first="Iris")
    finish_checkout(desk, JUNO, visit_at_checkout(desk, other, start="16:00"))
    line = scalar(desk, "SELECT MAX(id) FROM charge_line")
    entry = write_off(desk, SAM, OffForm(line_id=line, amount="28", reason_id=2))
    give_discount(desk, SAM, OffForm(line_id=line, amount="5", why="waited long"))
    take_entry_back(desk, SAM, entry, "she pays")
    with desk.engine.connect() as connection:
        sheet = day_sheet(connection, desk.clinic, 1, TODAY, TODAY)
    assert [(each.words, int(each.cents)) for each in sheet.reasons] == [("Discounts", 500)]
    assert sheet.total.adjusted == 500


def test_words_that_a_spreadsheet_would_run_are_guarded_in_the_journals_file(desk: Desk, day: int) -> None:
    sneaky = known_patient(desk, last="=HYPERLINK(1)")
    visit = visit_at_checkout(desk, sneaky, start="16:00")
    back_to_room(desk, SAM, visit, "@SUM(A1:A9)")
    with desk.engine.connect() as connection:
        lines = "".join(journal_lines(journal_of(connection, 1, TODAY, TODAY)))
    table = list(csv.DictReader(io.StringIO(lines)))
    assert table[-1]["words"] == "'@SUM(A1:A9)" and table[-1]["name"].startswith("'=HYPERLINK(1)")
    assert table[-1]["patient_part"] == "-128.00" and tuple(table[-1]) == JOURNAL_COLUMNS


def test_a_reversal_takes_its_production_back(desk: Desk, day: int) -> None:
    visit = scalar(desk, "SELECT id FROM visit")
    take_checkout_back(desk, SAM, visit, "one more")
    back_to_room(desk, SAM, visit, "one more")
    with desk.engine.connect() as connection:
        assert day_sheet(connection, desk.clinic, 1, TODAY, TODAY).total.production == 0
