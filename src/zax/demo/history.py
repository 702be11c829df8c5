"""Past and coming visits as rows, with their track, charges, journal, payments and claims; nobody is in two
places at once, and nothing that was done is dated later than now.
"""

from __future__ import annotations

import math
import random
from collections.abc import Sequence
from datetime import date, datetime, timedelta

from zax.clock import to_utc
from zax.core.book.hours import Span
from zax.core.book.minutes import free_spans
from zax.demo.bulk import Bulk
from zax.demo.past_money import PastMoney
from zax.demo.people import Person, is_child
from zax.demo.rows import PastVisit, Rows, moment
from zax.demo.world import HOURS, PROVIDERS, ROOMS, SITES, TYPE_ID, TYPES, ZONE, closures

ROLE_TYPES = {
    "dentist": (
        "Filling",
        "Filling",
        "Filling",
        "Crown prep",
        "Crown seat",
        "Root canal",
        "Extraction",
        "Toothache",
    ),
    "hygienist": ("Hygiene", "Hygiene", "Hygiene", "Hygiene", "Gum care"),
    "medical": ("Sick visit", "Sick visit", "Follow-up", "Follow-up", "Physical", "Vaccines"),
}

CONFIRMED_BEFORE = timedelta(days=2)
# What regulars came for, and since when not: far enough back that no limit of today's work counts it.
APART = {"Filling": 40, "Hygiene": 170}  # days between two of a kind
REGULARS_LAST_CAME = timedelta(days=400)
REGULAR_SHARE = 0.2


def _misses(visit: PastVisit, lead: int) -> float:
    """How likely they don't come: most hardly ever, a few often; more when it was booked long before or is
    early, as in a real clinic. About 4 in 100 of all visits.
    """
    habit = random.Random(visit.person.id * 7919).gauss(0, 1.2)
    odds = -4.2 + habit + 0.018 * lead + (0.5 if visit.start < 9 * 60 else 0.0)
    return 1 / (1 + math.exp(-odds))


