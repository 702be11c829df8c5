"""The clinic's mailbox: mail that came back is noted once, its address known, the notification deleted only
then; an answer to one of ours comes to the Inbox or confirms; who wants no more mail gets none.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import timedelta
from typing import Any

import pytest

from tests.conftest import JUNO, add_patient, at, rows_of, scalar
from tests.desk.notices.made import log, only
from tests.desk.notices.test_planning import DAY, visit, works
from zax.clock import ShiftedClock
from zax.core.errors import NotFound, Refused
from zax.core.messages.channel import Channel
from zax.core.notices.events import Event
from zax.desk.acts.transaction import Desk
from zax.desk.inbox import mailbox
from zax.desk.inbox.mailbox import take_mail
from zax.desk.inbox.writing_back import mail_back, reach_again
from zax.desk.notices.mail import domain_of
from zax.outside.doors import Outside, Received
from zax.standin.mailboxes import answer_to, bounce_of


@dataclass
class Box:
    """A mailbox with what came back."""

    mails: dict[str, bytes] = field(default_factory=dict)

    def received(self, wanted: Callable[[bytes], bool]) -> list[Received]:
        heads = {name: content.partition(b"\n\n")[0] for name, content in self.mails.items()}
        return [Received(name, content) for name, content in self.mails.items() if wanted(heads[name])]

    def delete(self, received_id: str) -> None:
        self.mails.pop(received_id, None)


@pytest.fixture
def mailed(desk: Desk, clock: ShiftedClock, outside: Outside) -> str:
    """The Message-ID of Ada's reminder."""
    only(desk, (Event.REMINDER, Channel.EMAIL, "2 days before at 4:00 pm"))
    visit(desk, add_patient(desk, first="Ada"))
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    works(desk, outside)
    return f"<{log(desk)[0]['request_key']}@{domain_of(desk.clinic)}>"


def test_the_worker_reads_it_once_and_the_address_is_known(
    desk: Desk, outside: Outside, mailed: str, clock: ShiftedClock
) -> None:
    box = Box({"1": bounce_of(mailed, "helen@example.org").encode(), "2": b"Subject: hello\n\nhi"})
    clock.set_to(at(16, 5, DAY - timedelta(days=2)))
    works(desk, replace(outside, mailbox=box))
    (row,) = log(desk)
    assert (row["state"], row["state_words"], row["asks"]) == (
        "failed",
        "550 5.1.1 no such mailbox",
        "bounced",
    )
    assert rows_of(desk, "SELECT address, trouble FROM address") == [
        {"address": "helen@example.org", "trouble": "mail bounces"}
    ]
    assert set(box.mails) == {"2"}


def test_a_worker_that_dies_before_it_is_noted_finds_it_again(
    desk: Desk, mailed: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    box = Box({"1": bounce_of(mailed, "helen@example.org").encode()})

    def dies(*_: object) -> bool:
        raise KeyboardInterrupt

    with monkeypatch.context() as patch:
        patch.setattr(mailbox, "take_news", dies)
        with pytest.raises(KeyboardInterrupt):
            take_mail(desk, box)
    assert len(box.mails) == 1
    for _ in range(2):
        take_mail(desk, box)
    assert box.mails == {} and scalar(desk, "SELECT COUNT(*) FROM message WHERE state = 'failed'") == 1


def test_news_of_somebody_elses_mail_changes_nothing(desk: Desk, mailed: str) -> None:
    box = Box({"1": bounce_of("<other@elsewhere.example>", "x@example.org").encode()})
    take_mail(desk, box)
    assert box.mails == {} and log(desk)[0]["state"] == "sent"


def answers(mailed: str, words: str, sender: str = "helen@example.org", subject: str = "See you") -> Box:
    mail = {"id": mailed, "to": sender, "subject": subject, "text": "See you on Tue"}
    return Box({"1": answer_to(mail, words).encode()})


def reply(desk: Desk) -> dict[str, Any]:
    (row,) = rows_of(desk, "SELECT * FROM text_reply")
    return row


def test_a_yes_from_the_address_that_was_asked_confirms_once_and_stays_in_the_mailbox(
    desk: Desk, outside: Outside, mailed: str, clock: ShiftedClock
) -> None:
    box = answers(mailed, "Yes, I'll be there")
    for minute in (5, 10):
        clock.set_to(at(16, minute, DAY - timedelta(days=2)))
        works(desk, replace(outside, mailbox=box))
    assert scalar(desk, "SELECT state FROM visit") == "confirmed" and len(box.mails) == 1
    row = reply(desk)
    assert (row["channel"], row["phone"], row["words"]) == (
        "email",
        "helen@example.org",
        "Yes, I'll be there",
    )
    assert row["done_words"] == "confirmed"
    assert "by email: “Yes" in scalar(desk, "SELECT reason FROM track_move ORDER BY id DESC LIMIT 1")


@pytest.mark.parametrize(
    ("words", "sender"),
    [
        ("Please cancel it", "helen@example.org"),
        ("Yes", "mallory@else.example"),
        ("Can we do Thursday?", "helen@example.org"),
        ("", "helen@example.org"),
    ],
)
def test_everything_else_waits_for_a_person(desk: Desk, mailed: str, words: str, sender: str) -> None:
    """A sender's name is easily forged, so a mail never cancels by itself."""
    take_mail(desk, answers(mailed, words, sender))
    assert scalar(desk, "SELECT state FROM visit") == "booked"
    assert reply(desk)["done_at"] is None and reply(desk)["patient_id"] is not None


def test_a_person_answers_by_mail_and_the_row_is_done(desk: Desk, outside: Outside, mailed: str) -> None:
    take_mail(desk, answers(mailed, "Where do I park?"))
    assert mail_back(desk, JUNO, reply(desk)["id"], "Behind the building.", "k1") == "helen@example.org"
    works(desk, outside)
    sent = outside.mail.sent[-1]  # type: ignore[attr-defined]
    assert sent["To"] == "helen@example.org" and sent["Subject"].startswith("Re: ")
    assert "Behind the building." in sent.get_body(("plain",)).get_content()
    assert reply(desk)["done_words"] == "answered by email"
    with pytest.raises(Refused, match="Write something"):
        mail_back(desk, JUNO, reply(desk)["id"], " ", "k2")


def test_who_wants_no_more_mail_gets_none_until_they_say_otherwise(
    desk: Desk, outside: Outside, mailed: str, clock: ShiftedClock
) -> None:
    box = answers(mailed, "")
    box.mails["1"] = box.mails["1"].replace(b"Subject: Re: See you", b"Subject: unsubscribe")
    take_mail(desk, box)
    assert rows_of(desk, "SELECT address, trouble FROM address") == [
        {"address": "helen@example.org", "trouble": "asked for no more email"}
    ]
    ada = scalar(desk, "SELECT id FROM patient")
    visit(desk, ada, "16:00", DAY + timedelta(days=1))
    clock.set_to(at(16, 0, DAY - timedelta(days=1)))
    works(desk, outside)
    assert len(outside.mail.sent) == 1  # type: ignore[attr-defined]
    with pytest.raises(NotFound):
        reach_again(desk, JUNO, ada, "somebody@else.example")
    reach_again(desk, JUNO, ada, "helen@example.org")
    visit(desk, ada, "16:00", DAY + timedelta(days=2))
    clock.set_to(at(16, 0, DAY))
    works(desk, outside)
    assert len(outside.mail.sent) == 2  # type: ignore[attr-defined]
