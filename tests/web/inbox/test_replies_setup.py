"""How replies are understood, in Setup: their words, canceling by visit type, trying one out; and answering a
mail and sending a message again from the pages.
"""

from __future__ import annotations

from datetime import timedelta

import pytest

from tests.conftest import TYPE_ID, add_patient, at, rows_of, scalar
from tests.desk.inbox.test_answers import says
from tests.desk.inbox.test_mailbox import answers
from tests.desk.notices.made import log, only
from tests.desk.notices.test_planning import DAY, REMINDER, visit, works
from tests.fakes import FakeMail, FakeTexts
from tests.web.conftest import Browser
from tests.web.followup.test_offer_pages import after
from zax.clock import ShiftedClock
from zax.core.messages.channel import Channel
from zax.core.notices.events import Event
from zax.desk.acts.transaction import Desk
from zax.desk.inbox.mailbox import take_mail
from zax.desk.notices.mail import domain_of
from zax.desk.notices.rules import habits_of
from zax.outside.doors import Outside

PAGE = "/setup/messages/replies"


@pytest.fixture
def reminded(desk: Desk, clock: ShiftedClock, outside: Outside) -> int:
    only(desk, REMINDER, (Event.REMINDER, Channel.EMAIL, "2 days before at 4:00 pm"))
    made = visit(desk, add_patient(desk, first="Ada"))
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    works(desk, outside)
    return made


def test_a_word_of_their_own_confirms_from_then_on(
    sam: Browser, desk: Desk, reminded: int, outside: Outside
) -> None:
    assert isinstance(outside.texts, FakeTexts)
    page = after(sam, f"{PAGE}/words", yes="simon, orale pues")
    assert "Replies from now on are read this way." in page and 'value="simon, orale pues"' in page
    says(desk, outside.texts, "Simón!", "3605550148")
    assert scalar(desk, "SELECT state FROM visit") == "confirmed"


def test_what_is_understood_already_is_refused_beside_its_field(sam: Browser, desk: Desk) -> None:
    wrong = sam.post(f"{PAGE}/words", yes="cancel it for good", late="el bus")
    assert wrong.status_code == 422 and "this is understood already" in wrong.text
    assert 'value="cancel it for good"' in wrong.text and 'value="el bus"' in wrong.text
    assert "reply_words" not in desk.clinic.about


@pytest.mark.parametrize(
    ("said", "asked", "reads"),
    [
        ("yes", "reminder", "confirms the visit"),
        ("yes", "offer", "says yes to it"),
        ("running 10 late", "reminder", "running late: Day says so, where it says how late, 10 minutes"),
        ("yes but can we do 4", "reminder", "wants another time"),
        ("STOP", "none", "no more texts, at once"),
        ("my tooth is bleeding", "nonsense", "no rule is sure: goes to the Inbox. Someone may be in pain"),
    ],
)
def test_one_is_tried_out(sam: Browser, said: str, asked: str, reads: str) -> None:
    page = sam.client.get(PAGE, params={"try": said, "asked": asked}).text
    assert f"<b>“{said}”</b>: {reads}" in " ".join(page.split())
    assert "<script>x" not in sam.client.get(PAGE, params={"try": "<script>x"}).text


def test_canceling_by_visit_type(sam: Browser, desk: Desk, reminded: int, outside: Outside) -> None:
    assert isinstance(outside.texts, FakeTexts)
    name = f"hours_{TYPE_ID['Filling']}"
    wrong = sam.post(f"{PAGE}/cancel", **{name: "soon"})
    assert wrong.status_code == 422 and 'value="soon"' in wrong.text
    after(sam, f"{PAGE}/cancel", **{name: "never"})
    assert habits_of(desk.clinic).cancel_by_type == {str(TYPE_ID["Filling"]): -1}
    says(desk, outside.texts, "please cancel", "3605550148")
    assert scalar(desk, "SELECT state FROM visit") == "booked"
    after(sam, f"{PAGE}/cancel", **{name: "2"})
    says(desk, outside.texts, "please cancel", "3605550148")
    assert scalar(desk, "SELECT state FROM visit") == "canceled"
    after(sam, f"{PAGE}/cancel", **{name: ""})
    assert habits_of(desk.clinic).cancel_by_type == {}


def test_a_mail_is_answered_from_the_inbox(sam: Browser, desk: Desk, reminded: int, outside: Outside) -> None:
    mailed = next(row for row in log(desk) if row["channel"] == "email")
    take_mail(desk, answers(f"<{mailed['request_key']}@{domain_of(desk.clinic)}>", "Where do I <b>park</b>?"))
    number = scalar(desk, "SELECT id FROM text_reply")
    page = sam.get(f"/inbox?open=text-{number}").text
    assert (
        "Emails" in page
        and "Where do I &lt;b&gt;park&lt;/b&gt;?" in page
        and "Email helen@example.org" in page
    )
    form = {"row": f"text-{number}", "of": "", "next": "", "email": number, "words": ""}
    patient = mailed["patient_id"]
    empty = sam.post(f"/inbox/write/{patient}", **form)
    assert empty.status_code == 422 and "Write something first." in empty.text
    after(sam, f"/inbox/write/{patient}", **form | {"words": "Behind the building."})
    works(desk, outside)
    assert isinstance(outside.mail, FakeMail) and outside.mail.sent[-1]["To"] == "helen@example.org"
    assert "0 to answer" in sam.get("/inbox").text or "Nothing" in sam.get("/inbox").text


def test_a_message_is_sent_again_and_an_address_is_written_to_again(
    sam: Browser, desk: Desk, reminded: int
) -> None:
    text = next(row for row in log(desk) if row["channel"] == "text")
    patient = text["patient_id"]
    page = after(sam, f"/patients/{patient}/messages/{text['id']}/again")
    assert "On its way to 3605550148." in page
    assert sam.post(f"/patients/{patient}/messages/999/again").status_code == 404
    with desk.engine.begin() as connection:
        from sqlalchemy import text as sql

        connection.execute(
            sql(
                "INSERT INTO address (address, trouble, at) VALUES ('helen@example.org', 'mail bounces',"
                " NOW())"
            )
        )
    page = sam.get(f"/patients/{patient}/messages").text
    assert "helen@example.org: mail bounces." in page
    after(sam, f"/patients/{patient}/messages/works", address="helen@example.org")
    assert rows_of(desk, "SELECT trouble FROM address") == [{"trouble": ""}]
    assert sam.post(f"/patients/{patient}/messages/works", address="x@y.example").status_code == 404


def test_a_ready_made_answer_stands_below_the_field(sam: Browser, desk: Desk, reminded: int) -> None:
    after(
        sam,
        "/setup/notes/0",
        letters="zpark",
        words="Hi {first}, park behind it.",
        active="yes",
        answers="yes",
    )
    after(sam, "/setup/notes/0", letters="zlm", words="Left a message", active="yes")
    patient = scalar(desk, "SELECT patient_id FROM visit")
    page = sam.get(f"/patients/{patient}/messages").text
    assert 'data-said="Hi Ada, park behind it."' in page and 'data-said="Left a message"' not in page


@pytest.mark.parametrize("path", ["messages/works", "messages/1/again", "calendar"])
def test_nobodys_messages_are_not_there(sam: Browser, path: str) -> None:
    assert sam.post(f"/patients/999999/{path}", address="x@y.example").status_code == 404
    assert sam.post("/inbox/write/999999", words="hello", back="/day").status_code == 404
