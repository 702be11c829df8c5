"""The call sheet against a real MariaDB: every reason from where it lives, gone when it is settled anywhere;
two callers never call one person; how a call went decides what comes next.
"""

from __future__ import annotations

from datetime import timedelta
from threading import Barrier, Thread

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import insert

from tests.conftest import (
    INES,
    JUNO,
    SAM,
    TODAY,
    add_patient,
    order,
    pay_visit,
    scalar,
    visit_at_checkout,
)
from tests.desk.followup.made import recall, recall_type
from zax.clock import ShiftedClock
from zax.core.errors import Conflict, NotAllowed, NotFound, Refused, ZaxError
from zax.core.followup.attempts import TO_A_LETTER
from zax.core.followup.call_sheet import SHIPPED_WEIGHTS, Why
from zax.core.wording import dollars
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.book.cancellation import take_off
from zax.desk.book.track import confirm
from zax.desk.day.checkout import finish_checkout
from zax.desk.followup.call_needs import need_of
from zax.desk.followup.calls import (
    CallForm,
    CallSheet,
    begin_call,
    call_sheet,
    keep_weights,
    let_go,
    note_call,
    weights_of,
)
from zax.desk.followup.returns import ReturnForm, ask_return, hang_on
from zax.desk.followup.tries import undo_try
from zax.store import schema

RAVI = Actor(2, "Ravi Teller", JUNO.role, "RT")


def sheet(desk: Desk) -> CallSheet:
    with desk.engine.connect() as connection:
        return call_sheet(connection, desk.clinic, desk.clock.now())


def whys(desk: Desk, patient: int) -> list[Why]:
    return [each.why for row in sheet(desk).rows if row.patient_id == patient for each in row.reasons]


def about(desk: Desk, patient: int) -> tuple[str, ...]:
    return tuple(each.about for row in sheet(desk).rows if row.patient_id == patient for each in row.reasons)


def overdue(desk: Desk, patient: int, days: int = 30) -> int:
    return recall(desk, patient, recall_type(desk), TODAY - timedelta(days=days))


def test_one_person_stands_once_with_all_reasons(desk: Desk) -> None:
    patient = add_patient(desk)
    overdue(desk, patient)
    ask_return(desk, INES, patient, ReturnForm(words="blood pressure", by_when="3 days"))
    ask_return(desk, INES, patient, ReturnForm(words="the biopsy", by_when="1 week", for_whom="phone"))
    visit = book_visit(desk, JUNO, order(patient, 1, "14:00", "Filling", day=TODAY + timedelta(days=1)))
    assert whys(desk, patient) == [Why.RETURN, Why.UNCONFIRMED, Why.RESULT, Why.RECALL]
    confirm(desk, JUNO, visit)
    assert Why.UNCONFIRMED not in whys(desk, patient)
    take_off(desk, JUNO, visit, "clinic", "ill")
    assert Why.LOST in whys(desk, patient)


def test_what_is_settled_anywhere_is_gone(desk: Desk) -> None:
    patient = add_patient(desk)
    overdue(desk, patient)
    number = ask_return(desk, INES, patient, ReturnForm(words="sutures", by_when="3 days"))
    visit = book_visit(desk, JUNO, order(patient, 2, "14:00", "Hygiene", day=TODAY + timedelta(days=9)))
    assert whys(desk, patient) == [Why.RETURN]
    hang_on(desk, JUNO, number, visit)
    assert whys(desk, patient) == []
    take_off(desk, JUNO, visit, "clinic", "ill")
    assert set(whys(desk, patient)) == {Why.RETURN, Why.RECALL, Why.LOST}


