"""The Inbox over HTTP: what waits, answering it, moving as asked, taking back; a patient's messages; the link
page.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

import pytest
from sqlalchemy import event

from tests.conftest import (
    JUNO,
    RAVI,
    SAM,
    add_patient,
    at,
    order,
    rows_of,
    scalar,
)
from tests.desk.followup.test_offers import OPENING, waits
from tests.desk.inbox.test_answers import ADA, says, state
from tests.desk.notices.made import log, only
from tests.desk.notices.test_planning import DAY, texts, visit, works
from tests.fakes import FakeTexts
from tests.web.conftest import Browser
from tests.web.followup.test_offer_pages import after
from zax.clock import ShiftedClock
from zax.core.errors import Refused
from zax.core.messages.channel import Channel
from zax.core.messages.news import News, What
from zax.core.notices.events import Event
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.followup.hand_overs import HandOverForm, give
from zax.desk.followup.offers import make_offer
from zax.desk.inbox.inbox import inbox_rows, take_row
from zax.desk.inbox.news import take_news
from zax.desk.notices import rules
from zax.desk.tablet.arriving import at_tablet, find_oneself
from zax.desk.tablet.tablets import end_tablet, make_tablet, set_up
from zax.outside.doors import Outside
from zax.store.messages.messages import change_message


@pytest.fixture
def gateway(outside: Outside) -> FakeTexts:
    assert isinstance(outside.texts, FakeTexts)
    return outside.texts


@pytest.fixture
def reminded(desk: Desk, clock: ShiftedClock, outside: Outside) -> int:
    """Ada's visit, of which she was reminded by text and mail two days before."""
    only(
        desk,
        (Event.REMINDER, Channel.TEXT, "2 days before at 4:00 pm"),
        (Event.REMINDER, Channel.EMAIL, "2 days before at 4:00 pm"),
    )
    found = visit(desk, add_patient(desk, first="Ada", phone=ADA))
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    works(desk, outside)
    return found


def asked(desk: Desk, gateway: FakeTexts, words: str = "can we do 3 instead?") -> int:
    return int(says(desk, gateway, words)["id"])


def test_an_unclear_text_waits_with_times_near_what_was_asked(
    juno: Browser, desk: Desk, reminded: int, gateway: FakeTexts
) -> None:
    number = asked(desk, gateway)
    page = juno.get("/inbox").text
    assert "1 to answer" in page and "can we do 3 instead?" in page and "Ada Vasquez" in page
    page = " ".join(juno.get(f"/inbox?open=text-{number}").text.split())
    assert "Move to Tue, Dec 1, 3:00 pm" in page and "same person, and tell them so" in page
    assert "Hi Ada, we have 1: Tue, Dec 1, 3:00 pm with Dr. Calloway" in page


def test_one_press_moves_it_as_asked_and_tells_them(
    juno: Browser, desk: Desk, reminded: int, gateway: FakeTexts, outside: Outside
) -> None:
    number = asked(desk, gateway)
    form = {"row": f"text-{number}", "of": "", "next": "", "day": str(DAY), "at": "15:00", "provider_id": "1"}
    page = after(juno, f"/inbox/texts/{number}/move", **form)
    assert "Moved to Tue, Dec 1, 3:00 pm, and Ada is told." in page and "Nothing waits." in page
    assert scalar(desk, f"SELECT start_min FROM visit WHERE id = {reminded}") == 15 * 60
    works(desk, outside)
    assert texts(outside)[-1][1].startswith("Done, Ada: your visit is now Tue, Dec 1, 3:00 pm.")
    again = juno.post(f"/inbox/texts/{number}/move", **form)
    assert again.status_code == 409 and "Someone has seen to this text already" in again.text


def test_a_time_that_is_gone_by_then_moves_nothing(
    juno: Browser, desk: Desk, reminded: int, gateway: FakeTexts
) -> None:
    number = asked(desk, gateway)
    visit(desk, add_patient(desk, first="Bram", phone="3605550102"), "15:00")
    form = {"row": f"text-{number}", "day": str(DAY), "at": "15:00", "provider_id": "1"}
    page = juno.post(f"/inbox/texts/{number}/move", **form)
    assert page.status_code == 409 and "is taken 3:00 to 3:40 pm by Bram" in page.text
    assert scalar(desk, "SELECT COUNT(*) FROM text_reply WHERE done_at IS NULL") == 1


