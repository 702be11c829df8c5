"""Changing hours, closures, types, sets, rooms: what is checked, what it does to booked visits, and that
every process sees it.
"""

from dataclasses import replace
from datetime import date, datetime, timedelta
from typing import Any

import pytest

from tests.conftest import JUNO, SAM, TODAY, add_patient, order, scalar, state_of
from zax.core.book.hours import Span
from zax.core.errors import NotAllowed, NotFound, Problems, Refused, Stale, ZaxError
from zax.demo.world import SERVICE_ID, TYPE_ID
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.book.undo import last_act, undo_act
from zax.desk.clinic.clinic import load
from zax.desk.day.book_views import book_view
from zax.desk.setup.hours import (
    Affected,
    HoursRow,
    add_exception,
    close_clinic,
    close_holidays,
    end_exception,
    open_again,
    outside_now,
    public_holidays,
    set_hours,
)
from zax.desk.setup.sites import SiteForm, choose_mark, save_room, save_site
from zax.desk.setup.visit_types import NeedRow, TypeForm, parse_type_hours, save_set, save_type

FRIDAY = TODAY + timedelta(days=3)


def rows(
    *hours: tuple[str, str],
    weekdays: range = range(5),
    pattern: str = "every",
    site: str = "1",
    rest: str = "",
) -> list[HoursRow]:
    return [
        HoursRow(weekday=str(day), pattern=pattern, site_id=site, start=start, end=end, rest=rest)
        for day in weekdays
        for start, end in hours
    ]


def windows(desk: Desk, provider: int, day: date, site: int = 1) -> list[tuple[int, int]]:
    return [(w.start, w.end) for w in desk.clinic.hours.windows(provider, site, day)]


def booked(desk: Desk, start: str, day: date = FRIDAY, provider: int = 5, kind: str = "Sick visit") -> int:
    return book_visit(desk, JUNO, order(add_patient(desk), provider, start, kind, day=day))


def test_changed_hours_hold_from_their_day_and_leave_the_past(setup: Desk) -> None:
    before = windows(setup, 5, TODAY)
    set_hours(
        setup,
        SAM,
        5,
        FRIDAY,
        rows(("9:00", "15:00"))
        + rows(("12:00", "12:30"), rest="Lunch")
        + rows(("8:00", "10:00"), weekdays=range(5, 6), pattern="first"),
    )
    assert windows(setup, 5, TODAY) == before
    assert windows(setup, 5, FRIDAY) == [(540, 720), (750, 900)]
    assert (
        windows(setup, 5, date(2026, 12, 5)) == [(480, 600)] and windows(setup, 5, date(2026, 12, 12)) == []
    )
    with pytest.raises(NotAllowed):
        set_hours(setup, JUNO, 5, FRIDAY, [])


def test_every_second_week_counts_on_when_another_row_changes(setup: Desk) -> None:
    """Kills: a row that is counted anew from the day on which somebody changed the lunch."""
    first = TODAY + timedelta(days=8)  # a Wednesday
    every_second = rows(("9:00", "15:00"), weekdays=range(2, 3), pattern="biweekly")
    set_hours(setup, SAM, 5, first, every_second)
    days = [first + timedelta(weeks=n) for n in range(6)]
    at_work = [bool(windows(setup, 5, day)) for day in days]
    assert at_work == [True, False] * 3
    kept = [replace(row, counted_from=str(first)) for row in every_second]
    lunch = rows(("12:00", "12:30"), weekdays=range(2, 3), rest="Lunch")
    set_hours(setup, SAM, 5, first + timedelta(weeks=1), kept + lunch)
    assert [bool(windows(setup, 5, day)) for day in days] == at_work


def test_another_process_sees_changed_hours_before_its_next_act(setup: Desk) -> None:
    other = Desk(setup.engine, setup.clock, setup.clinic)
    set_hours(setup, SAM, 5, FRIDAY, rows(("9:00", "10:00")))
    with pytest.raises(Refused, match="9:00 to 10:00"):
        book_visit(other, JUNO, order(add_patient(other), 5, "14:00", day=FRIDAY))
    assert other.clinic.version == setup.clinic.version


