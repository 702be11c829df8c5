"""Days as people say them: "fri", "3 weeks", "in 6 months, pm", "dec 15 2:30", "monday after next".

One reader for every field in which a day is typed: jumps of the calendar, which may look back, and times to
come, which may not. What is read is shown in full before it is used, so a reading is never a silent guess;
what has two readings of equal weight ("mon tue") or none ("soon") is Refused.

Days are local, halves of a day 'am' and 'pm', times minutes from midnight.
"""

from __future__ import annotations

import re
from calendar import monthrange
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, timedelta

from rapidfuzz.distance import DamerauLevenshtein

from zax.core.book.calendar import step_months, step_weeks
from zax.core.errors import Refused
from zax.core.reading import FIRST_YEAR, LAST_YEAR, month_number, parse_clock
from zax.core.wording import WEEKDAYS, day_words, style, typed_day

LEAST_TO_MISSPELL = 4  # letters: of a shorter word one wrong letter is another word


@dataclass(frozen=True, slots=True)
class DayPhrase:
    """A day that was typed, with the half of the day or the time where one was said."""

    day: date
    half: str = ""
    minute: int | None = None


_WEEKDAYS = tuple(name.lower() for name in WEEKDAYS)
_SHORT = {"tues": 1, "weds": 2, "thur": 3, "thurs": 3}
_NUMBERS = ["one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"]
_HALVES = {"am": "am", "morning": "am", "pm": "pm", "afternoon": "pm"}
_UNITS = {"d": "day", "w": "week", "wk": "week", "m": "month", "mo": "month", "mth": "month", "mnth": "month"}
_UNITS |= {"y": "year", "yr": "year", "day": "day", "week": "week", "month": "month", "year": "year"}
_UNIT = "|".join(sorted(_UNITS, key=len, reverse=True))
_STEP = re.compile(rf"(?P<sign>[+-]|in )? ?(?P<number>\d{{1,3}}) ?(?P<unit>{_UNIT})s?(?P<back> ago| back)?")
_NUMERIC = re.compile(r"(?P<one>\d{1,2})[/.-](?P<two>\d{1,2})(?:[/.-](?P<year>\d{4}|\d{2}))?")
_ISO = re.compile(r"(\d{4})-(\d{1,2})-(\d{1,2})")
_NAMED = re.compile(
    r"(?:(?P<month>[a-z]{3,9}) (?P<day>\d{1,2})|(?P<first>\d{1,2}) (?P<then>[a-z]{3,9}))"
    r"(?: (?P<year>\d{4}|\d{2}))?"
)
_TIME = re.compile(r"(?:\d{1,2}[:.]\d{2} ?(?:[ap]m?)?|\d{3,4}|\d{1,2} ?[ap]m|noon)")
_SMALL = {"on", "of", "at", "from", "now"}
_NEAR = {"today": 0, "tomorrow": 1, "tomorow": 1, "tmrw": 1, "tmr": 1, "tom": 1, "yesterday": -1}
_NEAR |= {"day after tomorrow": 2, "day before yesterday": -2}


def read_day(text: str, today: date, shown: date | None = None, field: str = "to") -> DayPhrase:
    """What was typed, counted from today; steps such as '3w' from the day `shown`, where there is one.

    Raises Refused beside `field` for what is no day.
    """
    typed = _plain(text)
    day = _day_of(typed, today, shown or today)
    if day is not None:
        return DayPhrase(_alive(day, text, field))
    for cut in (1, 2):
        rest, ending = _cut(typed, cut)
        day = _day_of(rest, today, shown or today) if rest else None
        if day is None:
            continue
        if ending in _HALVES:
            return DayPhrase(_alive(day, text, field), _HALVES[ending])
        if _TIME.fullmatch(ending):
            minute = parse_clock(ending, field)
            return DayPhrase(_alive(day, text, field), "am" if minute < 12 * 60 else "pm", minute)
    raise _no_day(text, today, field)


def coming_day(text: str, today: date, field: str = "to") -> DayPhrase:
    """The same for something yet to come; Refused for a day that is over."""
    found = read_day(text, today, field=field)
    if found.day < today:
        raise Refused(f"{day_words(found.day, year=True)} is over. Choose a day to come.", field)
    return found


def parse_jump(text: str, shown: date, today: date) -> date:
    """Where the calendar jumps; an empty field is today."""
    return read_day(text, today, shown).day if text.strip() else today


def _no_day(text: str, today: date, field: str) -> Refused:
    example = typed_day(date(today.year, 12, 24)).rpartition("/")[0]
    return Refused(
        f"“{text.strip()[:20]}” isn’t a day. Enter {example}, fri, 3w (three weeks out) or 6m.", field
    )


def _alive(day: date, text: str, field: str) -> date:
    """Years far off would overflow wherever a day is added or taken away."""
    if not FIRST_YEAR <= day.year <= LAST_YEAR:
        raise Refused(f"“{text.strip()[:20]}” is too far away.", field)
    return day


def _plain(text: str) -> str:
    """Lower case, without commas, ordinals' endings and the small words between; numbers as digits."""
    typed = re.sub(r"\b(\d{1,2})(?:st|nd|rd|th)\b", r"\1", text.lower().replace(",", " "))
    words = [word for word in typed.replace("@", " ").split() if word not in _SMALL]
    words = [word for word in words if word != "the" or len(words) == 2]
    counted = [str(_NUMBERS.index(word) + 1) if word in _NUMBERS else word for word in words]
    return " ".join("1" if word in {"a", "an"} else word for word in counted)


