"""Recalls against a real MariaDB: set by what was done, moved on, taken back; whatever happens to a visit, a
patient or a coverage, one that is due stays in sight until it was done or ended with a reason.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date, timedelta

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import text

from tests.conftest import (
    INES,
    JUNO,
    ODILE,
    SAM,
    TODAY,
    add_patient,
    order,
    scalar,
)
from tests.desk.followup.made import recall, recall_type
from tests.fakes import FakeTexts
from zax.core.errors import Conflict, NotAllowed, Problems, Refused, ZaxError
from zax.core.followup.due import OPEN, Stand
from zax.core.followup.recall import Interval, RecallType, Unit, read_interval
from zax.core.followup.worklist import Booked, By, RecallFilter
from zax.core.messages.channel import Channel
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import check_in
from zax.desk.book.booking import book_visit
from zax.desk.book.cancellation import did_not_come, take_off
from zax.desk.book.shelf import put_back, shelve
from zax.desk.book.track import take_to_room
from zax.desk.charges.finishing import ready_for_checkout
from zax.desk.day.checkout import finish_checkout, take_checkout_back
from zax.desk.followup.reaching import reach_many
from zax.desk.followup.recall_setup import keep_recall_type
from zax.desk.followup.recalls import (
    change_recall,
    end_recall,
    pause_recall,
    reopen_recall,
    set_for_many,
    set_recall,
)
from zax.desk.patients.duplicates import merge
from zax.desk.worker.worker import run_once
from zax.outside.doors import DoorRefused, Outside
from zax.store.followup.recalls import Recall, over_of, recalls_of
from zax.store.followup.worklist import DueRow, due_rows

ALL = RecallFilter(by=By.ALL, booked=Booked.EITHER)
SIX = Interval(6, Unit.MONTH)


def open_of(desk: Desk, patient: int) -> list[Recall]:
    with desk.engine.connect() as connection:
        return recalls_of(connection, patient, TODAY)


def over(desk: Desk, patient: int) -> list[str]:
    with desk.engine.connect() as connection:
        return [each.ended_how for each in over_of(connection, patient, TODAY)]


def listed(desk: Desk, wanted: RecallFilter = ALL) -> list[DueRow]:
    with desk.engine.connect() as connection:
        return due_rows(connection, wanted, TODAY, 500)


def finished(desk: Desk, patient: int, start: str = "13:15", **more: object) -> int:
    """A visit that was done and checked out."""
    visit = book_visit(desk, JUNO, order(patient, 2, start, "Hygiene"))
    check_in(desk, JUNO, visit)
    take_to_room(desk, JUNO, visit)
    ready_for_checkout(desk, JUNO, visit)
    finish_checkout(desk, JUNO, visit, "none", None, **more)  # type: ignore[arg-type]
    return visit


def test_finishing_sets_the_recall_and_a_later_visit_moves_it_on(desk: Desk) -> None:
    kind, patient = recall_type(desk), add_patient(desk)
    finished(desk, patient, recalls={kind: Interval(4, Unit.MONTH)})
    (row,) = open_of(desk, patient)
    assert (row.due_day, row.every.words) == (date(2027, 3, 24), "4 months")
    finished(desk, patient, "14:15")
    (later,) = open_of(desk, patient)
    # Their own interval stays theirs.
    assert (later.due_day, later.id > row.id) == (date(2027, 3, 24), True) and over(desk, patient) == ["done"]
    finished(desk, patient, "15:15", recalls={kind: None})
    assert open_of(desk, patient) == []


def test_a_checkout_taken_back_leaves_the_recalls_as_they_were(desk: Desk) -> None:
    kind, patient = recall_type(desk), add_patient(desk)
    first = recall(desk, patient, kind, TODAY - timedelta(days=9))
    visit = finished(desk, patient)
    assert [each.id for each in open_of(desk, patient)] != [first]
    take_checkout_back(desk, SAM, visit, "wrong service")
    assert [(each.id, each.due_day) for each in open_of(desk, patient)] == [
        (first, TODAY - timedelta(days=9))
    ]
    finish_checkout(desk, JUNO, visit, "none")
    assert [each.due_day for each in open_of(desk, patient)] == [date(2027, 5, 24)]


def test_a_service_starts_one_of_its_own_beside_the_others(desk: Desk) -> None:
    recall_type(desk)
    recall_type(desk, "Toothache", "3 days", starts=("D1110",), repeats=False)
    patient = add_patient(desk)
    finished(desk, patient)
    assert [(each.name, each.due_day) for each in open_of(desk, patient)] == [
        ("Toothache", TODAY + timedelta(days=3)),
        ("Hygiene", date(2027, 5, 24)),
    ]


def test_it_is_booked_for_as_long_as_a_visit_stands(desk: Desk) -> None:
    kind, patient = recall_type(desk), add_patient(desk)
    recall(desk, patient, kind, TODAY - timedelta(days=60))
    assert open_of(desk, patient)[0].stand(TODAY) is Stand.OVERDUE
    visit = book_visit(desk, JUNO, order(patient, 2, "14:00", "Hygiene"))
    assert open_of(desk, patient)[0].stand(TODAY) is Stand.BOOKED
    shelve(desk, JUNO, [visit])
    assert open_of(desk, patient)[0].stand(TODAY) is Stand.OVERDUE
    put_back(desk, JUNO, visit)
    take_off(desk, JUNO, visit, "clinic", "ill")
    assert open_of(desk, patient)[0].stand(TODAY) is Stand.OVERDUE
    book_visit(desk, JUNO, order(patient, 1, "14:00", "Filling"))
    assert open_of(desk, patient)[0].stand(TODAY) is Stand.OVERDUE


def test_it_is_changed_paused_and_ended_only_with_a_reason(desk: Desk) -> None:
    patient = add_patient(desk)
    number = recall(desk, patient, recall_type(desk), TODAY)
    with pytest.raises(Refused, match="another day or interval"):
        change_recall(desk, JUNO, number, "6 weeks", SIX, " ", 1)
    change_recall(desk, JUNO, number, "6 weeks", Interval(3, Unit.MONTH), "heals slowly", 1)
    (row,) = open_of(desk, patient)
    assert (row.due_day, row.own, row.note) == (
        TODAY + timedelta(days=42),
        Interval(3, Unit.MONTH),
        "heals slowly",
    )
    with pytest.raises(Conflict, match="just now"):
        change_recall(desk, JUNO, number, "7 weeks", SIX, "x", 1)
    for until in (TODAY, TODAY + timedelta(days=800)):
        with pytest.raises(Refused):
            pause_recall(desk, JUNO, number, until, "travels")
    pause_recall(desk, JUNO, number, TODAY + timedelta(days=30), "travels")
    assert open_of(desk, patient)[0].stand(TODAY) is Stand.PAUSED
    pause_recall(desk, JUNO, number, None)
    with pytest.raises(Refused, match="Say why"):
        end_recall(desk, JUNO, number, " ")
    end_recall(desk, JUNO, number, "goes elsewhere")
    end_recall(desk, JUNO, number, "pressed twice")
    assert over(desk, patient) == ["goes elsewhere"]
    with pytest.raises(Conflict, match="goes elsewhere"):
        pause_recall(desk, JUNO, number, TODAY + timedelta(days=3), "x")
    reopen_recall(desk, JUNO, number)
    assert [each.id for each in open_of(desk, patient)] == [number]


def test_one_is_open_a_patient_and_type(desk: Desk) -> None:
    kind, patient = recall_type(desk), add_patient(desk)
    first = set_recall(desk, JUNO, patient, kind, "")
    with pytest.raises(Conflict, match="already"):
        set_recall(desk, JUNO, patient, kind, "3 weeks")
    end_recall(desk, JUNO, first, "a mistake")
    set_recall(desk, JUNO, patient, kind, "3 weeks", "asked for it")
    with pytest.raises(Conflict, match="again already"):
        reopen_recall(desk, JUNO, first)
    with pytest.raises(Refused):
        set_recall(desk, JUNO, add_patient(desk, first="Iris"), 999, "")


def test_many_get_a_recall_and_the_others_are_counted_by_reason(desk: Desk) -> None:
    kind = recall_type(desk, youngest=18)
    has, grown = add_patient(desk), add_patient(desk, first="Iris")
    child = add_patient(desk, first="Mia", birth=date(2020, 1, 1))
    gone = add_patient(desk, first="Noor", status="inactive")
    recall(desk, has, kind, TODAY)
    done = set_for_many(desk, JUNO, [has, grown, grown, child, gone, 999_999], kind, "3 months")
    assert done.set == 1
    assert done.left_out == {"have it already": 1, "not of that age": 1, "not active": 2}


def test_merged_records_keep_the_sooner_day(desk: Desk) -> None:
    """Kills: two records with a recall of one type could not be merged at all."""
    kind = recall_type(desk)
    keep, drop = add_patient(desk), add_patient(desk, first="Helena")
    recall(desk, keep, kind, TODAY + timedelta(days=40))
    soon = recall(desk, drop, kind, TODAY - timedelta(days=4))
    pause_recall(desk, JUNO, soon, TODAY + timedelta(days=9), "travels")
    versions = tuple(
        scalar(desk, "SELECT version FROM patient WHERE id = :id", id=each) for each in (keep, drop)
    )
    merge(desk, ODILE, keep, drop, {}, versions)  # type: ignore[arg-type]
    (row,) = open_of(desk, keep)
    assert (row.due_day, row.paused_until) == (TODAY - timedelta(days=4), None)
    assert over(desk, keep) == ["records merged"]


def test_many_are_reached_once_and_the_texts_go_out_by_the_worker(desk: Desk, outside: Outside) -> None:
    kind = recall_type(desk)
    rows = [
        recall(desk, add_patient(desk, first=f"Reach{n}", phone=f"36055501{n:02d}"), kind, TODAY)
        for n in range(4)
    ]
    pause_recall(desk, JUNO, rows[0], TODAY + timedelta(days=9), "travels")
    end_recall(desk, JUNO, rows[1], "moved")
    done = reach_many(desk, JUNO, rows, Channel.TEXT)
    assert (done.sent, dict(done.left_out)) == (2, {"paused": 1, "ended": 1})
    run_once(desk, outside, None)
    run_once(desk, outside, None)
    assert isinstance(outside.texts, FakeTexts)
    assert sorted(to for to, _ in outside.texts.sent.values()) == ["3605550102", "3605550103"]
    with pytest.raises(Refused):
        reach_many(desk, JUNO, [], Channel.TEXT)
    with pytest.raises(Refused):
        reach_many(desk, JUNO, rows, Channel.CALL)
    with pytest.raises(NotAllowed):
        reach_many(desk, INES, rows, Channel.TEXT)


def test_a_number_that_takes_no_texts_is_known_from_then_on(desk: Desk, outside: Outside) -> None:
    class Closed(FakeTexts):
        def send(self, key: str, to: str, words: str) -> None:
            raise DoorRefused("no such number")

    reach_many(desk, JUNO, [recall(desk, add_patient(desk), recall_type(desk), TODAY)], Channel.TEXT)
    run_once(
        desk, Outside(outside.terminal, outside.clearinghouse, outside.mail, Closed(), outside.calls), None
    )
    assert scalar(desk, "SELECT CONCAT(state, ': ', state_words) FROM message") == "failed: no such number"
    assert scalar(desk, "SELECT trouble FROM address") == "doesn’t take our messages"


def test_a_type_is_kept_once_by_the_manager(desk: Desk) -> None:
    new = RecallType(id=0, name="Cleaning", every=read_interval("6 months"), type_id=1)
    made = keep_recall_type(desk, SAM, new)
    assert made
    with pytest.raises(Problems, match="already a recall"):
        keep_recall_type(desk, SAM, new)
    with pytest.raises(NotAllowed):
        keep_recall_type(desk, JUNO, new)


Whose = tuple[int, int]  # patient and recall type


@dataclass
class Model:
    """Whom something is due for, with the visit that set it (0: somebody did); what each visit had found."""

    set_by: dict[Whose, int] = field(default_factory=dict)
    found: dict[int, tuple[Whose, int | None]] = field(default_factory=dict)

    def finish(self, visit: int, whose: Whose) -> None:
        self.found[visit] = (whose, self.set_by.get(whose))
        self.set_by[whose] = visit

    def take_back(self, visit: int) -> None:
        whose, before = self.found.pop(visit)
        if self.set_by.get(whose) == visit:
            del self.set_by[whose]
        if before is not None:
            self.set_by.setdefault(whose, before)

    def merge(self, keep: int, drop: int) -> None:
        for (patient, kind), visit in list(self.set_by.items()):
            if patient == drop:
                del self.set_by[(patient, kind)]
                self.set_by.setdefault((keep, kind), visit)
        self.found = {visit: ((keep, whose[1]), before) for visit, (whose, before) in self.found.items()}


STEPS = (
    "set",
    "book",
    "finish",
    "off",
    "miss",
    "shelve",
    "back",
    "end",
    "pause",
    "inactive",
    "merge",
    "insured",
    "undo",
)


@settings(max_examples=15, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow])
@given(st.lists(st.tuples(st.sampled_from(STEPS), st.integers(0, 5)), min_size=5, max_size=18))
def test_no_way_of_changing_things_loses_a_recall(desk: Desk, steps: list[tuple[str, int]]) -> None:
    """A model counts for whom something is due: by patient and type one is open from when it was set until it
    was ended with a reason; doing it sets the next. It is booked only where a visit of its type stands ahead.
    """
    with desk.engine.begin() as connection:
        connection.execute(text("DELETE FROM recall"))
        connection.execute(text("DELETE FROM recall_type"))
    kinds = [recall_type(desk), recall_type(desk, "Physical", "1 year")]
    people = [add_patient(desk, first=first) for first in ("Iris", "Noor")]
    model = Model()
    visits: list[int] = []
    done: list[int] = []
    for at, (step, pick) in enumerate([("set", 0), *steps]):
        person, kind = people[pick % len(people)], kinds[pick % 2]
        rows = listed(desk)
        row = rows[pick % len(rows)] if rows else None
        try:
            if step == "set":
                set_recall(desk, JUNO, person, kind, f"{at + 1}d")
                model.set_by[(person, kind)] = 0
            elif step == "book":
                day = TODAY + timedelta(days=7 * (len(visits) + 1))
                visits.append(
                    book_visit(desk, JUNO, order(person, 2, f"{9 + at % 6}:00", "Hygiene", day=day))
                )
            elif step == "finish":
                done.append(finished(desk, person, f"{9 + at % 8}:30"))
                model.finish(done[-1], (person, kinds[0]))
            elif step == "undo" and done:
                visit = done.pop()
                take_checkout_back(desk, SAM, visit, "wrong")
                model.take_back(visit)
            elif step == "end" and row:
                end_recall(desk, JUNO, row.id, "moved")
                del model.set_by[(row.patient_id, row.recall_type_id)]
            elif step == "pause" and row:
                pause_recall(desk, JUNO, row.id, TODAY + timedelta(days=5), "travels")
            elif step == "inactive":
                _set_status(desk, person, "inactive" if pick % 2 else "active")
            elif step == "insured":
                with desk.engine.begin() as connection:
                    connection.execute(
                        text("UPDATE coverage SET to_day = :d"), {"d": TODAY - timedelta(days=1)}
                    )
            elif step == "merge" and len(people) == 2:
                keep, drop = people
                versions = tuple(
                    scalar(desk, "SELECT version FROM patient WHERE id = :id", id=each) for each in people
                )
                merge(desk, ODILE, keep, drop, {}, versions)  # type: ignore[arg-type]
                people = [keep]
                model.merge(keep, drop)
            elif visits:
                visit = visits[pick % len(visits)]
                if step == "off":
                    take_off(desk, JUNO, visit, "clinic", "ill")
                elif step == "miss":
                    did_not_come(desk, JUNO, visit)
                elif step == "shelve":
                    shelve(desk, JUNO, [visit])
                elif step == "back":
                    put_back(desk, JUNO, visit)
        except ZaxError:
            pass  # what is refused changes nothing, which the count below says too
        rows = listed(desk)
        assert {(each.patient_id, each.recall_type_id) for each in rows} == set(model.set_by)
        for each in rows:
            standing = scalar(
                desk,
                "SELECT COUNT(*) FROM visit WHERE patient_id = :of AND type_id = :type AND day >= :today AND"
                " state IN ('held', 'booked', 'confirmed', 'here', 'room', 'checkout')",
                of=each.patient_id,
                type=each.type_id,
                today=TODAY,
            )
            assert (each.stand(TODAY) in OPEN) == (not standing)


def _set_status(desk: Desk, patient: int, status: str) -> None:
    with desk.engine.begin() as connection:
        connection.execute(
            text("UPDATE patient SET status = :s WHERE id = :id"), {"s": status, "id": patient}
        )
