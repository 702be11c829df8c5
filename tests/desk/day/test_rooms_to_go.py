"""The room offered to somebody who waits is a free one, and no room is offered to two."""

from tests.conftest import JUNO, TODAY, add_patient, order
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import check_in
from zax.desk.book.booking import book_visit
from zax.desk.book.track import take_to_room
from zax.desk.day.live_day import Filter, day_view, desk_lists


def offered(desk: Desk) -> dict[int, str]:
    with desk.engine.connect() as connection:
        view = day_view(connection, desk.clinic, desk.clock.now(), 1, TODAY, Filter())
        rooms = desk_lists(connection, desk.clinic, view).goes_to
    return {number: room.name if room else "" for number, room in rooms.items()}


def waiting(desk: Desk, start: str, provider: int = 5) -> int:
    visit = book_visit(desk, JUNO, order(add_patient(desk), provider, start))
    check_in(desk, JUNO, visit)
    return visit


def test_ones_own_room_is_offered_while_nobody_sits_there_and_then_another(desk: Desk) -> None:
    first, second = waiting(desk, "14:00"), waiting(desk, "14:30")
    own = desk.clinic.rooms[5].name
    assert offered(desk)[first] == own and offered(desk)[second] not in {own, ""}
    take_to_room(desk, JUNO, first)
    room = offered(desk)[second]
    assert room not in {own, ""}
    number = next(each.id for each in desk.clinic.rooms.values() if each.name == room)
    take_to_room(desk, JUNO, second, number)  # and it is not refused
    assert offered(desk) == {}


def test_a_room_in_which_somebody_is_expected_soon_is_not_offered_to_another(desk: Desk) -> None:
    visit = waiting(desk, "14:00")
    take_to_room(desk, JUNO, waiting(desk, "11:00"))  # the room of both
    free = offered(desk)[visit]
    assert free
    number = next(each.id for each in desk.clinic.rooms.values() if each.name == free)
    for start, taken in (("14:30", False), ("11:30", False), ("10:50", True)):
        book_visit(desk, JUNO, order(add_patient(desk), 6, start, room_id=number))
        assert (offered(desk)[visit] != free) == taken, start


def test_no_room_is_offered_to_two_and_none_that_is_not_free(desk: Desk) -> None:
    visits = [waiting(desk, start, provider) for start in ("14:00", "14:30", "15:00") for provider in (5, 6)]
    medical = [each.name for each in desk.clinic.rooms.values() if each.site_id == 1 and not each.dental]
    rooms = offered(desk)
    given = [room for room in rooms.values() if room]
    assert len(given) == len(set(given)) == min(len(medical), len(visits))
    for visit, name in [(visit, name) for visit, name in rooms.items() if name]:
        number = next(each.id for each in desk.clinic.rooms.values() if each.name == name)
        take_to_room(desk, JUNO, visit, number)
    assert set(offered(desk).values()) == {""} and len(offered(desk)) == len(visits) - len(given)
