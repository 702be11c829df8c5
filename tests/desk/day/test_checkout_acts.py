"""Checkout on the database: one payment for several visits, credits, recalls, walking out, what stays open;
and a day narrowed down.
"""

import json
from datetime import date
from itertools import combinations
from typing import Any

import pytest
from sqlalchemy import text

from tests.conftest import (
    JUNO,
    TODAY,
    add_patient,
    known_patient,
    order,
    pay_visit,
    scalar,
    state_of,
    visit_at_checkout,
)
from tests.desk.acting import booked, nothing_is_wrong, patient_open, row
from tests.fakes import FakeTerminal
from zax.core.errors import Conflict, NotFound, Refused
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import check_in
from zax.desk.book.booking import book_visit
from zax.desk.book.cancellation import take_off
from zax.desk.book.track import take_to_room
from zax.desk.charges.diagnoses import add_diagnosis
from zax.desk.charges.finishing import ready_for_checkout
from zax.desk.day.checkout import checkout_view, finish_checkout, walked_out, what_stays_open
from zax.desk.day.live_day import Filter, day_view, desk_lists
from zax.desk.day.visit_sheet import sheet_of
from zax.desk.money.credits import use_credit
from zax.desk.money.dues import open_items
from zax.outside.doors import Sale
from zax.web.day.documents import attendance_pdf, itemized_pdf, summary_pdf
from zax.web.day.documents import visit_receipt_pdf as receipt_pdf


# --- checkout
def counter(desk: Desk, visit_id: int) -> tuple[Any, Any]:
    with desk.engine.connect() as connection:
        sheet = sheet_of(connection, desk.clinic, desk.clock.now(), visit_id)
        return sheet, checkout_view(connection, desk.clinic, sheet, desk.clock.now())


def test_one_payment_covers_today_and_earlier_visits_without_losing_a_cent(desk: Desk) -> None:
    patient = add_patient(desk, 1)
    earlier = visit_at_checkout(desk, patient, dental=True, start="13:00")
    finish_checkout(desk, JUNO, earlier)
    today = visit_at_checkout(desk, patient, dental=True, start="15:00")
    sheet, shown = counter(desk, today)
    assert [(each.visit_id, each.cents) for each in shown.earlier] == [
        (earlier, 9720)
    ] and shown.earlier_due == 9720
    terminal = FakeTerminal()
    total = f"{(sheet.due + 9720) / 100:.2f}"
    taken = pay_visit(desk, today, "card", total, "both", terminal=terminal, also=(earlier,))
    again = pay_visit(desk, today, "card", total, "both", terminal=terminal, also=(earlier,))
    assert taken == again and terminal.asked == [("both-1", sheet.due + 9720)]
    assert patient_open(desk, today) == patient_open(desk, earlier) == 0
    assert nothing_is_wrong(desk, today) and nothing_is_wrong(desk, earlier)
    assert scalar(desk, "SELECT SUM(cents) FROM payment_part") == sheet.due + 9720
    assert receipt_pdf(desk, today).startswith(b"%PDF") and receipt_pdf(desk, earlier).startswith(b"%PDF")


def test_money_being_clarified_is_reserved_on_every_visit_it_is_for(desk: Desk) -> None:
    patient = add_patient(desk, 1)
    earlier = visit_at_checkout(desk, patient, dental=True, start="13:00")
    finish_checkout(desk, JUNO, earlier)
    today = visit_at_checkout(desk, patient, dental=True, start="15:00")
    sheet, _ = counter(desk, today)
    total = f"{(sheet.due + 9720) / 100:.2f}"
    pay_visit(
        desk,
        today,
        "card",
        total,
        "slow",
        terminal=FakeTerminal([Sale(state="unknown", words="no response")]),
        also=(earlier,),
    )
    _, shown = counter(desk, today)
    assert shown.asked == sheet.due and shown.earlier == []
    with pytest.raises(Refused, match=r"more than the \$0\.00 due"):
        pay_visit(desk, earlier, "cash", "1", "other")


def test_another_households_visit_cannot_be_paid_along(desk: Desk) -> None:
    mine = visit_at_checkout(desk, add_patient(desk), start="14:00")
    other = visit_at_checkout(desk, add_patient(desk, first="Iris"), start="15:00")
    with pytest.raises(Refused, match="another household"):
        pay_visit(desk, mine, "cash", "200", "k", also=(other,))
    assert scalar(desk, "SELECT COUNT(*) FROM payment") == 0


def test_money_before_charges_is_given_to_them_when_they_come(desk: Desk) -> None:
    visit_id = booked(desk)
    pay_visit(desk, visit_id, "cash", "20", "copay")
    check_in(desk, JUNO, visit_id)
    take_to_room(desk, JUNO, visit_id)
    add_diagnosis(desk, JUNO, visit_id, "J02.9")
    ready_for_checkout(desk, JUNO, visit_id)
    assert patient_open(desk, visit_id) == 14_800 and nothing_is_wrong(desk, visit_id)
    assert scalar(desk, "SELECT SUM(cents) FROM allocation") == 2000


