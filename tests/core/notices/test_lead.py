"""When a message goes out: typed, read back, and right on the nights the clocks change."""

from __future__ import annotations

from datetime import datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.clock import local, to_utc
from zax.core.errors import Refused
from zax.core.notices.lead import AT_ONCE, Lead, LeadUnit, due_at, last_anchor_due, lead_of, read_lead
from zax.demo.world import ZONE

WALLS = st.datetimes(datetime(2026, 1, 1), datetime(2027, 12, 31)).map(
    lambda at: at.replace(second=0, microsecond=0)
)
LEADS = st.one_of(
    st.builds(
        Lead,
        st.integers(0, 60),
        st.sampled_from([LeadUnit.DAY, LeadUnit.WEEK]),
        st.booleans(),
        st.integers(0, 24 * 60 - 1),
    ),
    st.builds(Lead, st.integers(0, 100), st.sampled_from([LeadUnit.MINUTE, LeadUnit.HOUR]), st.booleans()),
)


def utc(wall: datetime) -> datetime:
    return to_utc(wall, ZONE)


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ("2 days before at 4:00 pm", "2 days before at 4:00 pm"),
        ("1 day before at 9", "1 day before at 9:00 am"),
        (" 3  Hours before ", "3 hours before"),
        ("10 min after", "10 minutes after"),
        ("3wk before at noon", "3 weeks before at 12:00 pm"),
        ("1 day after", "1 day after at 10:00 am"),
        ("at once", "at once"),
        ("that day at 6 pm", "that day at 6:00 pm"),
    ],
)
def test_what_is_typed_is_read(typed: str, words: str) -> None:
    lead = read_lead(typed, "lead", before=True, after=True)
    assert lead.words == words and read_lead(words, "lead", before=True, after=True) == lead


@pytest.mark.parametrize(
    ("typed", "before", "after", "why"),
    [
        ("soon", True, True, "Say when"),
        ("", True, True, "Say when"),
        ("2 days before at 25:00", True, True, "isn’t a time"),
        ("900 days before", True, True, "too long"),
        ("3 hours before at 4 pm", True, True, "no time of day"),
        ("1 day after at 9", True, False, "before the visit begins"),
        ("at once", True, False, "before the visit begins"),
        ("2 days before at 9", False, True, "once it has happened"),
    ],
)
def test_what_cannot_be_is_refused_beside_the_field(typed: str, before: bool, after: bool, why: str) -> None:
    with pytest.raises(Refused, match=why) as refused:
        read_lead(typed, "lead", before=before, after=after)
    assert set(refused.value.problems) == {"lead"}


def test_days_are_counted_on_the_wall_and_hours_are_real() -> None:
    """The night of March 8, 2026 has 23 hours, that of November 1 has 25."""
    for sunday in (datetime(2026, 3, 8, 12, 0), datetime(2026, 11, 1, 12, 0)):
        day_before = due_at(Lead(1, LeadUnit.DAY, True, 16 * 60), sunday, utc)
        assert local(day_before, ZONE) == (sunday - timedelta(days=1)).replace(hour=16)
        hours = due_at(Lead(12, LeadUnit.HOUR, True), sunday, utc)
        assert utc(sunday) - hours == timedelta(hours=12)
    spring = due_at(Lead(12, LeadUnit.HOUR, True), datetime(2026, 3, 8, 12, 0), utc)
    assert local(spring, ZONE) == datetime(2026, 3, 7, 23, 0)


@given(LEADS)
def test_a_lead_is_kept_as_it_is(lead: Lead) -> None:
    assert due_at(lead_of(lead.kept), datetime(2026, 6, 1, 9), utc) == due_at(
        lead, datetime(2026, 6, 1, 9), utc
    )
    assert lead_of(lead.kept).words == lead.words


@given(LEADS, WALLS, st.integers(-3 * 24 * 60, 3 * 24 * 60))
def test_nothing_beyond_the_last_anchor_is_due_and_what_is_due_is_within(
    lead: Lead, wall: datetime, minutes: int
) -> None:
    """Away from the nights on which the clocks change; there it is right to the hour."""
    anchor = last_anchor_due(lead, wall) + timedelta(minutes=minutes)
    due = due_at(lead, anchor, utc) <= utc(wall)
    hour = timedelta(hours=1)
    if anchor <= last_anchor_due(lead, wall) - hour:
        assert due or abs(minutes) <= 60
    if anchor > last_anchor_due(lead, wall) + hour:
        assert not due


def test_at_once_is_at_once() -> None:
    assert due_at(AT_ONCE, datetime(2026, 6, 1, 9), utc) == utc(datetime(2026, 6, 1, 9))
