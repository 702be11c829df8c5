"""Quiet hours: nothing goes to a patient by itself while people sleep. They are the site's wall clock, so a
night in which the clocks change is as quiet as any other. Saturdays and Sundays have hours of their own, or
none.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from zax.core.errors import ProblemCollector

LEAST_AWAKE = 60


@dataclass(frozen=True, slots=True)
class Awake:
    """Minutes of the wall clock between which something may go; both the same: nothing all day."""

    begins: int = 8 * 60
    ends: int = 20 * 60


@dataclass(frozen=True, slots=True)
class Quiet:
    """The hours in which something may go, by kind of day; all else is quiet."""

    weekdays: Awake = Awake()
    saturday: Awake = Awake()
    sunday: Awake = Awake()

    def awake(self, day: date) -> Awake:
        return {5: self.saturday, 6: self.sunday}.get(day.weekday(), self.weekdays)

    def is_quiet(self, wall: datetime) -> bool:
        awake = self.awake(wall.date())
        return not awake.begins <= wall.hour * 60 + wall.minute < awake.ends

    def over_at(self, wall: datetime) -> datetime:
        """The wall time at which something may go: at once, or when the quiet ends."""
        if not self.is_quiet(wall):
            return wall
        for later in range(8):
            day = wall.date() + timedelta(days=later)
            awake = self.awake(day)
            begins = datetime.combine(day, time(awake.begins // 60, awake.begins % 60))
            if awake.begins < awake.ends and begins > wall:
                return begins
        raise ValueError("these hours leave no minute")


KINDS = {"weekdays": "Monday to Friday", "saturday": "Saturday", "sunday": "Sunday"}


def checked(quiet: Quiet) -> Quiet:
    """Raises Problems beside the fields: a weekday needs an hour, a Saturday or Sunday may be quiet all
    day.
    """
    with ProblemCollector() as wrong:
        for name, words in KINDS.items():
            awake: Awake = getattr(quiet, name)
            if awake.begins == awake.ends and name != "weekdays":
                continue
            if awake.ends - awake.begins < LEAST_AWAKE:
                wrong.add(f"{name}_to", f"Leave at least an hour of {words} for messages.")
    return quiet


def quiet_of(kept: Mapping[str, list[int]] | None) -> Quiet:
    """As it is kept: begin and end by kind of day; what ships where nothing is."""
    return Quiet(**{name: Awake(*hours) for name, hours in (kept or {}).items() if name in KINDS})


def as_kept(quiet: Quiet) -> dict[str, list[int]]:
    hours: dict[str, Awake] = {name: getattr(quiet, name) for name in KINDS}
    return {name: [each.begins, each.ends] for name, each in hours.items()}