def test_a_balance_is_a_reason_until_it_is_paid(desk: Desk, clock: ShiftedClock) -> None:
    patient = add_patient(desk)
    visit = visit_at_checkout(desk, patient)
    finish_checkout(desk, JUNO, visit)
    assert Why.BALANCE not in whys(desk, patient)
    clock.set_to(clock.now() + timedelta(days=45))
    row = next(row for row in sheet(desk).rows if row.patient_id == patient)
    owed = scalar(desk, "SELECT SUM(patient_cents) FROM journal WHERE patient_id = :id", id=patient)
    assert [each.cents for each in row.reasons if each.why is Why.BALANCE] == [owed]
    pay_visit(desk, visit, "cash", dollars(owed).lstrip("$"), "call")
    assert Why.BALANCE not in whys(desk, patient)


def test_only_who_is_active_and_wants_calls_is_called(desk: Desk) -> None:
    for patient, changes in (
        (add_patient(desk, first="Gone"), "status = 'inactive'"),
        (add_patient(desk, first="Quiet"), 'reach = \'{"recalls": {"by": "none"}}\''),
    ):
        overdue(desk, patient)
        with desk.engine.begin() as connection:
            connection.exec_driver_sql(f"UPDATE patient SET {changes} WHERE id = {patient}")
        assert whys(desk, patient) == []
        with desk.engine.begin() as connection:
            connection.exec_driver_sql("DELETE FROM recall")
            connection.exec_driver_sql("DELETE FROM recall_type")


def test_a_recall_is_called_about_from_the_day_its_plan_says(desk: Desk) -> None:
    kind = recall_type(desk)  # a text before, a text after, a call on day 21
    soon, due = add_patient(desk, first="Soon"), add_patient(desk, first="Due")
    recall(desk, soon, kind, TODAY - timedelta(days=20))
    recall(desk, due, kind, TODAY - timedelta(days=21))
    assert (whys(desk, soon), whys(desk, due)) == ([], [Why.RECALL])
    with desk.engine.begin() as connection:
        wish = 'UPDATE patient SET reach = \'{"recalls": {"by": "call"}}\' WHERE id = '
        connection.exec_driver_sql(f"{wish}{soon}")
    assert whys(desk, soon) == [Why.RECALL]


def test_two_callers_never_call_one_person(desk: Desk, clock: ShiftedClock) -> None:
    patient = add_patient(desk)
    begin_call(desk, JUNO, patient)
    begin_call(desk, JUNO, patient)
    with pytest.raises(Conflict, match="Juno Park has them on the phone"):
        begin_call(desk, RAVI, patient)
    with pytest.raises(Conflict, match="Juno Park"):
        note_call(desk, RAVI, patient, CallForm(outcome="none"))
    clock.set_to(clock.now() + timedelta(minutes=10))
    begin_call(desk, RAVI, patient)
    let_go(desk, JUNO, patient)  # not hers anymore: nothing is freed
    with pytest.raises(Conflict, match="Ravi Teller"):
        begin_call(desk, JUNO, patient)
    let_go(desk, RAVI, patient)
    begin_call(desk, JUNO, patient)


def test_of_two_at_the_same_moment_one_gets_the_person(desk: Desk) -> None:
    for _ in range(5):
        patient = add_patient(desk)
        start, got = Barrier(2), list[str]()

        def call(actor: Actor, patient: int = patient, start: Barrier = start, got: list[str] = got) -> None:
            start.wait()
            try:
                begin_call(desk, actor, patient)
                got.append(actor.name)
            except Conflict:
                pass

        callers = [Thread(target=call, args=(actor,)) for actor in (JUNO, RAVI)]
        for each in callers:
            each.start()
        for each in callers:
            each.join()
        assert len(got) == 1


