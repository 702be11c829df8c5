"""What Day and Book show, computed from a real MariaDB: columns, straps, free time, jobs, sums; and acts as
transactions.
"""

from datetime import timedelta

import pytest
from sqlalchemy import text
from sqlalchemy.exc import OperationalError, ProgrammingError

from tests.conftest import (
    JUNO,
    ODILE,
    TODAY,
    add_patient,
    at,
    known_patient,
    order,
    pay_visit,
    scalar,
    visit_at_checkout,
)
from tests.fakes import FakeTerminal
from zax.clock import ShiftedClock, local, to_utc
from zax.core.book.track import Stop
from zax.core.errors import NotAllowed, Refused
from zax.desk.acts.act import TRIES, act, in_transaction
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.arrivals.check_in import check_in
from zax.desk.book.booking import book_visit
from zax.desk.book.cancellation import did_not_come
from zax.desk.day.checkout import finish_checkout
from zax.desk.day.live_day import DayColumn, DayView, DeskLists, day_view, desk_lists
from zax.desk.day.visit_sheet import sheet_of
from zax.outside.doors import Sale


def seen(desk: Desk, site: int = 1, ahead: int = 0) -> tuple[DayView, DeskLists]:
    with desk.engine.connect() as connection:
        view = day_view(connection, desk.clinic, desk.clock.now(), site, TODAY + timedelta(days=ahead))
        return view, desk_lists(connection, desk.clinic, view)


def lane_of(view: DayView, provider_id: int) -> DayColumn:
    return next(day_column for day_column in view.day_columns if day_column.provider.id == provider_id)


def test_an_empty_day_has_six_columns_of_free_time(desk: Desk) -> None:
    view, lists = seen(desk)
    assert [day_column.provider.id for day_column in view.day_columns] == [1, 2, 3, 4, 5, 6]
    assert [(span.start, span.end) for span in lane_of(view, 1).free] == [(645, 735), (780, 1050)]
    assert [words for _, words in lane_of(view, 5).shut] == ["In at 8:00 am", "Lunch", "At Hillcrest"]
    assert (lists.ready, lists.waiting, lists.expected, lists.jobs, lists.worked) == ([], [], [], [], 0)
    assert view.past_until == view.now == 642


def test_another_day_and_another_site(desk: Desk) -> None:
    tomorrow, _ = seen(desk, ahead=1)
    assert (tomorrow.now, tomorrow.past_until) == (None, 0)
    assert [(span.start, span.end) for span in lane_of(tomorrow, 1).free] == [(450, 735), (780, 1050)]
    assert seen(desk, ahead=-1)[0].past_until == 24 * 60
    thanksgiving, _ = seen(desk, ahead=2)
    assert thanksgiving.closure == "Thanksgiving" and all(
        not day_column.free for day_column in thanksgiving.day_columns
    )
    evening, _ = seen(desk, site=2)
    assert [day_column.provider.id for day_column in evening.day_columns] == [5, 6]


def test_straps_hang_in_the_dentists_column_and_lie_apart(desk: Desk) -> None:
    book_visit(desk, JUNO, order(add_patient(desk, last="Ito"), 2, "13:30", "Hygiene"))
    book_visit(desk, JUNO, order(add_patient(desk, last="Mensah"), 4, "13:20", "Hygiene"))
    straps = seen(desk)[0].straps
    assert [(s.at, s.drawn_at, s.provider.id, s.host.id, s.joins) for s in straps] == [
        (830, 830, 1, 4, False),
        (840, 845, 1, 2, True),
    ]
    hosted = [[guest.name for guest in column.guests] for column in seen(desk)[0].day_columns]
    assert hosted[:4] == [[], ["Helen Ito"], [], ["Helen Mensah"]]
    free = [(span.start, span.end) for span in lane_of(seen(desk)[0], 1).free]
    assert (780, 830) in free and (850, 1050) in free


