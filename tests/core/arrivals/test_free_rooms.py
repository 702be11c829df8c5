"""The room offered to each who waits."""

from hypothesis import given
from hypothesis import strategies as st

from zax.core.arrivals.free_rooms import Waiting, rooms_to_offer

ROOMS = (1, 2, 3, 4)
NOW = 642


def fitting(own: int) -> tuple[int, ...]:
    return (own, *(room for room in ROOMS if room != own))


def test_ones_own_room_first_then_one_that_is_nobodys_soon() -> None:
    first, second = Waiting(7, 1, 30, fitting(1)), Waiting(8, 1, 30, fitting(1))
    assert rooms_to_offer([first, second], (), [], NOW) == {7: 1, 8: 2}
    assert rooms_to_offer([first], {1}, [(2, NOW + 29), (3, NOW + 30)], NOW) == {7: 3}
    assert rooms_to_offer([first], {1}, [(2, NOW - 40), (3, NOW), (4, 0)], NOW) == {7: 0}
    assert rooms_to_offer([first], (), [(1, NOW)], NOW) == {7: 1}  # planned there is planned there


@given(
    st.lists(st.tuples(st.sampled_from(ROOMS), st.integers(5, 120)), max_size=6),
    st.sets(st.sampled_from(ROOMS)),
    st.lists(st.tuples(st.sampled_from(ROOMS), st.integers(0, 1439)), max_size=6),
)
def test_no_room_to_two_none_that_is_taken_and_none_withheld_without_need(
    waits: list[tuple[int, int]], inside: set[int], expected: list[tuple[int, int]]
) -> None:
    waiting = [Waiting(at, room, minutes, fitting(room)) for at, (room, minutes) in enumerate(waits, 1)]
    found = rooms_to_offer(waiting, inside, expected, NOW)
    given_out = [room for room in found.values() if room]
    assert len(given_out) == len(set(given_out)) and not set(given_out) & inside
    for each in waiting:
        if found[each.visit_id] != each.room_id:
            before = [found[other.visit_id] for other in waiting if other.visit_id < each.visit_id]
            assert each.room_id in inside or each.room_id in before
