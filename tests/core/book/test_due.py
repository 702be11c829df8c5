"""What a patient is due for: the order, and that nothing booked or twice is offered."""

from datetime import date, timedelta

from hypothesis import given
from hypothesis import strategies as st

from zax.core.book.also import Also, read_also, write_also
from zax.core.book.due import SOON, DueFacts, what_is_due
from zax.core.errors import Refused

TODAY = date(2026, 11, 24)
HYGIENE, CROWN, PHYSICAL, FIRST = 1, 2, 3, 4


def test_waiting_goes_before_what_is_due_and_planned_work_before_what_is_not_due_yet() -> None:
    facts = DueFacts(
        waits=[(CROWN, "wants to come sooner")],
        recalls=[(HYGIENE, TODAY - timedelta(days=3)), (PHYSICAL, TODAY + timedelta(days=200))],
        planned=[(7, CROWN, "Crown, tooth 3"), (8, FIRST, "Night guard"), (9, FIRST, "X-ray")],
    )
    due = what_is_due(facts, TODAY)
    assert [(each.type_id, each.words) for each in due] == [
        (CROWN, "on the waitlist: wants to come sooner"),
        (HYGIENE, "recall overdue since Nov 21"),
        (FIRST, "planned: Night guard and 1 more"),
        (PHYSICAL, "recall due Jun 12, 2027"),
    ]
    assert due[2].planned == (8, 9) and due[3].since == TODAY + timedelta(days=200) and due[1].since is None


def test_a_recall_within_two_months_goes_before_planned_work() -> None:
    for ahead, first in ((0, HYGIENE), (SOON.days, HYGIENE), (SOON.days + 1, CROWN)):
        facts = DueFacts(recalls=[(HYGIENE, TODAY + timedelta(days=ahead))], planned=[(7, CROWN, "Crown")])
        assert what_is_due(facts, TODAY)[0].type_id == first, ahead


def test_what_a_clinician_asked_for_goes_before_everything() -> None:
    facts = DueFacts(
        returns=[(CROWN, "Check the bite", TODAY + timedelta(days=9))],
        waits=[(HYGIENE, "wants sooner")],
        recalls=[(CROWN, TODAY - timedelta(days=400))],
    )
    first, second = what_is_due(facts, TODAY)
    assert (first.type_id, second.type_id) == (CROWN, HYGIENE)
    assert first.words.startswith("asked back: check the bite, by ")


def test_somebody_new_is_offered_what_is_for_new_patients() -> None:
    assert [each.words for each in what_is_due(DueFacts(first_visits=[FIRST]), TODAY)] == ["new patient"]
    assert what_is_due(DueFacts(), TODAY) == []


_TYPES = st.integers(1, 6)


@given(
    st.lists(st.tuples(_TYPES, st.just("short notice")), max_size=4),
    st.lists(st.tuples(_TYPES, st.dates(date(2016, 1, 1), date(2028, 1, 1))), max_size=4),
    st.lists(st.tuples(st.integers(1, 99), _TYPES, st.just("work")), max_size=4),
    st.sets(_TYPES, max_size=3),
)
def test_each_need_that_is_not_booked_is_there_once(
    waits: list[tuple[int, str]],
    recalls: list[tuple[int, date]],
    planned: list[tuple[int, int, str]],
    booked: set[int],
) -> None:
    due = what_is_due(DueFacts(waits=waits, recalls=recalls, planned=planned, booked=booked), TODAY)
    needs = {each[0] for each in waits} | {each[0] for each in recalls} | {each[1] for each in planned}
    assert sorted(each.type_id for each in due) == sorted(needs - booked)
    assert all(each.since is None or each.since >= TODAY for each in due)


@given(st.text(max_size=20))
def test_what_no_form_sends_is_refused(text: str) -> None:
    try:
        also = read_also(text)
    except Refused as error:
        assert set(error.problems) == {"also"}
    else:
        assert bool(also.set_id) != bool(also.service_id)


def test_what_is_added_is_read_back() -> None:
    for also in (
        Also(set_id=2),
        Also(service_id=12, tooth="3", surfaces="MO"),
        Also(service_id=1, area="10"),
    ):
        assert read_also(write_also(also)) == also