@pytest.mark.parametrize(
    ("row", "field"),
    [
        (HoursRow(weekday="0", pattern="every", site_id="1", start="x", end="10:00", rest=""), "start-0"),
        (HoursRow(weekday="0", pattern="every", site_id="1", start="10:00", end="9:00", rest=""), "end-0"),
        (HoursRow(weekday="9", pattern="every", site_id="1", start="8:00", end="9:00", rest=""), "start-0"),
        (HoursRow(weekday="0", pattern="now", site_id="1", start="8:00", end="9:00", rest=""), "start-0"),
        (HoursRow(weekday="0", pattern="every", site_id="7", start="8:00", end="9:00", rest=""), "start-0"),
    ],
)
def test_hours_that_cannot_be_are_said_beside_their_row(setup: Desk, row: HoursRow, field: str) -> None:
    with pytest.raises(Problems) as wrong:
        set_hours(setup, SAM, 5, FRIDAY, [row])
    assert set(wrong.value.problems) == {field}
    twice = rows(("9:00", "12:00")) + rows(("11:00", "14:00"), site="2")
    with pytest.raises(Problems, match="other site"):
        set_hours(setup, SAM, 5, FRIDAY, twice)
    with pytest.raises(Refused, match="past"):
        set_hours(setup, SAM, 5, TODAY - timedelta(days=1), [])


def test_visits_under_changed_hours_are_listed_shelved_or_left_in_sight(setup: Desk) -> None:
    early, late = booked(setup, "9:00"), booked(setup, "15:00")
    with pytest.raises(Affected) as affected:
        set_hours(setup, SAM, 5, FRIDAY, rows(("8:00", "12:00")))
    assert [(v.visit_id, v.start) for v in affected.value.visits] == [(late, 900)]
    assert windows(setup, 5, FRIDAY)[-1][1] == 1005, "nothing was changed yet"
    set_hours(setup, SAM, 5, FRIDAY, rows(("8:00", "12:00")), "leave")
    with setup.engine.connect() as connection:
        assert [v.visit_id for v in outside_now(connection, setup.clinic, TODAY)] == [late]
        view = book_view(connection, setup.clinic, setup.clock.now(), (1,), FRIDAY, "provider")
    assert {bar.id: bool(bar.outside) for bar in view.bars} == {early: False, late: True}
    set_hours(setup, SAM, 5, FRIDAY, [], "shelf")
    assert (state_of(setup, early), state_of(setup, late)) == ("shelf", "booked")
    with setup.engine.connect() as connection:
        view = book_view(connection, setup.clinic, setup.clock.now(), (1,), FRIDAY, "provider")
        assert late in {bar.id for day_column in view.day_columns for bar in day_column.bars}, (
            "a visit is shown though its provider no longer works"
        )
        act = last_act(connection, SAM.id, setup.clock.now())
    undo_act(setup, SAM, act.id)
    assert state_of(setup, early) == "booked"


def test_exceptions_take_time_away_and_add_it(setup: Desk) -> None:
    visit_id = booked(setup, "9:00", provider=6)
    with pytest.raises(Affected):
        add_exception(setup, SAM, 6, FRIDAY, FRIDAY, "", "12:00", "Course", False, None)
    add_exception(setup, SAM, 6, FRIDAY, FRIDAY, "", "12:00", "Course", False, None, "shelf")
    assert state_of(setup, visit_id) == "shelf" and windows(setup, 6, FRIDAY) == [(765, 1005)]
    saturday = FRIDAY + timedelta(days=1)
    add_exception(setup, SAM, 6, saturday, saturday, "9:00", "12:00", "Flu day", True, 1)
    assert windows(setup, 6, saturday) == [(540, 720)]
    exception_id = scalar(setup, "SELECT id FROM provider_exception WHERE extra")
    end_exception(setup, SAM, exception_id)
    assert windows(setup, 6, saturday) == []
    with pytest.raises(NotFound):
        end_exception(setup, SAM, exception_id)
    for changes in (
        {"last": FRIDAY - timedelta(days=1)},
        {"words": ""},
        {"end": "8:00", "start": "9:00"},
        {"extra": True},
        {"first": TODAY - timedelta(days=9), "last": TODAY - timedelta(days=8)},
    ):
        values: dict[str, Any] = {
            "first": FRIDAY,
            "last": FRIDAY,
            "start": "",
            "end": "",
            "words": "x",
            "extra": False,
            "site_id": None,
        } | changes
        with pytest.raises(ZaxError):
            add_exception(
                setup,
                SAM,
                6,
                *(values[n] for n in ("first", "last", "start", "end", "words", "extra", "site_id")),
            )


