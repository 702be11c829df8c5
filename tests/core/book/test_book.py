"""Time on the book: spans, gaps, collisions, helpers and lateness."""

from datetime import date, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.book.booking import (
    Column,
    StaffNeed,
    StaffSlot,
    Taken,
    Want,
    check_column,
    check_length,
    check_time,
    nearest_fit,
    place,
)
from zax.core.book.hours import Span, closed, fits, joined, without
from zax.core.book.lateness import Running, expected_end, is_late, minutes_behind
from zax.core.book.minutes import free_spans
from zax.core.book.track import MOVES, UNDOING, Moved, Stop, check_move, minutes_since, reached, replay
from zax.core.errors import Conflict, Refused
from zax.core.wording import clock_words

NOW = datetime(2026, 11, 24, 10, 42)
TODAY = NOW.date()
spans = st.tuples(st.integers(0, 1430), st.integers(1, 200)).map(
    lambda pair: Span(pair[0], min(1440, pair[0] + pair[1]))
)


def minutes_of(pieces: list[Span]) -> set[int]:
    return {minute for span in pieces for minute in range(span.start, span.end)}


@given(st.lists(spans, max_size=6), st.lists(spans, max_size=8))
def test_what_is_left_is_exactly_the_minutes_open_and_not_taken(
    windows: list[Span], busy: list[Span]
) -> None:
    assert minutes_of(without(windows, busy)) == minutes_of(windows) - minutes_of(busy)


@given(st.lists(spans, max_size=6), st.lists(spans, max_size=8))
def test_free_time_is_the_steps_that_are_wholly_free(windows: list[Span], busy: list[Span]) -> None:
    """Nothing is thought free that is not, whatever minute the hours and visits begin at; nothing is lost but
    parts of a step.
    """
    left = minutes_of(windows) - minutes_of(busy)
    steps = {minute for minute in range(0, 1440, 5) if set(range(minute, minute + 5)) <= left}
    found = free_spans(windows, busy)
    assert minutes_of(found) == {minute for step in steps for minute in range(step, step + 5)}
    assert all(a.end < b.start for a, b in zip(found, found[1:], strict=False))
    assert free_spans(windows, busy, 30) == [span for span in found if span.minutes >= 30]


@given(st.lists(spans, max_size=8))
def test_joining_changes_no_minute_and_leaves_no_neighbors(pieces: list[Span]) -> None:
    together = joined(pieces)
    assert minutes_of(together) == minutes_of(pieces)
    assert all(a.end < b.start for a, b in zip(together, together[1:], strict=False))


@given(spans, st.lists(spans, max_size=5))
def test_a_span_fits_when_all_its_minutes_are_open(span: Span, windows: list[Span]) -> None:
    assert fits(windows, span) == (minutes_of([span]) <= minutes_of(windows))


def test_closed_time_is_the_rest_of_the_day() -> None:
    assert closed([Span(480, 720), Span(780, 1020)], Span(450, 1080)) == [
        Span(450, 480),
        Span(720, 780),
        Span(1020, 1080),
    ]
    assert free_spans([Span(480, 720)], [Span(490, 700)], 15) == [Span(700, 720)]


WREN = Column(
    3, "Dr. Tobias Wren", (Span(510, 740), Span(780, 1020)), (Taken(Span(630, 680), "Arlo Benedetti"),)
)
ROOM = Column(9, "Chair 2", ())


def test_a_collision_names_who_is_in_the_way() -> None:
    with pytest.raises(Conflict) as conflict:
        check_column(WREN, Span(660, 700))
    assert "10:30 to 11:20 am by Arlo Benedetti" in conflict.value.problems["at"]


def test_outside_hours_says_the_hours() -> None:
    with pytest.raises(Refused) as refused:
        check_column(WREN, Span(720, 780))
    assert "8:30 am to 12:20 pm, 1:00 to 5:00 pm" in refused.value.message


def test_back_to_back_is_no_collision() -> None:
    check_column(WREN, Span(680, 740))
    check_column(WREN, Span(600, 630))


@pytest.mark.parametrize(
    ("day", "span", "says"),
    [
        (TODAY, Span(600, 630), "10:00 am on that day has passed"),
        (date(2026, 11, 23), Span(900, 930), "has passed"),
        (TODAY, Span(843, 873), "steps of 5"),
        (TODAY, Span(1430, 1460), "past midnight"),
    ],
)
def test_times_that_cannot_be(day: date, span: Span, says: str) -> None:
    with pytest.raises(Refused) as refused:
        check_time(day, span, 5, NOW)
    assert says in refused.value.problems["at"]


