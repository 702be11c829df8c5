"""Mail that people write back: which of ours it answers, and what it says without what it quotes."""

from __future__ import annotations

from email.message import EmailMessage

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.messages.mail_answer import LONGEST, answer_in, is_report

OURS = "example.org"


def mail(words: str = "Yes, see you then", **heads: str) -> bytes:
    made = EmailMessage()
    usual = {
        "From": "Helen Vasquez <Helen@Mail.example>",
        "Subject": "Re: See you on Tue, Dec 1",
        "Message-ID": "<a1@mail.example>",
        "In-Reply-To": "<reminder-email-7-x@example.org>",
    }
    for name, value in {**usual, **{name.replace("_", "-"): value for name, value in heads.items()}}.items():
        if value:
            made[name] = value
    made.set_content(words)
    return bytes(made)


def test_it_names_ours_and_says_what_was_written_above_the_quote() -> None:
    words = (
        "Yes, see you then!\r\n\r\nOn Sun, Nov 29, 2026 at 4:00 PM Juniper Quay wrote:\r\n> See you Tue\r\n"
    )
    found = answer_in(mail(words), OURS)
    assert found is not None
    assert (found.words, found.answers) == ("Yes, see you then!", ("reminder-email-7-x",))
    assert (found.sender, found.mail_id, found.leave_me) == ("helen@mail.example", "a1@mail.example", False)


@pytest.mark.parametrize(
    "quote",
    [
        "> See you Tue",
        "El dom, 29 nov 2026, la clínica escribió:\nLe esperamos",
        "-----Original Message-----\nFrom: the clinic",
        "________________\nFrom: the clinic",
        "--\nHelen, sent from a phone",
    ],
)
def test_what_is_quoted_or_signed_isnt_said(quote: str) -> None:
    found = answer_in(mail(f"No, sorry\n{quote}"), OURS)
    assert found is not None and found.words == "No, sorry"


def test_the_last_of_ours_that_it_names_comes_first() -> None:
    found = answer_in(
        mail(In_Reply_To="<b@example.org>", References="<a@example.org> <x@else.example> <b@example.org>"),
        OURS,
    )
    assert found is not None and found.answers == ("b", "a")


def test_a_page_is_read_as_its_words() -> None:
    made = EmailMessage()
    made["From"], made["Message-ID"], made["In-Reply-To"] = "h@x.example", "<1@x>", "<k@example.org>"
    made.set_content(
        "<style>p{}</style><p>Yes<br>please</p><blockquote>See you Tue</blockquote>", subtype="html"
    )
    found = answer_in(bytes(made), OURS)
    assert found is not None and found.words == "Yes\nplease"


@pytest.mark.parametrize(
    "heads",
    [
        {"In_Reply_To": "<other@elsewhere.example>"},
        {"In_Reply_To": ""},
        {"Auto_Submitted": "auto-replied"},
        {"Precedence": "bulk"},
        {"From": ""},
        {"Message_ID": ""},
    ],
)
def test_what_isnt_an_answer_of_a_person_to_us_is_left_alone(heads: dict[str, str]) -> None:
    assert answer_in(mail(**heads), OURS) is None


def test_who_asks_for_no_more_mail_needs_name_none_of_ours() -> None:
    found = answer_in(mail("", In_Reply_To="", Subject="Unsubscribe"), OURS)
    assert found is not None and found.leave_me and found.answers == ()


def test_a_notification_of_a_mail_server_is_no_answer() -> None:
    head = b"Content-Type: multipart/report; report-type=delivery-status\r\nIn-Reply-To: <k@example.org>\r\n"
    assert (
        is_report(head) and answer_in(head + b"From: a@b.example\r\nMessage-ID: <1@b>\r\n\r\n", OURS) is None
    )


@given(st.binary(max_size=400))
def test_any_bytes_are_read_or_left_alone(noise: bytes) -> None:
    answer_in(noise, OURS)
    raw = b"From: h@x.example\r\nMessage-ID: <1@x>\r\nIn-Reply-To: <k@example.org>\r\n" + noise
    found = answer_in(raw, OURS)
    assert found is None or len(found.words) <= LONGEST


@given(st.sampled_from(["utf-8", "iso-8859-1", "no-such-charset", "utf-16", "hz"]), st.binary(max_size=200))
def test_any_letters_are_read(charset: str, body: bytes) -> None:
    raw = (
        b"From: h@x.example\r\nMessage-ID: <1@x>\r\nIn-Reply-To: <k@example.org>\r\nContent-Type: text/plain;"
        + f" charset={charset}\r\nContent-Transfer-Encoding: 8bit\r\n\r\n".encode()
        + body
    )
    found = answer_in(raw, OURS)
    assert found is not None and len(found.words) <= LONGEST