def test_how_a_call_went_decides_when_they_are_called_again(desk: Desk, clock: ShiftedClock) -> None:
    patient = add_patient(desk)
    overdue(desk, patient)
    first = note_call(desk, JUNO, patient, CallForm(outcome="none", about=about(desk, patient)))
    assert whys(desk, patient) == [] and len(sheet(desk).later) == 1
    undo_try(desk, JUNO, first)
    assert whys(desk, patient) == [Why.RECALL]
    note_call(desk, JUNO, patient, CallForm(outcome="again", again="3w", about=about(desk, patient)))
    assert sheet(desk).later[0][1] == TODAY + timedelta(weeks=3)
    for wrong, field in (("soonish", "again"), ("yesterday", "again"), ("today", "again")):
        with pytest.raises(Refused) as said:
            note_call(desk, JUNO, patient, CallForm(outcome="again", again=wrong))
        assert field in said.value.problems
    for form, field in ((CallForm(outcome="no"), "why"), (CallForm(outcome="shrug"), "outcome")):
        with pytest.raises(Refused) as said:
            note_call(desk, JUNO, patient, form)
        assert field in said.value.problems
    with pytest.raises(NotFound):
        note_call(desk, JUNO, 999_999, CallForm(outcome="none"))
    with pytest.raises(NotAllowed):
        note_call(desk, INES, patient, CallForm(outcome="none"))


def test_called_in_vain_three_times_it_goes_on_to_a_letter(desk: Desk, clock: ShiftedClock) -> None:
    patient = add_patient(desk)
    overdue(desk, patient)
    for _ in range(TO_A_LETTER):
        note_call(desk, JUNO, patient, CallForm(outcome="none", about=about(desk, patient)))
        clock.set_to(clock.now() + timedelta(days=2))
    assert [row.patient_id for row in sheet(desk).letters] == [patient] and whys(desk, patient) == []
    assert scalar(desk, "SELECT COUNT(*) FROM outbox") == 0
    ask_return(desk, INES, patient, ReturnForm(words="sutures", by_when="3 days"))
    for _ in range(TO_A_LETTER + 1):
        clock.set_to(clock.now() + timedelta(days=2))
        note_call(desk, JUNO, patient, CallForm(outcome="none", about=about(desk, patient)))
    clock.set_to(clock.now() + timedelta(days=2))
    assert whys(desk, patient) == [Why.RETURN]  # what a clinician asked for is never left to the mail


def test_a_wrong_number_is_a_gap_at_once_and_a_note_keeps_it(desk: Desk) -> None:
    patient = add_patient(desk, phone="3605550166", home_phone="3605550177")
    with pytest.raises(Refused, match="which number"):
        note_call(desk, JUNO, patient, CallForm(outcome="wrong", number="3605550199"))
    note_call(desk, JUNO, patient, CallForm(outcome="wrong", number="3605550166"))
    assert (
        scalar(desk, "SELECT CONCAT(phone, '/', home_phone) FROM patient WHERE id = :id", id=patient)
        == "/3605550177"
    )
    assert scalar(desk, "SELECT words FROM patient_note") == "Wrong number: (360) 555-0166"


def test_who_moved_away_keeps_what_is_due_in_sight(desk: Desk) -> None:
    patient = add_patient(desk)
    overdue(desk, patient)
    note_call(desk, JUNO, patient, CallForm(outcome="moved"))
    assert whys(desk, patient) == []
    assert scalar(desk, "SELECT COUNT(*) FROM recall WHERE ended_at IS NULL") == 1
    assert scalar(desk, "SELECT status FROM patient WHERE id = :id", id=patient) == "inactive"


def test_weights_are_the_managers(desk: Desk) -> None:
    patient = add_patient(desk)
    overdue(desk, patient, 21)
    keep_weights(desk, SAM, {**SHIPPED_WEIGHTS, Why.RECALL: 77})
    assert weights_of(desk.clinic)[Why.RECALL] == 77
    assert [row.score.points for row in sheet(desk).rows] == [77 + 3]
    with pytest.raises(Refused):
        keep_weights(desk, SAM, {**SHIPPED_WEIGHTS, Why.RECALL: 101})
    with pytest.raises(NotAllowed):
        keep_weights(desk, JUNO, SHIPPED_WEIGHTS)


OUTCOMES = st.sampled_from(["none", "message", "again", "no", "reached", "moved"])


