"""Messages in Setup over HTTP: the table, a rule, words with a preview, a test to oneself, hours, and what
goes tomorrow.
"""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import pytest

from tests.conftest import (
    JUNO,
    TODAY,
    add_patient,
    order,
    rows_of,
    scalar,
)
from tests.desk.notices.made import only
from tests.fakes import FakeTexts
from tests.web.conftest import Browser
from tests.web.followup.test_offer_pages import after
from zax.core.messages.channel import Channel
from zax.core.notices.events import EVENTS, Event
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.messages.quiet_hours import quiet_hours
from zax.desk.notices.rules import habits_of
from zax.outside.doors import OutsideTrouble

CELL = {
    "event": "reminder",
    "channel": "text",
    "language": "en",
    "variant": "",
    "type_id": "0",
    "site_id": "0",
}
HABITS = {
    "runs": "1",
    "texts_a_minute": "300",
    "recalls_an_hour": "20",
    "call_tries": "2",
    "call_minutes": "30",
    "cancel_hours": "24",
    "cents_a_text": "2",
    "address": "",
}
OPENED = "/setup/messages?event=reminder&channel=text"


@pytest.fixture
def booked(desk: Desk) -> int:
    """Tamsin's visit in three days, of which the rule speaks tomorrow."""
    patient = add_patient(desk, first="Tamsin")
    return book_visit(desk, JUNO, order(patient, 1, "14:00", "Filling", day=TODAY + timedelta(days=3)))


def test_every_message_has_a_row_and_nothing_goes_before_it_is_switched_on(sam: Browser, desk: Desk) -> None:
    page = sam.get("/setup/messages").text
    assert all(kind.name in page for kind in EVENTS.values()) and "nothing goes out by itself" in page
    page = after(sam, "/setup/messages/habits", **HABITS)
    assert "they go out by themselves" in page
    desk.read_setup()
    assert habits_of(desk.clinic).runs and habits_of(desk.clinic).since


@pytest.mark.parametrize(
    ("field", "typed", "why"),
    [
        ("texts_a_minute", "0", "whole number from 1"),
        ("cancel_hours", "often", "whole number"),
        ("address", "visits.example.org", "https://"),
        ("call_tries", "9", "from 1 to 3"),
    ],
)
def test_a_wrong_number_is_told_beside_its_field(sam: Browser, field: str, typed: str, why: str) -> None:
    page = sam.post("/setup/messages/habits", **HABITS | {field: typed})
    assert page.status_code == 422 and why in page.text and f'value="{typed}"' in page.text


def test_a_rule_is_read_as_people_type_it(sam: Browser, desk: Desk) -> None:
    page = after(
        sam,
        "/setup/messages/rule",
        **CELL,
        runs="1",
        lead="3 days before at 9",
        again="2 hours before",
        version="0",
    )
    assert "3 days before at 9:00 am" in page and "2 hours before" in page
    row = rows_of(desk, "SELECT lead, again, runs FROM notice_rule")[0]
    assert row == {"lead": "3 day before 540", "again": "2 hour before 0", "runs": 1}
    stale = sam.post("/setup/messages/rule", **CELL, runs="0", lead="1 day before", again="", version="0")
    assert stale.status_code == 409 and "Someone changed this rule" in stale.text


@pytest.mark.parametrize(
    ("lead", "again", "why"),
    [
        ("1 day after at 9", "", "before the visit begins"),
        ("whenever", "", "Say when"),
        ("1 day before at 9", "2 days before at 9", "has to come after"),
    ],
)
def test_a_lead_that_cannot_be_is_refused_and_stays_typed(
    sam: Browser, lead: str, again: str, why: str
) -> None:
    page = sam.post("/setup/messages/rule", **CELL, runs="1", lead=lead, again=again, version="0")
    assert page.status_code == 422 and why in page.text and f'value="{lead}"' in page.text


