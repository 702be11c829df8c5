"""Asking for a time as somebody does on a phone, without script: what, when, who, the code, the page
after.
"""

from __future__ import annotations

import re
from datetime import timedelta

import icalendar
import pytest
from fastapi.testclient import TestClient

from tests.conftest import JUNO, TODAY, TYPE_ID, add_patient, rows_of, scalar
from tests.desk.online.test_asking import code
from tests.web.conftest import Browser
from tests.web.followup.test_offer_pages import after
from zax.desk.acts.transaction import Desk
from zax.desk.book.web_requests import accept_requests
from zax.desk.online.habits import online_habits

SICK = TYPE_ID["Sick visit"]
DAY = TODAY + timedelta(days=7)
TIME = f"1|{DAY}|840|5"
WHO = {
    "type": SICK,
    "who": "",
    "time": TIME,
    "first": "Tamsin",
    "last": "Ellery",
    "birth": "3/14/1988",
    "phone": "360 555 0137",
    "message": "",
}


def asks(web: Browser, desk: Desk, **changes: object) -> str:
    """All the way; the address of the page after."""
    at = web.post("/ask/who", **WHO | changes).headers["location"]
    return str(web.post(at, code=code(desk)).headers["location"])


def test_from_what_to_the_page_after(web: Browser, desk: Desk) -> None:
    page = web.get("/ask").text
    assert "What do you need?" in page and "I feel sick" in page and "Root canal" not in page
    page = web.get(f"/ask/times?type={SICK}&first={DAY}").text
    assert f'value="1|{DAY}|' in page and "Soonest" in page and "Dr. Abernathy" in page
    page = web.get(f"/ask/who?type={SICK}&time={TIME}").text
    assert "Tue, Dec 1, 2:00 pm" in page and "I feel sick, Dr. Hollis Abernathy" in page
    page = web.get(asks(web, desk)).text
    assert "You asked for" in page and "<b>Tamsin Ellery</b>" in page and "We confirm by text" in page
    assert scalar(desk, "SELECT state FROM visit") == "held"
    accept_requests(desk, JUNO, [scalar(desk, "SELECT id FROM visit")])
    link = scalar(desk, "SELECT link FROM online_request")
    assert "You are booked" in web.get(f"/ask/done/{link}").text
    file = web.get(f"/ask/done/{link}/visit.ics")
    (event,) = icalendar.Calendar.from_ical(file.content).walk("VEVENT")
    assert event.decoded("dtstart").isoformat() == "2026-12-01T14:00:00-08:00"
    assert "Canceled" in after(web, f"/ask/done/{link}")
    assert scalar(desk, "SELECT state FROM visit") == "canceled"


def test_another_time_is_taken_on_its_page(web: Browser, desk: Desk) -> None:
    page = asks(web, desk)
    move = page.replace("/done/", "/move/")
    assert move in web.get(page).text
    shown = web.get(f"{move}?first={DAY}").text
    assert "Your time stays yours until you have the new one." in shown and f'action="{move}"' in shown
    none = web.post(move)
    assert none.status_code == 422 and "Choose a time first." in none.text
    assert "4:00 pm" in after(web, move, time=f"1|{DAY}|960|5")
    gone = web.post(move, time=f"1|{TODAY}|600|5")
    assert gone.status_code == 422 and "That time is gone." in gone.text
    assert web.get("/ask/move/nothing").status_code == 404
    after(web, page)
    assert web.get(move).status_code == 422 and "Canceled" in web.get(move).text


def test_in_spanish_it_stays_spanish(web: Browser, desk: Desk) -> None:
    assert "¿Qué necesita?" in web.get("/ask?lang=es").text
    page = web.get(f"/ask/times?type={SICK}&first={DAY}").text
    assert "¿Cuándo le va bien?" in page and "mar 1 dic" in page
    at = web.post("/ask/who", **WHO).headers["location"]
    assert "Escriba los 6 números" in web.get(at).text
    assert "es su codigo" in scalar(desk, "SELECT words FROM message WHERE event = 'code'")
    assert "What do you need?" in web.get("/ask?lang=en").text


