"""Mail that came back: noted once, the address known, the notification deleted only then."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from datetime import timedelta

import pytest

from tests.conftest import add_patient, at, rows_of, scalar
from tests.desk.notices.made import log, only
from tests.desk.notices.test_planning import DAY, visit, works
from zax.clock import ShiftedClock
from zax.core.messages.channel import Channel
from zax.core.notices.events import Event
from zax.desk.acts.transaction import Desk
from zax.desk.inbox import bounces
from zax.desk.inbox.bounces import take_bounces
from zax.outside.doors import Outside, Returned
from zax.standin.mailboxes import bounce_of


@dataclass
class Box:
    """A mailbox with what came back."""

    mails: dict[str, bytes] = field(default_factory=dict)

    def returned(self) -> list[Returned]:
        return [Returned(name, content) for name, content in self.mails.items()]

    def delete(self, returned_id: str) -> None:
        self.mails.pop(returned_id, None)


@pytest.fixture
def mailed(desk: Desk, clock: ShiftedClock, outside: Outside) -> str:
    """The Message-ID of Ada's reminder."""
    only(desk, (Event.REMINDER, Channel.EMAIL, "2 days before at 4:00 pm"))
    visit(desk, add_patient(desk, first="Ada"))
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    works(desk, outside)
    return f"<{log(desk)[0]['request_key']}@example.org>"


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
    assert box.mails == {}


def test_a_worker_that_dies_before_it_is_noted_finds_it_again(
    desk: Desk, mailed: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    box = Box({"1": bounce_of(mailed, "helen@example.org").encode()})

    def dies(*_: object) -> bool:
        raise KeyboardInterrupt

    with monkeypatch.context() as patch:
        patch.setattr(bounces, "take_news", dies)
        with pytest.raises(KeyboardInterrupt):
            take_bounces(desk, box)
    assert len(box.mails) == 1
    for _ in range(2):
        take_bounces(desk, box)
    assert box.mails == {} and scalar(desk, "SELECT COUNT(*) FROM message WHERE state = 'failed'") == 1


def test_news_of_somebody_elses_mail_changes_nothing(desk: Desk, mailed: str) -> None:
    box = Box({"1": bounce_of("<other@elsewhere.example>", "x@example.org").encode()})
    take_bounces(desk, box)
    assert box.mails == {} and log(desk)[0]["state"] == "sent"