def test_a_visit_type_gets_a_rule_of_its_own_and_loses_it(sam: Browser, desk: Desk) -> None:
    kind = scalar(desk, "SELECT id FROM visit_type WHERE name = 'Hygiene'")
    own = CELL | {"type_id": str(kind)}
    page = after(
        sam, "/setup/messages/rule", **own, runs="1", lead="4 days before at 9", again="", version="0"
    )
    assert "This has its own rule" in page and "1 exception" in page
    page = after(sam, "/setup/messages/rule/drop", **own)
    assert "1 exception" not in page and scalar(desk, "SELECT COUNT(*) FROM notice_rule") == 0
    assert sam.post("/setup/messages/rule/drop", **CELL).status_code == 422


def test_the_preview_shows_a_real_visit_and_how_long_it_is(sam: Browser, booked: int) -> None:
    page = sam.post("/setup/messages/preview", **CELL, body="Hi {first}, see you {day}.", subject="").text
    assert "Hi Tamsin, see you Fri, Nov 27." in page and "of 160 characters" in page
    page = sam.post("/setup/messages/preview", **CELL, body="Hi {first} 🦷", subject="").text
    assert "of 70 characters" in page and "🦷 makes it longer" in " ".join(page.split())
    page = sam.post("/setup/messages/preview", **CELL, body="Hi {nickname}", subject="").text
    assert "{nickname} isn’t a place we can fill" in page


def test_the_preview_counts_whom_it_pushes_over_one_text(sam: Browser, desk: Desk, booked: int) -> None:
    only(desk, (Event.REMINDER, Channel.TEXT, "2 days before at 4:00 pm"))
    page = sam.post("/setup/messages/preview", **CELL, body="x" * 170 + "{first}", subject="").text
    assert "1 of tomorrow’s 1 takes more than one message" in " ".join(page.split())


def test_words_are_kept_with_their_versions_and_go_back_to_the_original(
    sam: Browser, desk: Desk, booked: int
) -> None:
    page = after(sam, "/setup/messages/words", **CELL, body="Hi {first}, {day}. YES?", subject="")
    assert "Saved." in page and "Hi {first}, {day}. YES?" in page and "Back to the original" in page
    page = after(sam, "/setup/messages/words", **CELL, body="y" * 200, subject="")
    assert "costs 2 times as much" in page
    page = after(sam, "/setup/messages/original", **CELL)
    assert "this is {clinic}. See you {day}" in page
    assert "3 earlier versions" in page and "Sam Quill" in page
    assert scalar(desk, "SELECT COUNT(*) FROM notice_words") == 3


@pytest.mark.parametrize("body", ["", "Hi {nobody}", "z" * 481])
def test_words_that_cannot_go_are_not_kept_and_stay_typed(sam: Browser, desk: Desk, body: str) -> None:
    page = sam.post("/setup/messages/words", **CELL, body=body, subject="")
    assert page.status_code == 422 and "aria-invalid" in page.text
    assert scalar(desk, "SELECT COUNT(*) FROM notice_words") == 0


def test_a_language_without_words_of_its_own_says_which_go_out(sam: Browser, desk: Desk) -> None:
    kind = scalar(desk, "SELECT id FROM visit_type WHERE name = 'Hygiene'")
    after(
        sam,
        "/setup/messages/words",
        **CELL | {"type_id": str(kind)},
        body="Clean teeth soon, {first}",
        subject="",
    )
    spanish = sam.get(f"{OPENED}&type_id={kind}&language=es").text
    assert "Responda SI para confirmar" in spanish


def test_a_test_goes_to_oneself_with_a_real_visit(sam: Browser, desk: Desk, booked: int) -> None:
    page = after(sam, "/setup/messages/test", **CELL, body="Hi {first}", subject="", to="360 555 0199")
    assert "The test is on its way." in page
    row = rows_of(desk, "SELECT address, words, event, patient_id FROM message")[0]
    assert row == {"address": "3605550199", "words": "Hi Tamsin", "event": "test", "patient_id": None}
    for to in ("", "12"):
        assert sam.post("/setup/messages/test", **CELL, body="Hi", subject="", to=to).status_code == 422


