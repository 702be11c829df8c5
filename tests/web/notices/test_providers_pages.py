"""Each provider's mail and calendar address in Setup, and reading the calendar without signing in."""

from __future__ import annotations

import re
from dataclasses import replace

import icalendar
import pytest

from tests.conftest import SAM, add_patient, rows_of, scalar
from tests.desk.notices.test_planning import visit
from tests.web.conftest import Browser
from tests.web.followup.test_offer_pages import after
from zax.desk.acts.transaction import Desk
from zax.desk.notices.digests import digests_of
from zax.desk.notices.rules import habits_of, keep_habits

PAGE = "/setup/messages/providers"


@pytest.fixture
def pages(desk: Desk) -> None:
    keep_habits(desk, SAM, replace(habits_of(desk.clinic), address="https://visits.example.org"))


def test_a_digest_is_kept_and_a_wrong_address_stays_beside_its_field(sam: Browser, desk: Desk) -> None:
    assert "Providers’ mail" in sam.get("/setup/messages").text
    wrong = sam.post(f"{PAGE}/1/digest", email="calloway", evening="yes")
    assert wrong.status_code == 422 and 'value="calloway"' in wrong.text and "aria-invalid" in wrong.text
    after(sam, f"{PAGE}/1/digest", email="calloway@example.org", evening="yes")
    kept = digests_of(desk.clinic)[1]
    assert (kept.email, kept.evening, kept.morning, kept.names) == (
        "calloway@example.org",
        True,
        False,
        False,
    )
    assert 'value="calloway@example.org"' in sam.get(PAGE).text
    assert sam.post(f"{PAGE}/99/digest", email="a@example.org").status_code == 404


def test_without_an_address_of_our_pages_it_says_what_to_do(sam: Browser) -> None:
    assert "Say in Messages where our pages are reached first." in sam.get(PAGE).text
    refused = sam.post(f"{PAGE}/1/calendar")
    assert refused.status_code == 422 and "where our pages are reached" in refused.text


@pytest.mark.usefixtures("pages")
def test_the_address_is_read_by_anybody_until_it_is_shut(sam: Browser, desk: Desk) -> None:
    visit(desk, add_patient(desk, first="Tamsin", last="Reyes"))
    page = after(sam, f"{PAGE}/1/calendar")
    found = re.search(r"https://visits\.example\.org(/calendar/[\w-]{43}\.ics)", page)
    assert found is not None and "not read yet" in " ".join(page.split())
    sam.client.cookies.clear()
    answer = sam.get(found[1])
    assert answer.headers["content-type"].startswith("text/calendar")
    (event,) = icalendar.Calendar.from_ical(answer.content).walk("VEVENT")
    assert str(event["summary"]) == "T. R."
    sam.sign_in("sam")
    assert "last read" in " ".join(sam.get(PAGE).text.split())
    after(sam, f"{PAGE}/calendars/{scalar(desk, 'SELECT id FROM calendar_feed')}/shut")
    assert sam.get(found[1]).status_code == 404
    assert sam.get("/calendar/nothing.ics").status_code == 404


@pytest.mark.usefixtures("pages")
def test_a_patients_address_stands_on_their_messages(sam: Browser, desk: Desk) -> None:
    patient = add_patient(desk, first="Tamsin")
    visit(desk, patient)
    page = after(sam, f"/patients/{patient}/calendar")
    found = re.search(r"/calendar/[\w-]{43}\.ics", page)
    assert found is not None and b"Dr. Calloway" in sam.get(found[0]).content
    page = after(sam, f"/patients/{patient}/calendar", do="shut")
    assert "opens nothing anymore" in page and sam.get(found[0]).status_code == 404
    assert len(rows_of(desk, "SELECT id FROM calendar_feed WHERE ended_at IS NOT NULL")) == 1


def test_only_the_setup_sees_it(juno: Browser) -> None:
    assert juno.get(PAGE).status_code == 403