def test_an_answer_by_hand_goes_out_and_settles_all_their_texts(
    juno: Browser, desk: Desk, reminded: int, gateway: FakeTexts, outside: Outside
) -> None:
    asked(desk, gateway)
    number = asked(desk, gateway, "hello?")
    patient = scalar(desk, "SELECT id FROM patient WHERE first = 'Ada'")
    empty = juno.post(f"/inbox/write/{patient}", row=f"text-{number}", of="", next="", words=" ")
    assert empty.status_code == 422 and "Write something first." in empty.text
    page = after(
        juno, f"/inbox/write/{patient}", row=f"text-{number}", of="", next="", words="Yes, see you at 3!"
    )
    assert "On its way." in page and "Nothing waits." in page
    works(desk, outside)
    assert texts(outside)[-1] == (ADA, "Yes, see you at 3!")
    assert scalar(desk, "SELECT COUNT(*) FROM text_reply WHERE done_words = 'answered by text'") == 2


def test_the_length_of_an_answer_is_shown_as_it_is_typed(
    juno: Browser, desk: Desk, reminded: int, gateway: FakeTexts
) -> None:
    page = juno.get(f"/inbox?open=text-{asked(desk, gateway)}").text
    assert 'hx-post="/inbox/length"' in page
    plain = " ".join(juno.post("/inbox/length", words="a" * 161).text.split())
    assert "<b>161</b> of 306 characters, <b>2</b> messages, 4¢" in plain and "all plain letters" in plain
    one = " ".join(juno.post("/inbox/length", words="línea\r\n").text.split())
    assert "<b>6</b> of 70 characters, <b>1</b> message, 2¢" in one and "í makes it longer" in one
    assert "<b>0</b> messages, 0¢" in " ".join(juno.post("/inbox/length", words="").text.split())


def test_six_texts_cost_the_inbox_no_more_questions_than_one(
    desk: Desk, reminded: int, gateway: FakeTexts
) -> None:
    def questions() -> int:
        seen: list[str] = []

        def count(_c: object, _cursor: object, statement: str, *_: object) -> None:
            seen.append(statement)

        event.listen(desk.engine, "before_cursor_execute", count)
        with desk.engine.connect() as connection:
            rows = inbox_rows(connection, desk.clinic, 1, JUNO.id or 0, JUNO.role, desk.clock.now())
        event.remove(desk.engine, "before_cursor_execute", count)
        assert [each.visit_id for each in rows] == [reminded]
        return len(seen)

    asked(desk, gateway)
    few = questions()
    for _ in range(5):
        asked(desk, gateway)
    assert questions() == few


def test_a_colleagues_row_is_looked_at_only(
    juno: Browser, desk: Desk, reminded: int, gateway: FakeTexts
) -> None:
    number = asked(desk, gateway)
    take_row(desk, RAVI, f"text-{number}")
    assert "Ravi Teller is answering" in juno.get("/inbox").text
    assert "look only" in juno.get(f"/inbox?open=text-{number}").text
    assert "Ravi Teller is answering this." in juno.post("/inbox/lock", row=f"text-{number}").text


def test_everything_from_outside_is_in_one_list_what_runs_out_first_on_top(
    juno: Browser, desk: Desk, reminded: int, gateway: FakeTexts, clock: ShiftedClock
) -> None:
    asked(desk, gateway)
    key = next(row["request_key"] for row in log(desk) if row["channel"] == "email")
    take_news(desk, News(key, What.FAILED, "no such mailbox"))
    person = waits(desk, "Noor", 7)
    give(desk, SAM, HandOverForm(about=f"patient-{person}", to="user-1", words="call her about the forms"))
    held = book_visit(
        desk,
        JUNO,
        order(
            add_patient(desk, first="Jonah", phone="3605550109"),
            1,
            "9:00",
            "Filling",
            day=DAY,
            held_until=at(17, 0, DAY - timedelta(days=2)),
        ),
    )
    page = juno.get("/inbox").text
    places = [
        page.index(each) for each in ("can we do 3", "Accept 9:00 am", "call her about", "no such mailbox")
    ]
    assert places == sorted(places), places
    assert "4 to answer" in page and 'id="rail-inbox" data-live>4' in " ".join(page.split())
    assert "Accept 9:00 am" not in juno.get("/inbox?of=text").text
    after(juno, "/requests", visit=str(held), do="accept", back="/inbox")
    assert "3 to answer" in juno.get("/inbox").text


