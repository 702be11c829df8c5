"""By when a row of the Inbox should be answered, and which stands first."""

from __future__ import annotations

from datetime import datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from zax.core.inbox.row import InboxRow, Source, answer_by, in_order

NOON = datetime(2026, 12, 1, 12)
MOMENTS = st.datetimes(NOON - timedelta(days=2), NOON + timedelta(days=2))


def row(key: str, at: datetime, by: datetime) -> InboxRow:
    return InboxRow(
        key=key,
        source=Source.TEXT,
        name="Ada",
        patient_id=None,
        visit_id=None,
        stop="",
        what="text",
        says="",
        why="",
        at=at,
        by=by,
        next="Answer",
    )


def test_a_text_about_a_visit_in_ten_minutes_is_answered_before_it() -> None:
    assert answer_by(NOON, NOON + timedelta(minutes=10)) == NOON + timedelta(minutes=10)
    assert answer_by(NOON, NOON + timedelta(days=1)) == NOON + timedelta(minutes=30)
    assert answer_by(NOON, NOON - timedelta(minutes=1)) == NOON + timedelta(minutes=30)
    assert answer_by(NOON, None) == NOON + timedelta(minutes=30)


@given(MOMENTS, MOMENTS, MOMENTS)
def test_the_share_that_is_gone_stays_between_nothing_and_all_and_only_grows(
    at: datetime, by: datetime, now: datetime
) -> None:
    made = row("text-1", at, by)
    assert 0.0 <= made.share_gone(now) <= made.share_gone(now + timedelta(minutes=1)) <= 1.0
    assert made.share_gone(max(at, by)) == 1.0


@given(st.lists(st.tuples(MOMENTS, MOMENTS)))
def test_what_runs_out_first_stands_first_however_they_come(times: list[tuple[datetime, datetime]]) -> None:
    rows = [row(f"text-{number}", at, by) for number, (at, by) in enumerate(times)]
    found = in_order(rows)
    assert found == in_order(reversed(rows))
    assert [each.by for each in found] == sorted(by for _, by in times)