def test_a_closure_over_midnight_lists_what_lies_under_it(setup: Desk) -> None:
    thursday = datetime(2026, 12, 3)
    late, early = booked(setup, "16:00", date(2026, 12, 3)), booked(setup, "8:00", date(2026, 12, 4))
    other = booked(setup, "11:00", date(2026, 12, 4))
    span = (thursday + timedelta(hours=15), thursday + timedelta(hours=34))
    with pytest.raises(Affected) as affected:
        close_clinic(setup, SAM, *span, "Storm", 1)
    assert {v.visit_id for v in affected.value.visits} == {late, early}
    close_clinic(setup, SAM, *span, "Storm", 1, "shelf")
    assert [state_of(setup, v) for v in (late, early, other)] == ["shelf", "shelf", "booked"]
    with pytest.raises(Refused, match="10:00"):
        booked(setup, "9:00", date(2026, 12, 4))
    open_again(setup, SAM, scalar(setup, "SELECT MAX(id) FROM closure"))
    booked(setup, "9:00", date(2026, 12, 4))
    with pytest.raises(Problems):
        close_clinic(setup, SAM, span[1], span[0], "", None)


def test_public_holidays_are_offered_until_closed(setup: Desk) -> None:
    offered = public_holidays(setup.clinic, 1, TODAY)
    names = dict(offered)
    assert date(2026, 12, 25) not in names, "closed already"
    assert names[date(2027, 5, 31)] == "Memorial Day"
    close_holidays(setup, SAM, [(date(2027, 5, 31), "Memorial Day")])
    assert date(2027, 5, 31) not in dict(public_holidays(setup.clinic, 1, TODAY))
    assert setup.clinic.hours.closure_words(1, date(2027, 5, 31)) == "Memorial Day"
    with pytest.raises(Refused):
        close_holidays(setup, SAM, [])


def need(role: str, minutes: str, offsets: str, words: str, same_as: str) -> NeedRow:
    return NeedRow(role=role, minutes=minutes, offsets=offsets, words=words, same_as=same_as)


def form(**changes: Any) -> TypeForm:
    values: dict[str, Any] = {
        "name": "Long crown",
        "role": "dentist",
        "minutes": "60",
        "buffer": "10",
        "most": "2",
        "goal": "1",
        "ask_after": "30",
        "for_whom": "known",
        "web": "held",
        "doubles": False,
        "active": True,
        "hours": "mon tue 8:00-12:00; fri 13:00-16:00",
        "lead_parts": "0-10, 40-60",
        "equipment": "Microscope",
        "room_ids": (1, 2),
        "services": (SERVICE_ID["D2740"],),
        "set_id": 2,
        "needs": (
            need("hygienist", "20", "10, 15", "help", ""),
            need("hygienist", "5", "50", "rinse", "0"),
        ),
    }
    return TypeForm(**(values | changes))


def test_a_visit_type_keeps_everything_that_was_entered(setup: Desk) -> None:
    made = save_type(setup, SAM, 0, form())
    kind = setup.clinic.types[made]
    assert (kind.minutes, kind.buffer, kind.most, kind.goal, kind.ask_after, kind.for_whom, kind.web) == (
        60,
        10,
        2,
        1,
        30,
        "known",
        "held",
    )
    assert (
        kind.lead_parts == ((0, 10), (40, 20))
        and kind.equipment == {"microscope"}
        and kind.room_ids == {1, 2}
    )
    assert [(n.role, n.minutes, n.offsets, n.same_as) for n in kind.needs] == [
        ("hygienist", 20, (10, 15), None),
        ("hygienist", 5, (50,), 0),
    ]
    assert kind.services == (SERVICE_ID["D2740"], SERVICE_ID["D2950"])
    assert kind.allows(date(2026, 12, 4), Span(800, 860)) and not kind.allows(
        date(2026, 12, 4), Span(500, 560)
    )
    save_type(setup, SAM, made, form(name="Longer crown", version=1))
    with pytest.raises(Stale):
        save_type(setup, SAM, made, form(version=1))
    with pytest.raises(NotFound):
        save_type(setup, SAM, 999, form())


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"name": " "}, "name"),
        ({"name": "hygiene"}, "name"),
        ({"role": "pilot"}, "role"),
        ({"minutes": "0"}, "minutes"),
        ({"minutes": "62"}, "minutes"),
        ({"buffer": "-5"}, "buffer"),
        ({"ask_after": "999"}, "ask_after"),
        ({"hours": "noon"}, "hours"),
        ({"hours": "mon 12:00-8:00"}, "hours"),
        ({"lead_parts": "0-70"}, "lead_parts"),
        ({"lead_parts": "20-30, 10-15"}, "lead_parts"),
        ({"services": (SERVICE_ID["99213"],)}, "services"),
        ({"set_id": 3}, "set_id"),
        ({"needs": (need("dentist", "10", "55", "x", ""),)}, "need-0"),
        ({"needs": (need("dentist", "10", "", "x", ""),)}, "need-0"),
        ({"needs": (need("dentist", "10", "5", "x", "0"),)}, "need-0"),
        ({"web": "maybe"}, "web"),
    ],
)
def test_a_type_that_cannot_be_is_said_beside_its_field(
    setup: Desk, changes: dict[str, Any], field: str
) -> None:
    with pytest.raises(ZaxError) as wrong:
        save_type(setup, SAM, 0, form(**changes))
    assert field in wrong.value.problems