@pytest.mark.parametrize("minutes", [0, -30, 500, 33])
def test_lengths_that_cannot_be(minutes: int) -> None:
    with pytest.raises(Refused):
        check_length(minutes, 5)


def near(column: Column, span: Span, earliest: int = 0) -> Span | None:
    found = nearest_fit([Want(span=span, lead=column, rooms=[ROOM])], 5, earliest, lambda _: True)
    return found.span if found else None


def test_the_nearest_free_time_is_offered() -> None:
    assert near(WREN, Span(640, 670), 642) == Span(680, 710)
    assert near(WREN, Span(640, 670)) == Span(600, 630)
    assert near(Column(1, "x", ()), Span(600, 630)) is None


busy_columns = st.lists(spans, max_size=6).map(
    lambda taken: Column(1, "A", (Span(480, 1020),), tuple(Taken(s, "x") for s in taken))
)


@given(busy_columns, st.integers(96, 190), st.integers(1, 18))
def test_the_nearest_free_time_is_free_and_none_is_nearer(column: Column, start: int, length: int) -> None:
    wanted = Span(start * 5, start * 5 + length * 5)
    found = near(column, wanted)
    free = [s for s in range(0, 1440 - wanted.minutes + 1, 5) if column.is_free(Span(s, s + wanted.minutes))]
    if found is None:
        assert free == []
    else:
        assert column.is_free(found)
        assert abs(found.start - wanted.start) == min(abs(s - wanted.start) for s in free)


def test_the_nearest_fit_may_be_with_somebody_else() -> None:
    full = Column(1, "A", (Span(480, 1020),), (Taken(Span(480, 1020), "x"),))
    other = Column(2, "B", (Span(600, 700),))
    found = nearest_fit(
        [
            Want(span=Span(500, 530), lead=full, rooms=[ROOM]),
            Want(span=Span(500, 530), lead=other, rooms=[ROOM]),
        ],
        5,
        0,
        lambda _: True,
    )
    assert found is not None and (found.lead.id, found.span) == (2, Span(600, 630))


EXAM = StaffNeed("dentist", 10, (30, 40, 20))
INES = Column(1, "Ines", (Span(480, 720),), (Taken(Span(510, 560), "x"),))
TOBIAS = Column(3, "Tobias", (Span(600, 720),))
MAREN = Column(2, "Maren", (Span(450, 780),))


def exam_at(start: int, *dentists: Column) -> StaffSlot:
    want = Want(
        span=Span(start, start + 60), lead=MAREN, rooms=[ROOM], needs=(EXAM,), people={"dentist": dentists}
    )
    return place(want).staff[-1]


def test_a_helper_steps_in_at_the_first_minute_somebody_has() -> None:
    assert exam_at(480, INES, TOBIAS) == StaffSlot(1, Span(500, 510), "exam")
    assert exam_at(570, INES, TOBIAS) == StaffSlot(1, Span(600, 610), "exam")
    assert exam_at(690, TOBIAS) == StaffSlot(3, Span(710, 720), "exam")
    with pytest.raises(Conflict, match="one of Ines, Tobias can step in"):
        exam_at(720, INES, TOBIAS)


def test_the_same_person_throughout_or_anyone() -> None:
    early, late = Column(5, "Early", (Span(480, 520),)), Column(6, "Late", (Span(520, 560),))
    both = Column(7, "Both", (Span(480, 560),))
    first, then = StaffNeed("dentist", 10, (0,)), StaffNeed("dentist", 10, (50,))
    same = StaffNeed("dentist", 10, (50,), same_as=0)

    def staff(second: StaffNeed, *people: Column) -> list[int]:
        want = Want(
            span=Span(480, 540), lead=MAREN, rooms=[ROOM], needs=(first, second), people={"dentist": people}
        )
        return [slot.provider_id for slot in place(want).staff[1:]]

    assert staff(then, early, late) == [5, 6]
    assert staff(same, early, late, both) == [7, 7]
    with pytest.raises(Conflict):
        staff(same, early, late)


def test_a_lead_is_free_between_the_parts_that_need_them() -> None:
    parts = ((0, 10), (40, 20))
    busy = Column(1, "A", (Span(480, 720),), (Taken(Span(490, 520), "x"),))
    assert [
        slot.span
        for slot in place(Want(span=Span(480, 540), lead=busy, rooms=[ROOM], lead_parts=parts)).staff
    ] == [
        Span(480, 490),
        Span(520, 540),
    ]
    with pytest.raises(Conflict):
        place(Want(span=Span(480, 540), lead=busy, rooms=[ROOM]))


