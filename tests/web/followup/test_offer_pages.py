"""Offers over HTTP: made from the Book, answered on the page, seen on the Book, the setup."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

import pytest

from tests.conftest import JUNO, TODAY, add_patient, order, scalar
from tests.desk.followup.test_offers import OPENING, TOMORROW, of, people, places, says, waits
from tests.web.conftest import Browser
from zax.core.followup.offer import Place, Stand
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.book.cancellation import take_off
from zax.desk.followup.offers import make_offer

NEW = f"/offers/new?provider=1&day={TOMORROW}&at=14:00&minutes=40"
FORM = {"provider": "1", "site_id": "1", "day": str(TOMORROW), "at": "14:00", "minutes": "40"}


def after(juno: Browser, path: str, **fields: object) -> str:
    """The page that a form leads to."""
    answer = juno.post(path, **fields)
    assert answer.status_code == 303, answer.text
    return str(juno.get(answer.headers["location"]).text)


def test_the_page_says_whom_and_why_before_anything_is_sent(juno: Browser, desk: Desk) -> None:
    waits(desk, "Ada", 1)
    waits(desk, "Otto", 2, texts_to="none")
    waits(desk, "Quiet", 3, reach={"recalls": {"by": "none", "since": "2026-01-01"}})
    page = juno.get(NEW).text
    assert "Text the first 2" in page and "an opening Wed, Nov 25, 2:00 pm, 40 min" in page
    assert "comes at short notice" in page and "fills it" in page
    assert "opted out of recalls" in page and "to call" in page
    assert scalar(desk, "SELECT COUNT(*) FROM offer") == 0


def test_it_is_offered_to_those_who_stay_ticked(juno: Browser, desk: Desk) -> None:
    ada, bram = waits(desk, "Ada", 1), waits(desk, "Bram", 2)
    page = after(juno, "/offers", **FORM, shown=[str(ada), str(bram)], **{"with": [str(bram)]})
    number = scalar(desk, "SELECT id FROM offer")
    assert "texted, no answer yet" in page and "skipped by JP" in page
    assert places(desk, number) == {"Ada": Place.SKIPPED, "Bram": Place.SENT}
    assert people(desk, number)["Ada"].skipped_why == "skipped by JP"
    assert juno.get(NEW).headers["location"] == f"/offers/{number}"


@pytest.mark.parametrize(
    "query",
    [
        "provider=99&day=2026-11-25&at=14:00",
        "provider=1&day=soon&at=14:00",
        "provider=1&day=2026-11-25&at=noonish",
        "provider=1&day=2026-11-25",
        "visit=99999",
    ],
)
def test_an_address_of_nothing_is_not_found(juno: Browser, query: str) -> None:
    assert juno.get(f"/offers/new?{query}").status_code == 404


def test_a_time_that_is_gone_says_so(juno: Browser, desk: Desk) -> None:
    waits(desk, "Ada", 1)
    book_visit(desk, JUNO, order(add_patient(desk), 1, "14:00", "Filling", day=TOMORROW))
    page = juno.get(NEW)
    assert page.status_code == 409 and "This time isn’t free anymore" in page.text
    page = juno.post("/offers", **FORM)
    assert page.status_code == 409 and scalar(desk, "SELECT COUNT(*) FROM offer") == 0
    assert juno.get("/offers/999").status_code == 404
    assert juno.post("/offers/999/stop").status_code == 404


def test_with_nobody_to_ask_the_page_says_what_to_do(juno: Browser) -> None:
    page = juno.get(NEW)
    assert page.status_code == 200 and "No one to offer it to" in page.text
    page = juno.post("/offers", **FORM)
    assert page.status_code == 422 and "No one to offer it to" in page.text


def test_what_they_ask_is_answered_with_what_stands_there(juno: Browser, desk: Desk) -> None:
    waits(desk, "Noor", 1)
    number = make_offer(desk, JUNO, OPENING)
    who = people(desk, number)["Noor"]
    says(desk, who, "how long would it take?")
    page = juno.get(f"/offers/{number}").text
    assert "“how long would it take?”" in page and 'value="40 minutes, out by 2:40 pm."' in page
    page = juno.post(f"/offers/{number}/people/{who.id}/write", words="  ")
    assert page.status_code == 422 and "Write what to answer." in page.text
    page = juno.post(f"/offers/{number}/people/{who.id}/write", words="ł" * 300)
    assert page.status_code == 422 and "ł" * 300 in page.text
    page = after(juno, f"/offers/{number}/people/{who.id}/write", words="About 40 minutes.")
    assert "Sent." in page and places(desk, number)["Noor"] == Place.SENT
    assert juno.post(f"/offers/{number}/people/{who.id}/sing").status_code == 404


def test_a_call_is_answered_by_its_buttons(juno: Browser, desk: Desk) -> None:
    waits(desk, "Otto", 1, texts_to="none")
    number = make_offer(desk, JUNO, OPENING)
    who = people(desk, number)["Otto"]
    page = after(juno, f"/offers/{number}/people/{who.id}/none")
    assert "Noted: no answer." in page and "(360) 555-0101" in page
    page = after(juno, f"/offers/{number}/people/{who.id}/yes")
    assert "Booked." in page and "taken" in page
    assert of(desk, number).stand == Stand.TAKEN
    assert juno.post(f"/offers/{number}/people/{who.id}/no").status_code == 409


def test_the_book_shows_it_and_the_old_time_is_offered_next(juno: Browser, desk: Desk) -> None:
    waits(desk, "Ada", 1)
    number = make_offer(desk, JUNO, OPENING)
    page = juno.get(f"/book?day={TOMORROW}").text
    assert f'href="/offers/{number}"' in page and "offered to 1" in page
    assert "Offer it to several people instead" in juno.get(f"/book?day={TOMORROW}&provider=1&at=09:00").text
    patient = add_patient(desk, first="Priti", phone="3605550104")
    later = TODAY + timedelta(days=7)
    book_visit(desk, JUNO, order(patient, 1, "10:00", "Filling", day=later, sooner="on"))
    second = make_offer(desk, JUNO, replace(OPENING, start=15 * 60))
    says(desk, people(desk, second)["Priti"], "yes")
    page = juno.get(f"/offers/{second}").text
    assert "Priti left" in page and f"day={later}&amp;at=10:00&amp;minutes=40" in page
    assert f'href="/offers/{second}"' not in juno.get(f"/book?day={TOMORROW}").text
    week = juno.get(f"/book?by=week&who=1&day={TOMORROW}").text
    assert f'href="/offers/{number}"' in week


def test_stopped_and_skipped_by_a_person(juno: Browser, desk: Desk) -> None:
    for number in range(5):
        waits(desk, f"P{number}", number)
    offer = make_offer(desk, JUNO, OPENING)
    last = next(each for each in people(desk, offer).values() if each.place == Place.WAITING)
    assert "Skipped." in after(juno, f"/offers/{offer}/people/{last.id}/skip")
    assert "Next in line." in after(juno, f"/offers/{offer}/people/{last.id}/join")
    assert "texted, no answer yet" in after(juno, f"/offers/{offer}/next")
    page = after(juno, f"/offers/{offer}/stop")
    assert "Whoever was texted is told" in page and "stopped" in page
    assert juno.post(f"/offers/{offer}/next").status_code == 409
    assert "stopped" in juno.get("/offers").text


def test_from_a_canceled_visit(juno: Browser, desk: Desk) -> None:
    waits(desk, "Ada", 1)
    visit = book_visit(desk, JUNO, order(add_patient(desk), 1, "14:00", "Filling", day=TOMORROW))
    take_off(desk, JUNO, visit, "declined", "")
    page = juno.get(f"/book?day={TOMORROW}&visit={visit}").text
    assert f"/offers/new?visit={visit}" in page
    assert "Text the first 1" in juno.get(f"/offers/new?visit={visit}").text


def test_the_desk_does_not_change_the_rules(juno: Browser) -> None:
    assert juno.get("/setup/offers").status_code == 403


def test_the_rules_are_kept_and_checked_beside_their_fields(sam: Browser) -> None:
    form = {"wave": "2", "minutes": "5", "most_a_week": "3", "until_before": "30", "within_days": "2"}
    page = after(sam, "/setup/offers", **form)
    assert "Saved." in page and "the next 2 days" in " ".join(page.split())
    page = sam.post("/setup/offers", **form | {"wave": "0"})
    assert page.status_code == 422 and "Enter a whole number from 1 to 20." in page.text