def test_type_hours_as_typed() -> None:
    assert parse_type_hours("8:00-12:00") == [{"weekdays": [0, 1, 2, 3, 4, 5, 6], "start": 480, "end": 720}]
    assert parse_type_hours(" ") == []


def test_service_sets_are_edited_and_bring_their_services(setup: Desk) -> None:
    made = save_set(setup, SAM, 0, "New adult", [SERVICE_ID["D0150"], SERVICE_ID["D0274"]], True)
    save_type(
        setup,
        SAM,
        TYPE_ID["Toothache"],
        form(
            name="Toothache",
            minutes="30",
            lead_parts="",
            needs=(),
            services=(),
            set_id=made,
            version=1,
            hours="",
            room_ids=(),
            for_whom="all",
        ),
    )
    visit_id = booked(setup, "14:00", TODAY, 1, "Toothache")
    assert (
        scalar(
            setup,
            "SELECT COUNT(*) FROM charge_line WHERE visit_id = :v AND service_id IN (:a, :b)",
            v=visit_id,
            a=SERVICE_ID["D0150"],
            b=SERVICE_ID["D0274"],
        )
        == 2
    )
    save_set(setup, SAM, made, "New adult", [SERVICE_ID["D0150"]], False)
    assert setup.clinic.sets[made].services == (SERVICE_ID["D0150"],)
    for name, services in (
        ("", [1]),
        ("New adult", [1]),
        ("Other", []),
        ("Mixed", [SERVICE_ID["D0150"], SERVICE_ID["99213"]]),
    ):
        with pytest.raises(Problems):
            save_set(setup, SAM, 0, name, services, True)


def test_sites_rooms_and_what_is_booked_in_a_room_put_out_of_use(setup: Desk) -> None:
    save_site(
        setup,
        SAM,
        2,
        SiteForm(
            name="Hill",
            timezone="America/Denver",
            grid="15",
            opens="7:00",
            closes="19:00",
            street="240 Hillcrest Road",
            city="Marrow Harbor",
            state="wa",
            zip="98203-1240",
            phone="360 555 0101",
        ),
    )
    site = setup.clinic.sites[2]
    assert (site.name, site.timezone, site.grid, site.day) == ("Hill", "America/Denver", 15, Span(420, 1140))
    with pytest.raises(Problems) as wrong:
        save_site(
            setup, SAM, 2, SiteForm(name="", timezone="Mars/Base", grid="7", opens="19:00", closes="7:00")
        )
    at_fault = {"name", "timezone", "grid", "closes", "street", "city", "state", "zip", "phone"}
    assert set(wrong.value.problems) == at_fault
    visit_id = booked(setup, "14:00")
    room = scalar(setup, "SELECT room_id FROM visit WHERE id = :v", v=visit_id)
    with pytest.raises(Affected):
        save_room(setup, SAM, room, 1, "Exam A", False, "", False)
    save_room(setup, SAM, room, 1, "Exam A", False, "", False, "shelf")
    assert state_of(setup, visit_id) == "shelf"
    assert scalar(setup, "SELECT room_id FROM visit WHERE id = :v", v=booked(setup, "14:00")) != room
    made = save_room(setup, SAM, 0, 1, "Exam D", False, "EKG, scale", True)
    assert setup.clinic.rooms[made].equipment == {"ekg", "scale"}
    with pytest.raises(Problems):
        save_room(setup, SAM, 0, 1, "exam d", False, "", True)
    choose_mark(setup, SAM, "type")
    choose_mark(setup, SAM, "provider")
    assert setup.clinic.about["book_mark"] == "provider"
    with pytest.raises(Refused):
        choose_mark(setup, SAM, "stars")


def test_a_setup_read_before_somebodys_change_does_not_replace_the_newer_one(setup: Desk) -> None:
    """The thread that wakes the screens may still be reading when an act changes the setup in the same
    process.
    """
    with setup.engine.connect() as connection:
        read_before = load(connection)
    choose_mark(setup, SAM, "type")
    changed = setup.clinic
    setup.adopt(read_before)
    assert setup.clinic is changed and changed.version == read_before.version + 1
    with setup.engine.connect() as connection:
        setup.adopt(load(connection))
    assert setup.clinic.about["book_mark"] == "type"
