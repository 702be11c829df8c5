"""Where a return stands, by its days and its visit: nothing that is due is ever out of sight."""

from __future__ import annotations

from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.book.track import FINISHED, FREES_THE_TIME, Stop
from zax.core.followup.due import OPEN, DueFacts, Stand, days_over, stand_of

TODAY = date(2026, 11, 24)


@pytest.mark.parametrize(
    ("facts", "stand"),
    [
        (DueFacts(opens=TODAY, due=TODAY), Stand.DUE),
        (DueFacts(opens=date.min, due=TODAY - timedelta(days=1)), Stand.OVERDUE),
        (DueFacts(opens=date.min, due=date(2016, 2, 29)), Stand.OVERDUE),
        (DueFacts(opens=TODAY + timedelta(days=1), due=TODAY + timedelta(days=9)), Stand.EARLY),
        (DueFacts(opens=TODAY, due=TODAY, paused_until=TODAY + timedelta(days=1)), Stand.PAUSED),
        (DueFacts(opens=TODAY, due=TODAY, paused_until=TODAY), Stand.DUE),
        (DueFacts(opens=TODAY, due=date.min, visit="booked"), Stand.BOOKED),
        (DueFacts(opens=TODAY, due=date.min, visit="missed"), Stand.OVERDUE),
        (DueFacts(opens=TODAY, due=date.min, visit="shelf"), Stand.OVERDUE),
        (DueFacts(opens=TODAY, due=date.min, visit="left"), Stand.DONE),
        (DueFacts(opens=TODAY, due=date.min, visit="booked", ended=True), Stand.ENDED),
    ],
)
def test_where_it_stands(facts: DueFacts, stand: Stand) -> None:
    assert stand_of(facts, TODAY) is stand


@given(st.dates(), st.dates(), st.sampled_from(["", *Stop]), st.none() | st.dates(), st.dates())
def test_it_is_out_of_the_open_list_only_when_a_visit_stands_for_it(
    opens: date, due: date, visit: str, paused: date | None, today: date
) -> None:
    facts = DueFacts(opens=opens, due=due, visit=visit, paused_until=paused)
    holds = bool(visit) and Stop(visit) not in FREES_THE_TIME
    stand = stand_of(facts, today)
    assert (stand in OPEN) == (not holds)
    assert (stand is Stand.DONE) == (bool(visit) and Stop(visit) in FINISHED)


@given(st.dates(), st.dates())
def test_days_over_are_never_below_none(due: date, today: date) -> None:
    assert days_over(due, today) == max(0, (today - due).days)