def test_credit_of_a_visit_that_fell_through_is_used_by_choice(desk: Desk) -> None:
    patient = known_patient(desk)
    gone = book_visit(desk, JUNO, order(patient, start="9:30", day=date(2026, 11, 25)))
    pay_visit(desk, gone, "cash", "50", "deposit")
    today = visit_at_checkout(desk, patient)
    _, shown = counter(desk, today)
    assert shown.credits == []  # it belongs to the visit to come
    credit = scalar(desk, "SELECT id FROM journal WHERE visit_id = :id", id=gone)
    take_off(desk, JUNO, gone, "wants", "", None)
    _, shown = counter(desk, today)
    assert [each.cents for each in shown.credits] == [5000]
    assert use_credit(desk, JUNO, credit, today) == 5000
    assert patient_open(desk, today) == 7800 and patient_open(desk, gone) == 0
    assert nothing_is_wrong(desk, today) and nothing_is_wrong(desk, gone)
    for other in (today, gone):
        with pytest.raises(Conflict):
            use_credit(desk, JUNO, credit, other)
    with pytest.raises(NotFound):
        use_credit(desk, JUNO, 999_999, today)
    with desk.engine.connect() as connection:
        assert open_items(connection, desk.clinic, row(desk, today).household_id).elsewhere(today) == []


def test_somebody_who_walked_out_waits_among_the_jobs(desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk))

    def seen() -> tuple[int, list[str]]:
        with desk.engine.connect() as connection:
            view = day_view(connection, desk.clinic, desk.clock.now(), 1, TODAY)
            lists = desk_lists(connection, desk.clinic, view)
        return len(lists.ready), [job.words for job in lists.jobs]

    assert seen() == (1, [])
    walked_out(desk, JUNO, visit_id)
    assert seen() == (0, ["Helen Vasquez left before the checkout"])
    walked_out(desk, JUNO, visit_id)
    assert seen()[0] == 1
    walked_out(desk, JUNO, visit_id)
    finish_checkout(desk, JUNO, visit_id)
    assert state_of(desk, visit_id) == "left" and row(desk, visit_id).gone_at is None
    with pytest.raises(Conflict):
        walked_out(desk, JUNO, visit_id)


def test_what_stays_open_is_said_and_the_papers_are_there(desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, 4, street=""))
    sheet, shown = counter(desk, visit_id)
    words = [point.what for point in what_stays_open(desk.clinic, sheet, shown)]
    assert words[0] == "the claim is held back" and any("with Copperline Health" in each for each in words)
    for paper in (itemized_pdf, summary_pdf, attendance_pdf):
        assert paper(desk, visit_id).startswith(b"%PDF")
    with pytest.raises(Refused, match="wasn’t checked in"):
        attendance_pdf(desk, booked(desk, "16:00"))
    with pytest.raises(NotFound):
        receipt_pdf(desk, visit_id)


MISSING = {
    "birth": "UPDATE patient SET birth = NULL",
    "sex": "UPDATE patient SET sex = ''",
    "street": "UPDATE patient SET street = ''",
    "zip": "UPDATE patient SET zip = ''",
    "phone": "UPDATE patient SET phone = ''",
    "member": "UPDATE coverage SET member_id = ''",
    "group": "UPDATE coverage SET group_number = ''",
    "holder": "UPDATE coverage SET subscriber_id = NULL, relationship = '19', holder ="
    ' \'{"first": "Ann", "last": "Vasquez"}\'',
    "began later": "UPDATE coverage SET from_day = '2026-11-25'",
    "ended": "UPDATE coverage SET to_day = '2026-11-23'",
    "diagnosis": "DELETE FROM visit_diagnosis",
    "pointers": "UPDATE charge_line SET points_to = '[\"C\"]'",
    "not billed": "UPDATE charge_line SET billed = 0",
    "free": "UPDATE charge_line SET fee_cents = 0",
}


@pytest.mark.parametrize(
    "missing", [(), *((one,) for one in MISSING), *combinations(MISSING, 2)][::4], ids="+".join
)
@pytest.mark.parametrize("dental", [True, False], ids=["dental", "medical"])
def test_a_claim_is_promised_only_where_finishing_sends_it(
    desk: Desk, missing: tuple[str, ...], dental: bool
) -> None:
    """Whatever is missing, the page and finishing agree. Kills: the page asking gaps of the record instead of
    the claim itself; asking only where the plan pays something.
    """
    visit_id = visit_at_checkout(desk, add_patient(desk, 1 if dental else 4), dental=dental)
    with desk.engine.begin() as connection:
        for each in missing:
            connection.execute(text(MISSING[each]))
    sheet, shown = counter(desk, visit_id)
    points = {point.what: point.why for point in what_stays_open(desk.clinic, sheet, shown)}
    finish_checkout(desk, JUNO, visit_id)
    with desk.engine.connect() as connection:
        claims = connection.execute(text("SELECT state, cents, findings FROM claim")).all()
    if shown.claim is None:
        assert claims == []
        return
    found = [each.message for each in shown.claim.findings]
    assert [(c.state, c.cents) for c in claims] == [("held_back" if found else "ready", shown.claim.cents)]
    assert [each["message"] for each in json.loads(claims[0].findings or "[]")] == found
    assert points.get("the claim is held back", "") == " ".join(found)
    assert not (found and "the claim goes out when you finish" in points.values())


def test_a_day_can_be_narrowed_to_a_person_a_room_or_a_role(desk: Desk) -> None:
    (
        booked(desk, "14:00"),
        booked(desk, "14:00", provider=6),
        booked(desk, "13:00", provider=1, kind="Filling"),
    )

    def shown(chosen: Filter) -> tuple[int, list[str]]:
        with desk.engine.connect() as connection:
            view = day_view(connection, desk.clinic, desk.clock.now(), 1, TODAY, chosen)
        return len(view.bars), [day_column.title for day_column in view.day_columns if day_column.bars]

    assert shown(Filter(provider_id=6)) == (1, ["Nadia Ferro NP"])
    assert shown(Filter(role="dentist")) == (1, ["Dr. Ines Calloway"])
    assert shown(Filter(by="room")) == (3, ["Chair 1", "Exam A", "Exam C"])
    assert shown(Filter(room_id=5, by="room")) == (1, ["Exam A"])
