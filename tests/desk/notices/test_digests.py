"""The worker mails each provider their day, the evening before and that morning, once each."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

import pytest

from tests.conftest import JUNO, SAM, add_patient, at
from tests.desk.notices.made import log
from tests.desk.notices.test_planning import DAY, visit, works
from tests.fakes import FakeMail
from zax.clock import ShiftedClock
from zax.core.errors import NotAllowed, NotFound, Refused
from zax.desk.acts.transaction import Desk
from zax.desk.notices.digests import Digest, keep_digest
from zax.outside.doors import Outside

WANTED = Digest(email="calloway@example.org", evening=True, morning=True)
EVE = DAY - timedelta(days=1)


def mails(outside: Outside) -> list[tuple[str, str]]:
    assert isinstance(outside.mail, FakeMail)
    return [(mail["Subject"], mail.get_body(("plain",)).get_content()) for mail in outside.mail.sent]  # type: ignore[union-attr]


def test_the_evening_before_and_the_morning_once_each(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    keep_digest(desk, SAM, 1, WANTED)
    visit(desk, add_patient(desk, first="Tamsin", last="Reyes"))
    for hour, minute, day, sent in (
        (17, 59, EVE, 0),
        (18, 0, EVE, 1),
        (18, 6, EVE, 1),
        (23, 50, EVE, 1),
        (5, 59, DAY, 1),
        (6, 0, DAY, 2),
        (11, 0, DAY, 2),
        (18, 0, DAY, 2),  # nothing the day after
    ):
        clock.set_to(at(hour, minute, day))
        works(desk, outside)
        assert len(mails(outside)) == sent, (hour, minute)
    subject, body = mails(outside)[0]
    assert subject == "Tue, Dec 1: 1 visit" and "T. R." in body and "Reyes" not in body
    assert [row["why"] for row in log(desk)] == [
        "Dr. Calloway’s day, the evening before",
        "Dr. Calloway’s day, that morning",
    ]


def test_a_day_that_fills_late_is_told_then_and_names_where_allowed(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    keep_digest(desk, SAM, 1, replace(WANTED, morning=False, names=True))
    clock.set_to(at(18, 0, EVE))
    works(desk, outside)
    assert mails(outside) == []
    visit(desk, add_patient(desk, first="Tamsin", last="Reyes"))
    clock.set_to(at(18, 10, EVE))
    works(desk, outside)
    assert "Tamsin Reyes, Filling" in mails(outside)[0][1]


def test_the_night_the_clocks_change_sends_one(desk: Desk, clock: ShiftedClock, outside: Outside) -> None:
    monday = DAY.replace(year=2027, month=3, day=15)
    keep_digest(desk, SAM, 1, WANTED)
    visit(desk, add_patient(desk), day=monday)
    for hour in range(0, 24):
        clock.set_to(at(0, 30, monday - timedelta(days=1)) + timedelta(hours=hour))
        works(desk, outside, rounds=1)
    assert len(mails(outside)) == 1


def test_it_needs_an_address_a_provider_and_the_right_to_set_it(desk: Desk) -> None:
    for email in ("", "nobody"):
        with pytest.raises(Refused):
            keep_digest(desk, SAM, 1, replace(WANTED, email=email))
    with pytest.raises(NotFound):
        keep_digest(desk, SAM, 99, WANTED)
    with pytest.raises(NotAllowed):
        keep_digest(desk, JUNO, 1, WANTED)
    keep_digest(desk, SAM, 1, Digest())
