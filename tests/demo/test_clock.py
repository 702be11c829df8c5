"""The clocks: set by the demo and the tests, going on from where the demo left off."""

from datetime import datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import insert, text

from tests.conftest import at
from zax.clock import ShiftedClock, SystemClock, local, local_date, to_utc
from zax.demo.seed import demo_clock, opening_day, seeded
from zax.desk.acts.transaction import Desk
from zax.desk.worker.beats import beat
from zax.processes import clock_of_environment
from zax.store import schema


def near(one: datetime, other: datetime) -> bool:
    return abs((one - other).total_seconds()) < 5


def test_the_demo_opens_at_its_minute_and_goes_on_from_the_last_heartbeat(
    desk: Desk, clock: ShiftedClock
) -> None:
    assert seeded(desk.engine) is None
    with desk.engine.begin() as connection:
        connection.execute(
            insert(schema.setting).values(
                name="seeded", value={"size": "demo", "opens": at(10, 42).isoformat()}
            )
        )
    try:
        assert near(demo_clock(desk.engine).now(), at(10, 42))
        clock.set_to(at(11, 17))
        beat(desk)
        assert near(demo_clock(desk.engine).now(), at(11, 17))
    finally:
        with desk.engine.begin() as connection:
            connection.execute(text("DELETE FROM setting WHERE name = 'seeded'"))


def test_all_processes_share_the_shift(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delenv("ZAX_CLOCK_SHIFT", raising=False)
    assert isinstance(clock_of_environment(), SystemClock)
    monkeypatch.setenv("ZAX_CLOCK_SHIFT", "86400.5")
    assert near(clock_of_environment().now(), SystemClock().now() + timedelta(days=1))


def test_an_hour_that_comes_twice_is_the_first_of_both() -> None:
    zone = "America/Los_Angeles"
    assert to_utc(datetime(2026, 11, 1, 1, 30), zone) == datetime(2026, 11, 1, 8, 30)
    assert local(datetime(2026, 11, 1, 9, 30), zone) == datetime(2026, 11, 1, 1, 30)
    assert opening_day(datetime(2026, 11, 27).date()).isoformat() == "2026-11-30"


@given(
    st.datetimes(datetime(2020, 1, 1), datetime(2035, 1, 1)),
    st.sampled_from(["America/Los_Angeles", "Asia/Kolkata", "Australia/Lord_Howe", "UTC"]),
)
def test_the_cheap_local_date_is_the_date_of_the_wall_clock(moment: datetime, zone: str) -> None:
    assert local_date(moment, zone) == local(moment, zone).date()