def test_what_is_wrong_stands_beside_its_field_with_what_was_typed(web: Browser, desk: Desk) -> None:
    page = web.post("/ask/who", **WHO | {"phone": "555", "birth": "soon", "first": "<b>"})
    assert page.status_code == 422 and 'value="soon"' in page.text and 'value="&lt;b&gt;"' in page.text
    assert page.text.count('class="ol-err"') == 2
    at = web.post("/ask/who", **WHO).headers["location"]
    page = web.post(at, code="000000" if code(desk) != "000000" else "111111")
    assert page.status_code == 422 and "That isn’t the code" in page.text
    assert "A new code is on its way." in web.get(web.post(at, do="again").headers["location"]).text
    assert scalar(desk, "SELECT COUNT(*) FROM message WHERE event = 'code'") == 2


def test_a_time_that_went_meanwhile_is_said_and_another_browser_sees_nothing(
    web: Browser, desk: Desk
) -> None:
    at = web.post("/ask/who", **WHO).headers["location"]
    right = code(desk)
    with TestClient(web.client.app, base_url="http://127.0.0.1") as client:
        other = Browser(client)
        assert "isn’t there anymore" in other.get(at).text
        assert other.post(at, code=right).status_code == 404
        asks(other, desk, first="Otto", phone="360 555 0138")
    gone = web.post(at, code=right)
    assert gone.status_code == 422 and "That time is gone." in gone.text
    assert scalar(desk, "SELECT COUNT(*) FROM visit") == 1


@pytest.mark.parametrize(
    "address",
    [
        "/ask/times",
        "/ask/times?type=999",
        f"/ask/times?type={TYPE_ID['Root canal']}",
        "/ask/who?type=1&time=1|2026-02-30|840|5",
        "/ask/who?type=1&time=9|2026-12-01|840|5",
        "/ask/who?type=999&time=1|2026-12-01|840|5",
        "/ask/code/999",
        "/ask/done/nothing",
        "/ask/done/nothing/visit.ics",
    ],
)
def test_what_isnt_there_says_nothing_of_anybody(web: Browser, desk: Desk, address: str) -> None:
    add_patient(desk)
    answer = web.get(address)
    assert answer.status_code in {404, 422} and "Vasquez" not in answer.text


def test_nothing_chosen_asks_again_and_far_weeks_end(web: Browser) -> None:
    page = web.get(f"/ask/who?type={SICK}")
    assert page.status_code == 422 and "Choose a time first." in page.text
    far = web.get(f"/ask/times?type={SICK}&first=2199-01-01").text
    assert "Later" not in far and "Earlier" in far
    assert (
        "No times this week."
        in web.get(f"/ask/times?type={SICK}&first=2026-12-25&provider=5&part=evenings").text
    )


def test_no_page_takes_more_than_150_kb_of_its_own_and_none_is_cached(web: Browser) -> None:
    page = web.get(f"/ask/times?type={SICK}")
    own = re.findall(r'href="(/static/[^"]+\.css)"', page.text)
    assert own and "script" not in page.text
    assert len(page.content) + sum(len(web.get(each).content) for each in own) < 150_000
    assert (
        page.headers["cache-control"] == "no-store"
        and "frame-ancestors" in page.headers["content-security-policy"]
    )


def test_a_form_that_isnt_ours_is_refused(web: Browser, desk: Desk) -> None:
    answer = web.client.post("/ask/who", data={k: str(v) for k, v in WHO.items()}, follow_redirects=False)
    assert answer.status_code in {403, 409, 419} and rows_of(desk, "SELECT id FROM online_request") == []


def test_the_setup_switches_it_and_prints_the_code(sam: Browser, desk: Desk) -> None:
    form = {"runs": "1", "days_ahead": "30", "hours_before": "4", "most_a_day": "6"}
    wrong = sam.post("/setup/online", **form | {"days_ahead": "0"})
    assert wrong.status_code == 422 and 'value="0"' in wrong.text
    after(sam, "/setup/online", **form)
    assert online_habits(desk.clinic).days_ahead == 30
    assert sam.get("/setup/online/code.svg").status_code == 404  # no address yet
    page = sam.get("/setup/messages").text
    assert "Asking online" in sam.get("/setup").text and page
    after(sam, "/setup/online", **form | {"runs": "0"})
    assert "Nothing can be asked for online" in sam.get("/ask").text


def test_the_desk_sees_who_asked_with_what_is_odd(juno: Browser, desk: Desk) -> None:
    add_patient(desk, first="Tamsin", last="Ellery", phone="3605550199")
    asks(juno, desk, birth="5/3/1984")
    page = " ".join(juno.get("/requests").text.split())
    assert "Tamsin Ellery" in page and "new online" in page and "may be Tamsin Ellery" in page
