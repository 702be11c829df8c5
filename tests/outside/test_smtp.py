"""What a mail server says, told apart: by a real server that answers as it is told to."""

from __future__ import annotations

from collections.abc import Iterator
from email.message import EmailMessage
from typing import Any

import pytest
from aiosmtpd.controller import Controller

from tests.conftest import free_port
from zax.outside.doors import DoorRefused, NoAnswer, OutsideTrouble
from zax.outside.smtp import SmtpMail


class Says:
    """To the recipient, and to the mail itself."""

    def __init__(self) -> None:
        self.recipient, self.data = "250 fine", "250 kept"
        self.kept: list[bytes] = []

    async def handle_RCPT(self, server: Any, session: Any, envelope: Any, address: str, options: Any) -> str:  # noqa: N802
        if self.recipient.startswith("250"):
            envelope.rcpt_tos.append(address)
        return self.recipient

    async def handle_DATA(self, server: Any, session: Any, envelope: Any) -> str:  # noqa: N802
        self.kept.append(envelope.content)
        return self.data


@pytest.fixture
def says() -> Says:
    return Says()


@pytest.fixture
def mail(says: Says) -> Iterator[SmtpMail]:
    server = Controller(says, hostname="127.0.0.1", port=free_port())
    server.start()
    yield SmtpMail("127.0.0.1", server.port)
    server.stop()


def letter() -> EmailMessage:
    message = EmailMessage()
    message["From"], message["To"], message["Subject"] = "desk@example.org", "rosa@example.org", "Hello"
    message.set_content("Hello")
    return message


@pytest.mark.parametrize("status", ["5.1.1", "5.1.2", "5.1.3", "5.1.6", "5.1.10", "5.2.1"])
def test_a_mailbox_that_is_not_there_is_the_addresss_fault(mail: SmtpMail, says: Says, status: str) -> None:
    says.recipient = f"550 {status} <rosa@example.org> is not here"
    with pytest.raises(DoorRefused, match="knows no mailbox rosa@example.org"):
        mail.send(letter())


@pytest.mark.parametrize(
    "answer",
    [
        "550 5.7.1 relaying denied",
        "550 relaying denied",
        "554 5.7.0 no",
        "552 5.2.2 the mailbox is full",
        "450 4.1.1 not now",
        "451 4.7.1 come again in five minutes",
        "550 5.1.19 something new",
    ],
)
def test_anything_else_is_tried_again_and_blames_no_address(mail: SmtpMail, says: Says, answer: str) -> None:
    says.recipient = answer
    with pytest.raises(OutsideTrouble, match="doesn’t take mail from us right now") as caught:
        mail.send(letter())
    assert not isinstance(caught.value, DoorRefused | NoAnswer) and "rosa" not in str(caught.value)


def test_a_mail_that_is_refused_is_no_silence(mail: SmtpMail, says: Says) -> None:
    says.data = "554 5.6.0 not like this"
    with pytest.raises(OutsideTrouble, match=r"returned an error \(554\)") as caught:
        mail.send(letter())
    assert not isinstance(caught.value, DoorRefused | NoAnswer)
    says.data = "250 kept"
    mail.send(letter())
    assert len(says.kept) == 2


def test_where_nobody_is_there_is_no_answer() -> None:
    with pytest.raises(NoAnswer, match="can’t be reached"):
        SmtpMail("127.0.0.1", free_port()).send(letter())
