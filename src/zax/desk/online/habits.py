"""What the clinic lets people ask for online, and how far ahead."""

from __future__ import annotations

from dataclasses import asdict, dataclass

from zax.core.clinic.visit_types import VisitType
from zax.core.errors import ProblemCollector
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic

SETTING = "online"
LIMITS = {
    "days_ahead": (1, 365),
    "hours_before": (0, 14 * 24),
    "most_a_day": (1, 30),
    "unopened_days": (1, 60),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class OnlineHabits:
    """Times are shown from `hours_before` a visit on to `days_ahead`, at most so many a day;
    `applies_payments`: what is paid online is applied by itself; a statement that nobody opened for
    `unopened_days` is printed.
    """

    runs: bool = False
    days_ahead: int = 60
    hours_before: int = 4
    most_a_day: int = 4
    applies_payments: bool = False
    unopened_days: int = 7


def online_habits(clinic: Clinic) -> OnlineHabits:
    kept = clinic.about.get(SETTING)
    return OnlineHabits(**kept) if isinstance(kept, dict) else OnlineHabits()


@act("setup")
def keep_online_habits(tx: Transaction, habits: OnlineHabits) -> None:
    """Raises Problems beside the fields."""
    with ProblemCollector() as wrong:
        for name, (least, most) in LIMITS.items():
            if not least <= getattr(habits, name) <= most:
                wrong.add(name, f"Choose {least} to {most}.")
    kept = asdict(habits)
    tx.keep_setting(SETTING, kept)
    tx.change_setup("setup.online", **kept)


def types_shown(clinic: Clinic, been_here: bool) -> list[VisitType]:
    """What somebody may ask for who has been here, or hasn't."""
    for_whom = {"all", "known" if been_here else "new"}
    return [
        kind
        for kind in clinic.types.values()
        if kind.active and kind.web != "no" and kind.for_whom in for_whom
    ]