def _cut(typed: str, words: int) -> tuple[str, str]:
    """The phrase without its last words, and those."""
    parts = typed.split(" ")
    return " ".join(parts[:-words]), " ".join(parts[-words:])


def _day_of(typed: str, today: date, shown: date) -> date | None:
    """The day of a plain phrase by the first way of saying it that fits."""
    ways: tuple[Callable[[str, date], date | None], ...] = (
        lambda text, _: _step(text, shown),
        _near,
        _weekday,
        _period,
        _iso,
        _numeric,
        _named,
        _of_the_month,
    )
    try:
        return next((day for way in ways if (day := way(typed, today)) is not None), None)
    except (OverflowError, ValueError):
        return None


def _step(typed: str, shown: date) -> date | None:
    """'3w', 'in 2 weeks', '-6m', '10 days ago'."""
    found = _STEP.fullmatch(typed)
    if found is None:
        return None
    back = found["sign"] == "-" or found["back"]
    number, unit = int(found["number"]) * (-1 if back else 1), _UNITS[found["unit"]]
    if unit == "day":
        return shown + timedelta(days=number)
    return step_weeks(shown, number) if unit == "week" else step_months(shown, number * _months(unit))


def _months(unit: str) -> int:
    return 12 if unit == "year" else 1


def _near(typed: str, today: date) -> date | None:
    ahead = _NEAR.get(typed)
    return None if ahead is None else today + timedelta(days=ahead)


def _weekday(typed: str, today: date) -> date | None:
    """'fri' and 'this fri' are the coming one, 'next fri' that of the week after this, 'last fri' the one
    before today.
    """
    after_next = typed.endswith(" after next")
    words = typed.removesuffix(" after next").split(" ")
    name = _weekday_named(words[-1])
    if name is None or len(words) > 2:
        return None
    coming = today + timedelta(days=(name - today.weekday()) % 7 or 7)
    next_week = today + timedelta(days=7 - today.weekday() + name)
    if after_next:
        return next_week + timedelta(days=7) if len(words) == 1 else None
    if len(words) == 1 or words[0] == "this":
        return coming
    past = today - timedelta(days=(today.weekday() - name) % 7 or 7)
    return {"next": next_week, "last": past}.get(words[0])


def _weekday_named(word: str) -> int | None:
    """The weekday of a name, its beginning, or a name with one wrong letter; None where that is two days."""
    if word in _SHORT:
        return _SHORT[word]
    if len(word) >= 3:
        begun = [n for n, name in enumerate(_WEEKDAYS) if name.startswith(word)]
        if len(begun) == 1:
            return begun[0]
    if len(word) < LEAST_TO_MISSPELL:
        return None
    names = [(name, n) for n, name in enumerate(_WEEKDAYS)] + list(_SHORT.items())
    wrong = 2 if len(word) > len("friday") else 1
    far = {n: min(DamerauLevenshtein.distance(word, name) for name, of in names if of == n) for _, n in names}
    best = min(far.values())
    nearest = [n for n, distance in far.items() if distance == best]
    return nearest[0] if best <= wrong and len(nearest) == 1 else None


def _period(typed: str, today: date) -> date | None:
    """'next week', 'last month', 'end of the month', 'first of the year'."""
    words = typed.split(" ")
    if len(words) != 2 or words[1] not in {"week", "month", "year"}:
        return None
    which, unit = words
    if which in {"next", "last"}:
        return _step(f"{'-' if which == 'last' else ''}1{unit[0]}", today)
    if unit == "week":
        return {"end": today + timedelta(days=(4 - today.weekday()) % 7)}.get(which)
    months = 13 - today.month if unit == "year" else 1
    begins = step_months(today.replace(day=1), months)
    return {"end": begins - timedelta(days=1), "first": begins, "1": begins, "beginning": begins}.get(which)


def _iso(typed: str, _: date) -> date | None:
    found = _ISO.fullmatch(typed)
    return date(int(found[1]), int(found[2]), int(found[3])) if found else None


def _numeric(typed: str, today: date) -> date | None:
    """'12/24', '12/24/27': month and day in the clinic's order."""
    found = _NUMERIC.fullmatch(typed)
    if found is None:
        return None
    one, two = int(found["one"]), int(found["two"])
    month, day = (two, one) if style().day_first else (one, two)
    return _dated(month, day, found["year"], today)


def _named(typed: str, today: date) -> date | None:
    """'dec 15', '15 december 2027'."""
    found = _NAMED.fullmatch(typed)
    if found is None:
        return None
    name, day = (found["month"], found["day"]) if found["month"] else (found["then"], found["first"])
    return _dated(month_number(name), int(day), found["year"], today)


def _dated(month: int, day: int, year: str | None, today: date) -> date | None:
    """The date; without a year the next one from today on."""
    if year:
        return date(int(year) + (2000 if len(year) == 2 else 0), month, day)
    for each in (today.year, today.year + 1):
        if 1 <= month <= 12 and 1 <= day <= monthrange(each, month)[1] and date(each, month, day) >= today:
            return date(each, month, day)
    return None


def _of_the_month(typed: str, today: date) -> date | None:
    """'the 1st', 'the 15th': the next such day of a month."""
    found = re.fullmatch(r"the (\d{1,2})", typed)
    if found is None:
        return None
    month = today.replace(day=1)
    for ahead in range(3):
        each = step_months(month, ahead)
        if int(found[1]) <= monthrange(each.year, each.month)[1] and each.replace(day=int(found[1])) >= today:
            return each.replace(day=int(found[1]))
    return None