@settings(max_examples=20, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.tuples(st.integers(0, 2), OUTCOMES, st.integers(0, 4)), max_size=12))
def test_no_call_loses_a_reason(desk: Desk, calls: list[tuple[int, str, int]]) -> None:
    """Whatever is noted, each reason of somebody active stands in exactly one of the three lists."""
    with desk.engine.begin() as connection:
        for name in ("contact_try", "recall", "recall_type"):
            connection.exec_driver_sql(f"DELETE FROM {name}")
    kind = recall_type(desk)
    people = [add_patient(desk, first=f"Caller{n}") for n in range(3)]
    wanted = {f"recall-{recall(desk, each, kind, TODAY - timedelta(days=40))}": each for each in people}
    for who, outcome, days in calls:
        number = people[who]
        mine = [name for name, patient in wanted.items() if patient == number]
        try:
            note_call(
                desk,
                JUNO,
                number,
                CallForm(outcome=outcome, about=mine, why="so", again="3w" if days else ""),
            )
        except ZaxError:
            continue
        found = sheet(desk)
        stands = [each.about for row in (*found.rows, *found.letters) for each in row.reasons]
        stands += [reason.about for reason, _ in found.later]
        active = {
            name
            for name, patient in wanted.items()
            if scalar(desk, "SELECT status FROM patient WHERE id = :id", id=patient) == "active"
        }
        assert sorted(stands) == sorted(active)


def signed_work(desk: Desk, patient: int, *codes: str) -> tuple[int, list[int]]:
    """An option that was signed with this work, none of it booked: the proposal and the planned services."""
    with desk.engine.begin() as connection:
        made = connection.execute(
            insert(schema.proposal).values(
                patient_id=patient,
                name="Crown on 30",
                provider_id=1,
                made_by=INES.id,
                made_at=desk.clock.now(),
                signed_at=desk.clock.now(),
                signed_option="A",
            )
        ).inserted_primary_key[0]
        work = [
            connection.execute(
                insert(schema.planned_service).values(
                    patient_id=patient,
                    service_id=next(s.id for s in desk.clinic.services.values() if s.code == code),
                    tooth="30",
                    proposal_id=made,
                    option_letter="A",
                    phase=phase,
                    made_at=desk.clock.now(),
                )
            ).inserted_primary_key[0]
            for phase, code in enumerate(codes, 1)
        ]
    return made, work


def test_signed_work_is_booked_from_the_call_with_what_comes_first(desk: Desk) -> None:
    patient = add_patient(desk)
    proposal, (prep, seat) = signed_work(desk, patient, "D2950", "D2740")
    (row,) = sheet(desk).rows
    assert [each.about for each in row.reasons] == [f"proposal-{proposal}"]
    with desk.engine.connect() as connection:
        need = need_of(connection, desk.clinic, row.reasons, TODAY)
    assert need is not None and desk.clinic.types[need.type_id].name == "Crown prep"
    assert need.planned == (prep,)
    wanted = order(patient, 1, "14:00", "Crown prep", day=TODAY + timedelta(days=1), planned=need.planned)
    visit = book_visit(desk, JUNO, wanted)
    assert scalar(desk, f"SELECT visit_id FROM planned_service WHERE id = {prep}") == visit
    assert scalar(desk, f"SELECT visit_id FROM planned_service WHERE id = {seat}") is None
    assert Why.PLANNED not in whys(desk, patient)


def test_work_that_no_visit_type_does_is_found_a_time_by_hand(desk: Desk) -> None:
    patient = add_patient(desk)
    used = {number for kind in desk.clinic.types.values() for number in kind.services}
    nobodys = next(each.code for each in desk.clinic.services.values() if each.id not in used)
    signed_work(desk, patient, nobodys)
    (row,) = sheet(desk).rows
    with desk.engine.connect() as connection:
        assert need_of(connection, desk.clinic, row.reasons, TODAY) is None