def test_what_was_done_by_itself_is_below_and_taken_back(
    juno: Browser, desk: Desk, reminded: int, gateway: FakeTexts
) -> None:
    row = says(desk, gateway, "YES")
    page = juno.get("/inbox").text
    assert "Done by themselves" in page and "1 today" in page and "confirmed" in page
    page = after(juno, f"/inbox/texts/{row['id']}/take-back", of="")
    assert "Undone." in page and state(desk, reminded) == "booked" and "1 to answer" in page


def test_a_call_nobody_took_is_seen_to(
    juno: Browser, desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    only(desk, (Event.REMINDER, Channel.CALL, "1 day before at 5:30 pm"))
    rules.keep_habits(desk, SAM, replace(rules.habits_of(desk.clinic), call_tries=1))
    visit(desk, add_patient(desk, first="Cy", phone=ADA))
    clock.set_to(at(17, 30, DAY - timedelta(days=1)))
    works(desk, outside)
    (row,) = log(desk)
    take_news(desk, News(row["request_key"], What.NO_ANSWER))
    page = juno.get(f"/inbox?open=call-{row['id']}").text
    assert "No one picked up, so someone has to call" in page and "(360) 555-0101" in page
    page = after(
        juno, f"/inbox/calls/{row['id']}/done", row=f"call-{row['id']}", of="", next="", did="he comes"
    )
    assert "Nothing waits." in page
    again = juno.post(f"/inbox/calls/{row['id']}/done", row="", of="", next="", did="")
    assert again.status_code == 409


def test_a_question_about_an_opening_leads_to_its_offer(
    juno: Browser, desk: Desk, gateway: FakeTexts
) -> None:
    waits(desk, "Ada", 1)
    offer = make_offer(desk, JUNO, OPENING)
    says(desk, gateway, "how long would it take?")
    page = juno.get("/inbox").text
    assert "about an opening" in page
    number = scalar(desk, "SELECT id FROM offer_person")
    assert f"/offers/{offer}" in juno.get(f"/inbox?open=offer-{number}").text


def test_a_patients_page_shows_all_that_was_said_and_what_became_of_it(
    juno: Browser, desk: Desk, reminded: int, gateway: FakeTexts, outside: Outside
) -> None:
    says(desk, gateway, "YES")
    works(desk, outside)
    patient = scalar(desk, "SELECT id FROM patient WHERE first = 'Ada'")
    assert f"/patients/{patient}/messages" in juno.get(f"/patients/{patient}").text
    page = " ".join(juno.get(f"/patients/{patient}/messages").text.split())
    assert "See you on Tue, Dec 1" in page and "Reply YES to confirm" in page
    assert "Thank you, you&#39;re confirmed" in page and "Reminder: 2 days before at 4:00 pm" in page
    page = after(juno, f"/inbox/write/{patient}", back=f"/patients/{patient}/messages", words="See you then")
    assert "See you then" in page and "waiting to go" in page
    long = juno.post(f"/inbox/write/{patient}", back=f"/patients/{patient}/messages", words="x" * 481)
    assert long.status_code == 422 and "Keep it to 480" in long.text
    assert juno.get("/patients/999999/messages").status_code == 404


def test_who_wants_no_texts_is_not_written_to_by_hand_either(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk, texts_to="none")
    assert "Can’t be texted: wants no texts." in juno.get(f"/patients/{patient}/messages").text
    page = juno.post(f"/inbox/write/{patient}", back=f"/patients/{patient}/messages", words="Hi")
    assert page.status_code == 422 and scalar(desk, "SELECT COUNT(*) FROM message") == 0


def link_of(desk: Desk) -> str:
    return str(rows_of(desk, "SELECT link FROM message WHERE channel = 'email'")[0]["link"])


def test_the_link_page_does_nothing_until_it_is_pressed(web: Browser, desk: Desk, reminded: int) -> None:
    link = link_of(desk)
    for _ in range(3):
        page = web.get(f"/v/{link}")
        assert page.status_code == 200 and "Tue, Dec 1, 2:00 pm" in page.text
    assert state(desk, reminded) == "booked"
    page = web.post(f"/v/{link}", what="yes")
    assert "You’re confirmed" in page.text and state(desk, reminded) == "confirmed"
    moved = rows_of(desk, "SELECT reason FROM track_move WHERE to_stop = 'confirmed'")
    assert moved == [{"reason": "by link: “pressed on the page”"}]
    assert scalar(desk, "SELECT COUNT(*) FROM message WHERE opened_at IS NOT NULL") == 1


def test_the_link_cancels_where_replies_may_and_is_gone_then(web: Browser, desk: Desk, reminded: int) -> None:
    link = link_of(desk)
    page = web.post(f"/v/{link}", what="no")
    assert "It’s canceled" in page.text and state(desk, reminded) == "canceled"
    assert web.get(f"/v/{link}").status_code == 404


def test_on_the_day_the_page_carries_a_code_for_a_tablet_of_the_site_that_finds_the_visit(
    web: Browser, desk: Desk, reminded: int, clock: ShiftedClock
) -> None:
    other, here = (set_up(desk, make_tablet(desk, SAM, "Door", site)) for site in (2, 1))
    assert "<svg" not in web.get(f"/v/{link_of(desk)}").text
    clock.set_to(at(12, 0, DAY))
    page = web.get(f"/v/{link_of(desk)}").text
    assert "<svg" in page and "Hold this up to its reader." in page
    find_oneself(desk, here, "", "", f"http://127.0.0.1/v/{link_of(desk)}")
    assert at_tablet(desk, here).visit.id == reminded
    with pytest.raises(Refused):
        find_oneself(desk, other, "", "", link_of(desk))
    for number in rows_of(desk, "SELECT id FROM tablet WHERE site_id = 1"):
        end_tablet(desk, SAM, number["id"])
    assert "<svg" not in web.get(f"/v/{link_of(desk)}").text


def test_too_late_to_cancel_is_said_in_their_language(
    web: Browser, desk: Desk, reminded: int, clock: ShiftedClock
) -> None:
    clock.set_to(at(16, 0, DAY - timedelta(days=1)))
    assert "cancel it" not in web.get(f"/v/{link_of(desk)}").text
    page = web.post(f"/v/{link_of(desk)}", what="no")
    assert page.status_code == 422 and "too close to your visit" in page.text
    assert state(desk, reminded) == "booked"
    assert web.post(f"/v/{link_of(desk)}", what="maybe").status_code == 422


@pytest.mark.parametrize("link", ["x", "a" * 24, "%00", "é" * 30])
def test_a_wrong_link_says_nothing_of_anybody(web: Browser, desk: Desk, reminded: int, link: str) -> None:
    page = web.get(f"/v/{link}")
    assert page.status_code == 404 and "Ada" not in page.text


def test_a_text_that_answers_nothing_is_read_escaped_and_seen_to_once(
    juno: Browser, desk: Desk, gateway: FakeTexts
) -> None:
    add_patient(desk, first="Milo", phone="3605550123")
    number = says(desk, gateway, "are <b>you</b> open saturdays?", "3605550123")["id"]
    page = juno.get(f"/inbox?open=text-{number}").text
    assert page.count("are &lt;b&gt;you&lt;/b&gt; open saturdays?") == 2 and "A question, so someone" in page
    form = {"row": f"text-{number}", "of": "", "next": "", "did": "called back"}
    assert "Done." in after(juno, f"/inbox/texts/{number}/done", **form)
    assert juno.post(f"/inbox/texts/{number}/done", **form).status_code == 409
    assert juno.post("/inbox/texts/99999/done", **form).status_code == 404
    assert "Someone has answered that already." in juno.get(f"/inbox?open=text-{number}").text


def test_a_text_instead_of_a_call_is_an_answer_to_it(
    juno: Browser, desk: Desk, reminded: int, outside: Outside
) -> None:
    message = scalar(desk, "SELECT id FROM message WHERE channel = 'text'")
    patient = scalar(desk, "SELECT patient_id FROM visit")
    with desk.engine.begin() as connection:
        change_message(connection, message, asks="no_one", state_at=desk.clock.now())
    assert f"call-{message}" in juno.get("/inbox").text
    form = {"row": f"call-{message}", "of": "", "next": "", "words": "Could you call us?"}
    after(juno, f"/inbox/write/{patient}", **form)
    assert f"call-{message}" not in juno.get("/inbox").text