def test_a_buffer_keeps_room_and_lead_but_may_outlast_the_hours() -> None:
    lead = Column(1, "A", (Span(480, 540),))
    assert place(Want(span=Span(480, 540), lead=lead, rooms=[ROOM], buffer=15)).staff[0].span == Span(
        480, 555
    )
    taken = Column(9, "Chair 2", (), (Taken(Span(550, 600), "next"),))
    with pytest.raises(Conflict, match="Chair 2 by next"):
        place(Want(span=Span(480, 540), lead=lead, rooms=[taken], buffer=15))
    assert place(Want(span=Span(480, 540), lead=lead, rooms=[taken])).room_id == 9


@pytest.mark.parametrize(
    ("at_once", "mine", "theirs", "free"),
    [(1, True, True, False), (2, True, True, True), (2, False, True, False), (2, True, False, False)],
)
def test_double_booking_only_where_person_and_both_types_allow_it(
    at_once: int, mine: bool, theirs: bool, free: bool
) -> None:
    column = Column(1, "A", (Span(480, 720),), (Taken(Span(500, 530), "Tessa", theirs),), at_once)
    want = Want(span=Span(500, 530), lead=column, rooms=[ROOM], doubles=mine)
    if free:
        assert place(want).room_id == 9
    else:
        with pytest.raises(Conflict, match="by Tessa"):
            place(want)


def test_a_third_visit_at_once_is_refused_though_two_do_not_overlap() -> None:
    taken = (
        Taken(Span(480, 510), "a", True),
        Taken(Span(510, 540), "b", True),
        Taken(Span(480, 540), "c", True),
    )
    assert Column(1, "A", (), taken[:2], 2).in_the_way(Span(490, 530), True) is None
    assert Column(1, "A", (), taken, 2).in_the_way(Span(490, 530), True) is not None


def test_two_minutes_are_on_time() -> None:
    assert not is_late(-9) and not is_late(2) and is_late(3)


def test_running_late_is_seen_from_what_happened() -> None:
    on_time = Running(Span(600, 650), Stop.ROOM, 600)
    late = Running(Span(600, 650), Stop.ROOM, 612)
    assert minutes_behind([on_time], 630) == 0
    assert minutes_behind([late], 630) == 12
    assert expected_end(late, 700) == 700
    assert minutes_behind([Running(Span(630, 660), Stop.HERE)], 642) == 12
    came_late = Running(Span(630, 660), Stop.HERE, None, 640)
    assert minutes_behind([came_late], 642) == 2  # their own ten minutes are not the provider's
    assert minutes_behind([Running(Span(700, 730), Stop.HERE), Running(Span(600, 630), Stop.LEFT)], 642) == 0


def test_the_track_lets_through_only_its_moves() -> None:
    assert check_move(Stop.CONFIRMED, Stop.HERE).right == "arrivals"
    with pytest.raises(Conflict, match="already"):
        check_move(Stop.SETTLED, Stop.HERE)
    with pytest.raises(Refused) as refused:
        check_move(Stop.ROOM, Stop.HERE, "  ")
    assert "reason" in refused.value.problems


@given(st.lists(st.sampled_from(list(Stop)), max_size=12))
def test_a_track_replays_to_its_state_or_is_refused(stops: list[Stop]) -> None:
    state, legal = Stop.BOOKED, True
    for stop in stops:
        legal = legal and ((state, stop) in MOVES or (state, stop) in UNDOING)
        state = stop
    rows = [Moved(stop, NOW) for stop in stops]
    if legal:
        assert replay(rows, Stop.BOOKED) == state
    else:
        with pytest.raises(Conflict):
            replay(rows, Stop.BOOKED)


def test_every_stop_on_the_way_can_be_reached_and_left() -> None:
    assert {to for _, to in MOVES} >= set(Stop) - {Stop.HELD}
    assert {start for start, _ in MOVES} >= set(Stop) - {Stop.CANCELED}


def test_waiting_runs_from_the_last_time_the_visit_came_there() -> None:
    rows = [
        Moved(Stop.HERE, datetime(2026, 11, 24, 10, 0)),
        Moved(Stop.BOOKED, NOW),
        Moved(Stop.HERE, datetime(2026, 11, 24, 10, 28)),
    ]
    assert minutes_since(rows, Stop.HERE, NOW) == 14
    assert minutes_since(rows, Stop.ROOM, NOW) is None
    assert reached(rows, Stop.BOOKED) == NOW
    assert clock_words(605) == "10:05 am"
