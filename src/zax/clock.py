"""The one Clock. Nothing else in the product reads the system's time; `now` is handed on from here.

All times are UTC without zone; `local` turns one into a site's wall clock. The demo's clock stands where the
demo left it and runs on from there, so that a clinic closed for the weekend opens again on the same morning.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from functools import lru_cache
from typing import Protocol
from zoneinfo import ZoneInfo


class Clock(Protocol):
    """Anything that tells the time as naive UTC."""

    def now(self) -> datetime: ...


def system_now() -> datetime:
    """The machine's time, for what is about the machine and not the clinic (leases, heartbeats)."""
    return datetime.now(UTC).replace(tzinfo=None)


class SystemClock:
    def now(self) -> datetime:
        return system_now()


@dataclass(slots=True)
class ShiftedClock:
    """The system's clock moved by a fixed span; the demo and the tests set it."""

    shift: timedelta = timedelta()

    def now(self) -> datetime:
        return system_now() + self.shift

    def set_to(self, moment: datetime) -> None:
        self.shift = moment - system_now()


@lru_cache(maxsize=32)
def _zone(name: str) -> ZoneInfo:
    return ZoneInfo(name)


def local(moment: datetime, timezone: str) -> datetime:
    """Naive UTC -> naive wall clock of the zone."""
    return moment.replace(tzinfo=UTC).astimezone(_zone(timezone)).replace(tzinfo=None)


def local_date(moment: datetime, timezone: str) -> date:
    """The date on the zone's wall clock; cheap enough for thousands of rows, since zones change only on the
    hour or half of it.
    """
    return (
        moment + _offset(moment.replace(minute=moment.minute // 15 * 15, second=0, microsecond=0), timezone)
    ).date()


@lru_cache(maxsize=8192)
def _offset(moment: datetime, timezone: str) -> timedelta:
    return local(moment, timezone) - moment


def to_utc(wall: datetime, timezone: str) -> datetime:
    """Naive wall clock of the zone -> naive UTC (the first of two, when clocks go back)."""
    return wall.replace(tzinfo=_zone(timezone)).astimezone(UTC).replace(tzinfo=None)
