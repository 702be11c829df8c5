"""What is due at the counter: too much paid for the visit never makes what is paid along cheaper."""

from hypothesis import given
from hypothesis import strategies as st

from zax.core.day.open_points import Due, due_now

cents = st.integers(-500_000, 500_000)


def test_what_is_asked_for_counts_as_paid() -> None:
    assert due_now(4_260, 1_000, 2_500) == Due(3_260, 5_760)
    assert due_now(4_260, 5_000, 2_500) == Due(-740, 2_500)


@given(cents, st.integers(0, 500_000), st.integers(0, 500_000))
def test_the_total_is_never_less_than_what_is_paid_along(owed: int, asked: int, along: int) -> None:
    due = due_now(owed, asked, along)
    assert due.total >= along and due.total >= due.here + along and due.here == owed - asked
