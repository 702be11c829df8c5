"""What a list of recalls shows, as its address says it and as one sentence reads: what, due by when, for
whom, booked or not, tried or not.

An address that says nonsense is a list without that wish, never an error; the sentence tells what is shown.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, timedelta
from enum import StrEnum

from zax.core.book.calendar import step_months
from zax.core.reading import reference


class By(StrEnum):
    """Due until when; the longest due are always on the list."""

    OVER = "over"
    TODAY = "today"
    MONTH = "month"
    QUARTER = "quarter"
    ALL = "all"


BY_WORDS = {
    By.OVER: "and past their time",
    By.TODAY: "by today",
    By.MONTH: "within a month",
    By.QUARTER: "within three months",
    By.ALL: "any day",
}


class Booked(StrEnum):
    NOT_YET = "not"
    NO_VISIT = "none"
    BOOKED = "booked"
    EITHER = "either"


BOOKED_WORDS = {
    Booked.NOT_YET: "not booked yet",
    Booked.NO_VISIT: "with no next visit at all",
    Booked.BOOKED: "booked",
    Booked.EITHER: "booked or not",
}


class Tried(StrEnum):
    EITHER = "either"
    NOT_TRIED = "no"
    TRIED = "yes"


TRIED_WORDS = {Tried.EITHER: "tried or not", Tried.NOT_TRIED: "not tried yet", Tried.TRIED: "tried before"}
AGES = {"": "any age", "0-12": "up to 12", "13-17": "13 to 17", "18-64": "18 to 64", "65-": "65 and over"}


@dataclass(frozen=True, slots=True)
class Born:
    """After `first` and until `last`; None for no limit."""

    first: date | None = None
    last: date | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class RecallFilter:
    """`before` is the last due day shown, None for any. Ids are 0 for everybody."""

    by: By = By.MONTH
    before: date | None = None
    type_id: int = 0
    provider_id: int = 0
    site_id: int = 0
    booked: Booked = Booked.NOT_YET
    tried: Tried = Tried.EITHER
    plan_id: int = 0
    flag_id: int = 0
    age: str = ""

    def born(self, today: date) -> Born:
        """Whose birthdays make them that old today."""
        youngest, _, oldest = self.age.partition("-")
        last = step_months(today, -12 * int(youngest)) if youngest.isdecimal() and int(youngest) else None
        first = step_months(today, -12 * (int(oldest) + 1)) if oldest.isdecimal() else None
        return Born(first, last)

    def address(self) -> dict[str, str]:
        """What differs from the usual list, as the address says it."""
        usual = RecallFilter()
        said = {
            "by": str(self.by),
            "type": str(self.type_id or ""),
            "with": str(self.provider_id or ""),
            "site": str(self.site_id or ""),
            "booked": str(self.booked),
            "tried": str(self.tried),
            "plan": str(self.plan_id or ""),
            "flag": str(self.flag_id or ""),
            "age": self.age,
        }
        plain = {"by": str(usual.by), "booked": str(usual.booked), "tried": str(usual.tried)}
        return {name: value for name, value in said.items() if value and value != plain.get(name)}


def read_filter(asked: Mapping[str, str], today: date) -> RecallFilter:
    """From an address."""
    by = By(asked["by"]) if asked.get("by") in list(By) else By.MONTH
    return RecallFilter(
        by=by,
        before=_before(by, today),
        type_id=reference(asked.get("type", "")),
        provider_id=reference(asked.get("with", "")),
        site_id=reference(asked.get("site", "")),
        booked=Booked(asked["booked"]) if asked.get("booked") in list(Booked) else Booked.NOT_YET,
        tried=Tried(asked["tried"]) if asked.get("tried") in list(Tried) else Tried.EITHER,
        plan_id=reference(asked.get("plan", "")),
        flag_id=reference(asked.get("flag", "")),
        age=asked["age"] if asked.get("age") in AGES else "",
    )


def _before(by: By, today: date) -> date | None:
    match by:
        case By.OVER:
            return today - timedelta(days=1)
        case By.TODAY:
            return today
        case By.MONTH:
            return step_months(today, 1)
        case By.QUARTER:
            return step_months(today, 3)
        case By.ALL:
            return None