class History:
    """Makes visits day by day into the bulk loader. `now` is the site's wall clock. `regulars` are people who
    come today and came before, each with the teeth that today's work needs as they are.
    """

    def __init__(
        self,
        bulk: Bulk,
        people: Sequence[Person],
        now: datetime,
        seed: int,
        full: bool = True,
        regulars: Sequence[tuple[Person, frozenset[str]]] = (),
    ) -> None:
        self.bulk, self.people, self.now, self.full = bulk, people, now, full
        self.rng, self.habit = random.Random(seed), random.Random(seed + 1)
        self.rows = Rows()
        self.regulars = [person for person, _ in regulars]
        self.came: dict[tuple[int, str], date] = {}
        kept = {person.id: set(teeth) for person, teeth in regulars}
        self.money = PastMoney(self.rows, now, self.rng, full, kept)
        self.visits = 0

    def make_day(self, day: date, copy: int, fill: float) -> None:
        """One day of one copy of the clinic, about `fill` (0 to 1) of its time taken."""
        if day.weekday() > 4 or closures(day, day):
            return
        seen: set[int] = set()
        free_dentists: dict[int, list[Span]] = {}
        order = sorted(range(1, len(PROVIDERS) + 1), key=lambda p: PROVIDERS[p - 1][4] != "dentist")
        for provider in order:
            taken = self._provider_day(day, copy, provider, fill, seen, free_dentists)
            if PROVIDERS[provider - 1][4] == "dentist":
                free_dentists[provider] = free_spans([Span(a, b) for a, b in HOURS[provider]], taken, 10)

    def flush(self) -> None:
        self.rows.load(self.bulk)

    def _provider_day(
        self,
        day: date,
        copy: int,
        provider: int,
        fill: float,
        seen: set[int],
        dentists: dict[int, list[Span]],
    ) -> list[Span]:
        role = PROVIDERS[provider - 1][4]
        taken: list[Span] = []
        for opens, closes in HOURS[provider]:
            at = opens
            while True:
                kind = self.rng.choice(ROLE_TYPES[role])
                minutes = TYPES[TYPE_ID[kind] - 1][1]
                if at + minutes > closes:
                    break
                helper = self._helper(kind, at, dentists) if TYPES[TYPE_ID[kind] - 1][4][0] else None
                if self.rng.random() > fill or (TYPES[TYPE_ID[kind] - 1][4][0] and helper is None):
                    at += 30
                    continue
                person = self._someone(seen, kind, day)
                self._visit(
                    PastVisit(
                        id=self.rows.next_id("visit"),
                        site_id=copy * len(SITES) + 1,
                        person=person,
                        provider=copy * len(PROVIDERS) + provider,
                        type_name=kind,
                        day=day,
                        start=at,
                        minutes=minutes,
                        state="",
                        helper=helper and (copy * len(PROVIDERS) + helper[0], helper[1]),
                    ),
                    PROVIDERS[provider - 1][8] + copy * len(ROOMS),
                )
                taken.append(Span(at, at + minutes))
                at += minutes + (10 if role == "dentist" else 0)
        return taken

    def _helper(self, kind: str, start: int, dentists: dict[int, list[Span]]) -> tuple[int, int] | None:
        for offset in map(int, TYPES[TYPE_ID[kind] - 1][4][2].split()):
            wanted = Span(start + offset, start + offset + 10)
            for dentist, spans in dentists.items():
                for number, span in enumerate(spans):
                    if wanted.within(span):
                        spans[number : number + 1] = [
                            Span(span.start, wanted.start),
                            Span(wanted.end, span.end),
                        ]
                        return dentist, wanted.start
        return None

    def _someone(self, seen: set[int], kind: str, day: date) -> Person:
        if kind in APART and self._long_ago(day) and self.habit.random() < REGULAR_SHARE:
            free = [each for each in self.regulars if each.id not in seen and self._due(each, kind, day)]
            if free:
                person = self.habit.choice(free)
                self.came[person.id, kind] = self.came[person.id, ""] = day
                seen.add(person.id)
                return person
        while True:
            person = self.people[int(self.rng.random() * len(self.people))]
            if person.id in seen or (
                is_child(person, day) and kind not in {"Hygiene", "Filling", "Sick visit", "Vaccines"}
            ):
                continue
            seen.add(person.id)
            return person

    def _due(self, person: Person, kind: str, day: date) -> bool:
        """Whether they were not here for a while, and not for this."""
        any_visit, same = self.came.get((person.id, "")), self.came.get((person.id, kind))
        pause = timedelta(days=APART[kind])
        return (not any_visit or day - any_visit > timedelta(days=20)) and (not same or day - same > pause)

    def _long_ago(self, day: date) -> bool:
        """In the benefit year before this one, and long before today."""
        today = self.now.date()
        return day.year < today.year and today - day > REGULARS_LAST_CAME

    def _visit(self, visit: PastVisit, room: int) -> None:
        self.visits += 1
        lead = self.rng.randrange(3, 60)
        visit.state = self._state(visit, lead)
        made = moment(min(visit.day, self.now.date()), 600) - timedelta(days=lead)
        by = self.rng.choice((1, 2))
        self.rows["visit"].append(
            (
                visit.id,
                visit.site_id,
                visit.person.id,
                visit.provider,
                room,
                TYPE_ID[visit.type_name],
                visit.day,
                visit.start,
                visit.minutes,
                visit.state,
                self._off_why(visit.state),
                made,
                by,
            )
        )
        self.rows["staff_slot"].append(
            (
                visit.id,
                visit.provider,
                visit.day,
                visit.start,
                visit.start + visit.minutes,
                "",
            )
        )
        if visit.helper:
            who, at = visit.helper
            self.rows["staff_slot"].append((visit.id, who, visit.day, at, at + 10, "exam"))
        lines = self.money.charge(visit, made, by)
        if visit.state in {"checkout", "left", "settled"}:
            visit.state = self.money.settle(visit, lines, by)
            self.rows["visit"][-1] = (*self.rows["visit"][-1][:9], visit.state, "", made, by)
        self._track(visit, made, by)

    def _state(self, visit: PastVisit, lead: int) -> str:
        roll = self.rng.random()
        minute = self.now.hour * 60 + self.now.minute
        if visit.day > self.now.date() or (visit.day == self.now.date() and visit.start > minute + 15):
            near = (visit.day - self.now.date()).days < CONFIRMED_BEFORE.days
            return "confirmed" if near and roll < 0.6 else "booked"
        if visit.day == self.now.date() and visit.start + visit.minutes > minute - 15:
            return (
                "here"
                if visit.start > minute
                else "room"
                if visit.start + visit.minutes > minute
                else "checkout"
            )
        misses = _misses(visit, lead)
        return "missed" if roll < misses else "canceled" if roll < misses + 0.03 else "left"

    def _off_why(self, state: str) -> str:
        return (
            "missed"
            if state == "missed"
            else self.rng.choice(("wants", "declined", "clinic"))
            if state == "canceled"
            else ""
        )

    def _track(self, visit: PastVisit, made: datetime, by: int) -> None:
        start = moment(visit.day, visit.start)
        end = start + timedelta(minutes=visit.minutes)
        wait = timedelta(minutes=self.rng.randrange(2, 14))
        full = [
            ("booked", made),
            ("confirmed", max(made, start - CONFIRMED_BEFORE)),
            ("here", min(start - wait, to_utc(self.now, ZONE) - timedelta(minutes=1))),
            ("room", start),
            ("checkout", end),
            ("left", end + timedelta(minutes=6)),
            ("settled", end + timedelta(minutes=7)),
        ]
        confirms = self.habit.random() < (0.35 if visit.state in {"missed", "canceled"} else 0.8)
        if visit.state in {"missed", "canceled"}:
            steps = [full[0], *full[1 : 1 + (confirms and self.full)], (visit.state, start)]
        else:
            steps = full[: [name for name, _ in full].index(visit.state) + 1]
            if len(steps) > 4 and not (self.full and confirms):
                steps = [full[0], *full[2:5], steps[-1]] if not self.full else [full[0], *steps[2:]]
        before = ""
        for name, at in steps:
            self.rows["track_move"].append((visit.id, before, name, at, by))
            before = name
