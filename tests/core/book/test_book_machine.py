"""Any sequence of book, move, shelve, put back, cancel and undo, by any number of desks: no visit is lost,
nobody and no room is booked twice.

The machine keeps the Book as plain values and lets the rules of the core decide, as the desk does with rows
of the database.
"""

from dataclasses import dataclass, replace

from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import Bundle, RuleBasedStateMachine, consumes, invariant, rule

from zax.core.book.booking import Column, Placed, StaffNeed, Taken, Want, place
from zax.core.book.hours import Span
from zax.core.book.track import FREES_THE_TIME, ON_THE_BOOK, Stop, check_move, check_undo
from zax.core.errors import ZaxError

HOURS = (Span(480, 720),)
LEADS, DENTISTS, ROOMS, DAYS = (1, 2), (7, 8), (11, 12), (0, 1)
EXAM = StaffNeed("dentist", 10, (20, 10, 30))


@dataclass(frozen=True, kw_only=True)
class Visit:
    day: int
    span: Span
    lead: int
    exam: bool
    state: Stop
    placed: Placed
    version: int = 1


class Book(RuleBasedStateMachine):
    visits: Bundle[int] = Bundle("visits")
    undos: Bundle[tuple[int, Visit, int]] = Bundle("undos")

    def __init__(self) -> None:
        super().__init__()
        self.book: dict[int, Visit] = {}
        self.made = 0

    def column(self, person: int, day: int, leaving: int) -> Column:
        taken = tuple(
            Taken(slot.span, str(number))
            for number, v in self.book.items()
            for slot in v.placed.staff
            if number != leaving
            and v.day == day
            and v.state not in FREES_THE_TIME
            and slot.provider_id == person
        )
        return Column(person, str(person), HOURS, taken)

    def room(self, room: int, day: int, leaving: int) -> Column:
        taken = tuple(
            Taken(v.span, str(n))
            for n, v in self.book.items()
            if n != leaving and v.day == day and v.state not in FREES_THE_TIME and v.placed.room_id == room
        )
        return Column(room, str(room), (), taken)

    def place(self, day: int, span: Span, lead: int, exam: bool, leaving: int = 0) -> Placed:
        people = [self.column(p, day, leaving) for p in DENTISTS]
        rooms = [self.room(r, day, leaving) for r in ROOMS]
        return place(
            Want(
                span=span,
                lead=self.column(lead, day, leaving),
                rooms=rooms,
                needs=(EXAM,) if exam else (),
                people={"dentist": people},
            )
        )

    @rule(
        target=visits,
        day=st.sampled_from(DAYS),
        start=st.integers(96, 140),
        minutes=st.sampled_from([30, 40, 60]),
        lead=st.sampled_from(LEADS),
        exam=st.booleans(),
    )
    def book_one(self, day: int, start: int, minutes: int, lead: int, exam: bool) -> int:
        span = Span(start * 5, start * 5 + minutes)
        try:
            placed = self.place(day, span, lead, exam)
        except ZaxError:
            return 0
        self.made += 1
        self.book[self.made] = Visit(
            day=day, span=span, lead=lead, exam=exam, state=Stop.BOOKED, placed=placed
        )
        return self.made

    def change(self, number: int, after: Visit) -> tuple[int, Visit, int]:
        before = self.book[number]
        self.book[number] = replace(after, version=before.version + 1)
        return number, before, before.version + 1

    @rule(
        target=undos,
        number=visits,
        day=st.sampled_from(DAYS),
        start=st.integers(96, 140),
        lead=st.sampled_from(LEADS),
        longer=st.sampled_from([-10, 0, 10]),
    )
    def move(
        self, number: int, day: int, start: int, lead: int, longer: int
    ) -> tuple[int, Visit, int] | None:
        visit = self.book.get(number)
        if visit is None or visit.state not in {*ON_THE_BOOK, Stop.SHELF}:
            return None
        span = Span(start * 5, start * 5 + max(30, visit.span.minutes + longer))
        try:
            placed = self.place(day, span, lead, visit.exam, number)
        except ZaxError:
            return None
        to = Stop.BOOKED
        if to != visit.state:
            check_move(visit.state, to)
        return self.change(number, replace(visit, day=day, span=span, lead=lead, placed=placed, state=to))

    @rule(target=undos, number=visits, to=st.sampled_from([Stop.SHELF, Stop.CANCELED, Stop.CONFIRMED]))
    def step(self, number: int, to: Stop) -> tuple[int, Visit, int] | None:
        visit = self.book.get(number)
        if visit is None:
            return None
        try:
            check_move(visit.state, to, "a reason")
        except ZaxError:
            return None
        if visit.state in FREES_THE_TIME and to not in FREES_THE_TIME and not self.free_again(number, visit):
            return None
        return self.change(number, replace(visit, state=to))

    def free_again(self, number: int, visit: Visit) -> bool:
        columns = [
            (self.column(slot.provider_id, visit.day, number), slot.span) for slot in visit.placed.staff
        ]
        columns.append((self.room(visit.placed.room_id, visit.day, number), visit.span))
        return all(column.in_the_way(span) is None for column, span in columns)

    @rule(undo=consumes(undos))
    def undo(self, undo: tuple[int, Visit, int] | None) -> None:
        if undo is None:
            return
        number, before, after = undo
        now = self.book[number]
        if now.version != after or (
            before.state not in FREES_THE_TIME and not self.free_again(number, before)
        ):
            return
        if before.state != now.state:
            check_undo(now.state, before.state)
        self.change(number, before)

    @invariant()
    def nobody_and_no_room_is_booked_twice(self) -> None:
        seen: set[tuple[int, int, int]] = set()
        for visit in self.book.values():
            if visit.state in FREES_THE_TIME:
                continue
            whole = [
                (visit.placed.room_id, visit.span),
                *((slot.provider_id, slot.span) for slot in visit.placed.staff),
            ]
            for who, span in whole:
                for minute in range(span.start, span.end, 5):
                    assert (who, visit.day, minute) not in seen
                    seen.add((who, visit.day, minute))

    @invariant()
    def no_visit_is_lost(self) -> None:
        assert set(self.book) == set(range(1, self.made + 1))


TestBook = Book.TestCase
TestBook.settings = settings(max_examples=60, stateful_step_count=30, deadline=None)
