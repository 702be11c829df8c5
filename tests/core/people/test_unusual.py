"""Which looks stand out, and which do not."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from zax.core.people.unusual import MANY, LookFacts, unusual

AT = datetime(2026, 11, 24, 18)
LOOK = LookFacts(
    user_id=1,
    user_name="Juno Park",
    patient_id=7,
    first="Helen",
    last="Vasquez",
    at=AT,
    times=1,
    near=True,
    did=False,
)


def test_a_look_near_a_visit_is_ordinary_and_so_is_one_that_did_something() -> None:
    assert unusual([LOOK, replace(LOOK, near=False, did=True)]) == []


def test_no_visit_and_nothing_done_and_ones_own_name_stand_out() -> None:
    (one,) = unusual([replace(LOOK, near=False)])
    assert one.why == "no visit near, and nothing was done"
    (family,) = unusual([replace(LOOK, last="Pärk", did=True)])
    assert family.why == "the same last name"


@given(st.integers(1, 2 * MANY), st.integers(0, 7200))
def test_very_many_within_an_hour_stand_out_all_of_them(count: int, seconds: int) -> None:
    apart = timedelta(seconds=seconds) / count
    looks = [replace(LOOK, patient_id=n, at=AT + n * apart) for n in range(count)]
    found = unusual(looks)
    if count <= MANY or apart * MANY > timedelta(hours=1):
        assert found == []
    else:
        assert len(found) == count


def test_two_people_are_not_taken_together() -> None:
    looks = [
        replace(LOOK, user_id=n % 2, patient_id=n, at=AT + timedelta(seconds=n)) for n in range(MANY + 10)
    ]
    assert unusual(looks) == []