def test_the_lists_are_in_order_of_need_with_their_sums(desk: Desk, clock: ShiftedClock) -> None:
    paying = visit_at_checkout(desk, add_patient(desk, plan_id=1, last="Castell"), dental=True)
    waiting = book_visit(desk, JUNO, order(add_patient(desk, last="Hale", street=""), start="11:00"))
    later = book_visit(desk, JUNO, order(add_patient(desk, last="Weller"), start="11:30"))
    check_in(desk, JUNO, waiting)
    clock.set_to(at(11, 5))
    view, lists = seen(desk)
    assert [(bar.id, bar.due, bar.insurer, bar.fee) for bar in lists.ready] == [(paying, 9720, 18880, 28600)]
    assert [(bar.last, bar.gap) for bar in lists.waiting] == [("Hale", "no address")]
    assert [bar.id for bar in lists.expected] == [later]
    assert (lists.numbers[Stop.HERE], lists.numbers[Stop.CHECKOUT], lists.numbers[Stop.BOOKED]) == (1, 1, 1)
    assert (lists.taken, lists.plans, lists.worked) == (0, 18880, 28600)
    exam_a = next(row for row in lists.rooms if row[0].name == "Exam A")
    assert (exam_a[1], exam_a[2].last) == (None, "Hale")
    assert lane_of(view, 5).behind == 5


def test_jobs_name_what_waits_for_the_desk(desk: Desk, clock: ShiftedClock) -> None:
    rest = visit_at_checkout(desk, known_patient(desk, last="Lane"), start="14:00")
    finish_checkout(desk, JUNO, rest)
    held = visit_at_checkout(desk, known_patient(desk, plan_id=1, street="", last="Tully"), dental=True)
    terminal = FakeTerminal([Sale(state="unknown", words="no response")])
    pay_visit(desk, held, "card", "97.20", "k", terminal=terminal)
    finish_checkout(desk, JUNO, held)
    missed = book_visit(desk, JUNO, order(known_patient(desk, last="Dunn"), start="11:00"))
    clock.set_to(at(11, 30))
    did_not_come(desk, JUNO, missed)
    words = [(job.words, job.link) for job in seen(desk)[1].jobs]
    assert ("card payment from Helen Tully isn’t confirmed yet", "See $97.20") in words
    assert ("balance of Helen Lane, Nov 24", "Collect $128.00") in words
    assert ("claims held back or rejected", "Fix them") in words
    assert ("no-show, 11:00 am", "Call Helen Dunn") in words


def test_the_sheet_of_each_state_has_its_line(desk: Desk) -> None:
    visit_id = book_visit(desk, JUNO, order(add_patient(desk)))

    def line() -> list[str]:
        with desk.engine.connect() as connection:
            return [stop.how for stop in sheet_of(connection, desk.clinic, desk.clock.now(), visit_id).track]

    assert line() == ["now", "coming", "coming", "coming", "coming", "coming"]
    check_in(desk, JUNO, visit_id)
    assert line() == ["done", "done", "now", "coming", "coming", "coming"]


def test_daylight_saving_is_the_sites_own(desk: Desk) -> None:
    zone = desk.clinic.sites[1].timezone
    for day in ("2026-03-08", "2026-11-01", "2028-02-29"):
        for hour in (0, 4, 12, 23):
            wall = local(to_utc(at(12).fromisoformat(f"{day}T{hour:02d}:30"), zone), zone)
            assert (wall.date().isoformat(), wall.hour, wall.minute) == (day, hour, 30)


def test_an_act_that_fails_leaves_nothing_behind(desk: Desk) -> None:
    @act("book")
    def half(tx: Transaction) -> None:
        tx.audit("half.done")
        raise Refused("no")

    with pytest.raises(Refused):
        half(desk, JUNO)
    with pytest.raises(NotAllowed):
        half(desk, ODILE)
    assert scalar(desk, "SELECT COUNT(*) FROM audit WHERE act = 'half.done'") == 0


def broken_deadlock() -> Exception:
    """As the driver tells it."""
    error = Exception("Deadlock found")
    error.errno = 1213  # type: ignore[attr-defined]
    return error


def test_a_broken_deadlock_is_tried_again_and_other_errors_are_not(desk: Desk) -> None:
    tries = 0

    def deadlock(tx: Transaction) -> str:
        nonlocal tries
        tries += 1
        if tries < 3:
            raise OperationalError("UPDATE", {}, broken_deadlock())
        return "done"

    assert in_transaction(desk, JUNO, deadlock) == "done"
    assert tries == 3

    def always(tx: Transaction) -> None:
        nonlocal tries
        tries += 1
        raise OperationalError("UPDATE", {}, broken_deadlock())

    tries = 0
    with pytest.raises(OperationalError):
        in_transaction(desk, JUNO, always)
    assert tries == TRIES

    with pytest.raises(ProgrammingError):
        in_transaction(desk, JUNO, lambda tx: tx.connection.execute(text("SELECT nothing FROM visit")))
