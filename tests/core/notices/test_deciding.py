"""What goes together, and what is still in time."""

from __future__ import annotations

from datetime import date, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from zax.core.notices.deciding import Going, in_time, moment_of, together
from zax.core.notices.events import EVENTS, Event
from zax.core.notices.lead import read_lead

DAY = date(2026, 12, 1)
NOON = datetime(2026, 12, 1, 12)
WEST = timedelta(hours=8)
GOING = st.builds(
    Going,
    index=st.just(0),
    to=st.sampled_from(["", "3605550101", "3605550102"]),
    day=st.sampled_from([None, DAY, DAY + timedelta(days=1)]),
    household=st.integers(1, 3),
)


@given(st.lists(GOING))
def test_everyone_with_a_way_is_in_one_message_and_strangers_in_none_of_each_other(
    drawn: list[Going],
) -> None:
    going = [
        Going(index=number, to=each.to, day=each.day, household=each.household)
        for number, each in enumerate(drawn)
    ]
    made = together(going)
    assert sorted(index for group in made for index in group) == [each.index for each in going if each.to]
    meant = [
        {(going[index].household, going[index].to, going[index].day) for index in group} for group in made
    ]
    assert all(len(each) == 1 for each in meant)
    assert len({next(iter(each)) for each in meant}) == len(made), "nobody is written to twice about one day"


def test_a_reminder_goes_until_the_visit_begins_and_not_a_minute_longer() -> None:
    due = NOON - timedelta(days=2)
    assert not in_time(Event.REMINDER, due, NOON, due - timedelta(microseconds=1))
    assert in_time(Event.REMINDER, due, NOON, due)
    assert in_time(Event.REMINDER, due, NOON, NOON - timedelta(microseconds=1))
    assert not in_time(Event.REMINDER, due, NOON, NOON)


def test_what_follows_something_goes_within_its_grace() -> None:
    grace = EVENTS[Event.THANKS].grace
    assert in_time(Event.THANKS, NOON, None, NOON + grace - timedelta(seconds=1))
    assert not in_time(Event.THANKS, NOON, None, NOON + grace)


def test_a_moment_is_counted_in_real_time_unless_the_lead_counts_days() -> None:
    """Of what happened at 23:30 on the wall, the day after is that wall's next day, not UTC's."""
    happened = datetime(2026, 12, 2, 7, 30)  # 23:30 on Dec 1 there

    def due(typed: str) -> datetime:
        lead = read_lead(typed, "lead", before=False, after=True)
        return moment_of(Event.BOOKED, lead, happened, lambda wall: wall + WEST, lambda at: at - WEST)

    assert due("2 hours after") == happened + timedelta(hours=2)
    assert due("1 day after at 9:00 am") == datetime(2026, 12, 2, 9) + WEST
