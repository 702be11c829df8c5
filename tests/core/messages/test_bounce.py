"""Mail that came back: only a failure for good of a mail that is named counts."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.messages.bounce import Bounce, bounce_in
from zax.standin.mailboxes import bounce_of

REPORT = bounce_of("<reminder-email-7@example.org>", "wanda@example.org")


def test_a_notification_names_the_mail_and_the_reason() -> None:
    assert bounce_in(REPORT.encode()) == Bounce("reminder-email-7@example.org", "550 5.1.1 no such mailbox")


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("Action: failed", "Action: delayed"),
        ("Action: failed", "Action: delivered"),
        ("Message-ID: <reminder", "X-Other: <reminder"),
        ("multipart/report", "multipart/mixed"),
    ],
)
def test_what_may_still_arrive_or_names_nothing_is_no_bounce(old: str, new: str) -> None:
    assert old in REPORT and bounce_in(REPORT.replace(old, new).encode()) is None


def test_without_a_diagnosis_the_status_is_said() -> None:
    plain = "\n".join(line for line in REPORT.splitlines() if not line.startswith("Diagnostic"))
    assert bounce_in(plain.encode()) == Bounce("reminder-email-7@example.org", "status 5.1.1")


@given(st.binary(max_size=300), st.integers(0, len(REPORT)), st.integers(0, 60))
def test_whatever_comes_breaks_nothing(noise: bytes, at: int, cut: int) -> None:
    bounce_in(noise)
    raw = REPORT.encode()
    bounce_in(raw[:at] + noise + raw[at + cut :])