HOURS: dict[str, Any] = {
    "weekdays_from": "8:00 am",
    "weekdays_to": "8:00 pm",
    "saturday_from": "10 am",
    "saturday_to": "6 pm",
    "sunday_from": "",
    "sunday_to": "",
}


def test_hours_are_kept_by_kind_of_day(sam: Browser, desk: Desk) -> None:
    after(sam, "/setup/messages/hours", **HOURS)
    desk.read_setup()
    quiet = quiet_hours(desk.clinic)
    assert (quiet.saturday.begins, quiet.saturday.ends) == (600, 1080)
    assert quiet.sunday.begins == quiet.sunday.ends
    page = sam.post("/setup/messages/hours", **HOURS | {"weekdays_to": "8:15 am"})
    assert page.status_code == 422 and "at least an hour" in page.text and "8:15 am" in page.text
    page = sam.post("/setup/messages/hours", **HOURS | {"weekdays_from": "", "weekdays_to": ""})
    assert page.status_code == 422


def test_what_goes_tomorrow_is_seen_beforehand_with_who_gets_none(
    sam: Browser, desk: Desk, booked: int
) -> None:
    only(desk, (Event.REMINDER, Channel.TEXT, "2 days before at 4:00 pm"))
    silent = add_patient(desk, first="Otto", phone="3605550102", texts_to="none")
    book_visit(desk, JUNO, order(silent, 1, "15:00", "Filling", day=TODAY + timedelta(days=3)))
    page = " ".join(sam.get("/setup/messages/ahead").text.split())
    assert "Tamsin Vasquez" in page and "4:00 pm" in page and "See you Fri, Nov 27, 2:00 pm" in page
    assert "wants no texts" in page and "Otto Vasquez" in page
    assert scalar(desk, "SELECT COUNT(*) FROM message") == 0
    assert "Nothing is due that day." in sam.get("/setup/messages/ahead?day=2026-12-20").text
    assert sam.get("/setup/messages/ahead?day=soon").status_code == 404


def test_only_the_manager_changes_messages(juno: Browser) -> None:
    assert juno.get("/setup/messages").status_code == 403
    assert juno.post("/setup/messages/habits", **HABITS).status_code == 403


@pytest.mark.parametrize("event", ["nothing", "", "reminder' OR 1=1"])
def test_a_message_that_is_not_there_is_not_found(sam: Browser, event: str) -> None:
    assert sam.get(f"/setup/messages?event={event}&channel=text").status_code == 200
    for path in ("words", "rule", "original", "test", "preview"):
        assert sam.post(f"/setup/messages/{path}", **CELL | {"event": event}).status_code == 404


def test_the_connections_are_tried_and_say_what_is_wrong(
    sam: Browser, monkeypatch: pytest.MonkeyPatch
) -> None:
    page = sam.post("/setup/messages/doors").text
    assert page.count("the gateway answers.") == 2

    def away(self: FakeTexts, key: str) -> bool:
        raise OutsideTrouble("The text gateway can’t be reached (ConnectError).")

    monkeypatch.setattr(FakeTexts, "knows", away)
    page = sam.post("/setup/messages/doors").text
    assert "Texts: The text gateway can’t be reached (ConnectError)." in " ".join(page.split())


def test_the_secret_is_kept_sealed_and_never_shown(sam: Browser, desk: Desk) -> None:
    secret = "s3cret-of-the-text-gateway"
    page = after(sam, "/setup/messages/secret", secret=secret)
    assert "kept, not shown" in page and secret not in page
    kept = scalar(desk, "SELECT value FROM setting WHERE name = 'gateway'")
    assert kept and secret not in str(kept)
    assert sam.post("/setup/messages/secret", secret="short").status_code == 422
