"""Calendar addresses: what stands in them now, initials or names as allowed, and shut for good."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

import icalendar
import pytest

from tests.conftest import JUNO, RAVI, SAM, add_patient, order, rows_of
from tests.desk.notices.test_planning import DAY, move_to, visit
from zax.clock import ShiftedClock
from zax.core.book.cancellation import OffWhy
from zax.core.errors import NotAllowed, NotFound, Refused
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.book.cancellation import take_off
from zax.desk.notices import feeds
from zax.desk.notices.rules import habits_of, keep_habits
from zax.store.notices.feeds import feed_of_patient, feeds_of_providers


@pytest.fixture
def pages(desk: Desk) -> None:
    keep_habits(desk, SAM, replace(habits_of(desk.clinic), address="https://visits.example.org"))


def read(desk: Desk, secret: str) -> list[tuple[str, str]]:
    """When and what, of each."""
    found = icalendar.Calendar.from_ical(feeds.read_feed(desk, secret)).walk("VEVENT")
    return [(each.decoded("dtstart").isoformat(), str(each["summary"])) for each in found]


def of_provider(desk: Desk) -> str:
    with desk.engine.connect() as connection:
        (feed,) = feeds_of_providers(connection)
    assert feeds.address_of(desk.clinic, feed) == f"https://visits.example.org/calendar/{feed.secret}.ics"
    return feed.secret


@pytest.mark.usefixtures("pages")
def test_a_providers_shows_initials_and_what_changes(desk: Desk, clock: ShiftedClock) -> None:
    one = visit(desk, add_patient(desk, first="Tamsin", last="Reyes"))
    two = visit(desk, add_patient(desk, first="Leo", last="Brandt", phone="3605550102"), "16:00")
    book_visit(desk, JUNO, order(add_patient(desk, first="Ana", phone="3605550103"), 5, "11:00", day=DAY))
    feeds.open_provider_feed(desk, SAM, 1, False)
    secret = of_provider(desk)
    assert read(desk, secret) == [
        ("2026-12-01T14:00:00-08:00", "T. R."),
        ("2026-12-01T16:00:00-08:00", "L. B."),
    ]
    move_to(desk, one, DAY + timedelta(days=1), "9:00")
    take_off(desk, JUNO, two, OffWhy.WANTS_ANOTHER, "")
    assert read(desk, secret) == [("2026-12-02T09:00:00-08:00", "T. R.")]


@pytest.mark.usefixtures("pages")
def test_names_only_where_somebody_allowed_them(desk: Desk) -> None:
    visit(desk, add_patient(desk, first="Tamsin", last="Reyes"))
    feeds.open_provider_feed(desk, SAM, 1, True)
    assert [said for _, said in read(desk, of_provider(desk))] == ["Tamsin Reyes, Filling"]


@pytest.mark.usefixtures("pages")
def test_a_patients_own_says_nothing_about_care(desk: Desk) -> None:
    tamsin = add_patient(desk, first="Tamsin")
    visit(desk, tamsin)
    visit(desk, add_patient(desk, first="Leo", phone="3605550102"), "16:00")
    feeds.open_patient_feed(desk, JUNO, tamsin)
    with desk.engine.connect() as connection:
        feed = feed_of_patient(connection, tamsin)
    assert feed is not None
    assert read(desk, feed.secret) == [("2026-12-01T14:00:00-08:00", "Juniper Quay Clinic, Dr. Calloway")]
    feeds.shut_patient_feed(desk, JUNO, tamsin)
    with pytest.raises(NotFound):
        feeds.read_feed(desk, feed.secret)
    with pytest.raises(NotFound):
        feeds.shut_patient_feed(desk, JUNO, tamsin)


@pytest.mark.usefixtures("pages")
def test_a_new_address_shuts_the_old_one_and_only_the_setup_makes_them(desk: Desk) -> None:
    feeds.open_provider_feed(desk, SAM, 1, False)
    first = of_provider(desk)
    feeds.open_provider_feed(desk, SAM, 1, False)
    second = of_provider(desk)
    assert first != second and read(desk, second) == []
    for gone in (first, "", "x" * 43, first[:-1], first + "x"):
        with pytest.raises(NotFound):
            feeds.read_feed(desk, gone)
    with pytest.raises(NotAllowed):
        feeds.open_provider_feed(desk, RAVI, 1, True)
    with pytest.raises(NotFound):
        feeds.open_provider_feed(desk, SAM, 999, True)


@pytest.mark.usefixtures("pages")
def test_that_it_was_read_is_kept_once_an_hour(desk: Desk, clock: ShiftedClock) -> None:
    feeds.open_provider_feed(desk, SAM, 1, False)
    secret, seen = of_provider(desk), set()
    for minutes in (0, 10, 50, 61):
        clock.set_to(clock.now() + timedelta(minutes=minutes))
        feeds.read_feed(desk, secret)
        seen.add(rows_of(desk, "SELECT read_at FROM calendar_feed")[0]["read_at"])
    assert len(seen) == 3


def test_without_our_pages_there_is_no_address(desk: Desk) -> None:
    with pytest.raises(Refused, match="where our pages are reached"):
        feeds.open_provider_feed(desk, SAM, 1, False)
