"""Patients sign in to their own page: two facts and a code, nobody else's page, nothing told to who isn't
them; what they see and do there is theirs.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta

import pytest

from tests.conftest import JUNO, SAM, TODAY, add_patient, known_patient, order, rows_of, scalar
from tests.desk.online.test_asking import PHONE, code
from tests.desk.paying import relative
from zax.clock import ShiftedClock
from zax.core.errors import Conflict, NotFound, Problems, Refused
from zax.core.own.access import IDLE, LONGEST, MOST_WRONG
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.inbox.inbox import inbox_rows
from zax.desk.notices.rules import habits_of, keep_habits
from zax.desk.online.codes import Purpose, text_again
from zax.desk.online.forgetting import KEPT, forget_turned_down
from zax.desk.online.habits import OnlineHabits, keep_online_habits
from zax.desk.online.newcomers import NewcomerTyped, announce, arrive
from zax.desk.own.allowing import allow, end_permission, sign_out_patient
from zax.desk.own.signing_in import (
    NO_MATCH,
    NOBODY,
    Own,
    begin,
    begin_with_password,
    finish,
    set_password,
    sign_out,
    sign_out_elsewhere,
    signed_in,
)
from zax.desk.own.talking import said_both_ways, say
from zax.desk.own.visits import cancel_visit, confirm_visit, move_visit, visit_page
from zax.desk.own.wishes import paper_wish, set_wishes
from zax.desk.patients.details import set_status
from zax.desk.patients.duplicates import merge
from zax.store.patients.patients import known_patient as patient_row

BIRTH = "5/3/1984"
MOBILE = "(360) 555-0148"
OTHER = replace(PHONE, device="another browser")
PASSWORD = "ferry at seven bells"


@pytest.fixture(autouse=True)
def pages(desk: Desk) -> None:
    keep_online_habits(desk, SAM, OnlineHabits(runs=True))
    keep_habits(desk, SAM, replace(habits_of(desk.clinic), address="https://visits.example.org"))


@pytest.fixture
def helen(desk: Desk) -> int:
    return known_patient(desk)


def enters(desk: Desk, phone: str = MOBILE, birth: str = BIRTH) -> str:
    return finish(desk, PHONE, begin(desk, PHONE, phone, birth, "en"), code(desk))


def own(desk: Desk) -> Own:
    found = signed_in(desk, PHONE, enters(desk))
    assert found is not None
    return found


def test_phone_birth_date_and_code_open_the_page_in_that_browser(desk: Desk, helen: int) -> None:
    secret = enters(desk)
    found = signed_in(desk, PHONE, secret)
    assert found is not None and found.patient.id == helen and [each.id for each in found.people] == [helen]
    assert signed_in(desk, OTHER, secret) is None and signed_in(desk, PHONE, secret + "x") is None
    assert secret not in str(rows_of(desk, "SELECT * FROM own_session"))


def test_every_phone_gets_its_code_and_only_it_learns_that_nobody_is_found(desk: Desk, helen: int) -> None:
    """Kills: a sign-in that tells whether a phone or a birth date is on file."""
    numbers = [
        begin(desk, PHONE, MOBILE, BIRTH, "en"),
        begin(desk, PHONE, MOBILE, "5/4/1984", "en"),
        begin(desk, PHONE, "360 555 0199", BIRTH, "en"),
    ]
    texts = rows_of(desk, "SELECT words, patient_id FROM message ORDER BY id")
    assert len({each["words"][7:] for each in texts}) == 1 and {each["patient_id"] for each in texts} == {
        None
    }
    for number in numbers[1:]:
        with pytest.raises(Refused) as wrong:
            finish(desk, PHONE, number, "000-000")
        assert wrong.value.message != NOBODY
    with pytest.raises(Refused, match="couldn’t find you"):
        finish(desk, PHONE, numbers[2], code(desk))
    with pytest.raises(NotFound):
        finish(desk, PHONE, numbers[2], code(desk))


def test_a_code_for_the_page_opens_nothing_else_and_no_other_browser(desk: Desk, helen: int) -> None:
    number = begin(desk, PHONE, MOBILE, BIRTH, "en")
    with pytest.raises(NotFound):
        finish(desk, OTHER, number, code(desk))
    with pytest.raises(NotFound):
        text_again(desk, PHONE, Purpose.ASK, number)


def test_a_child_s_birth_date_on_the_family_s_phone_opens_nothing(desk: Desk, helen: int) -> None:
    relative(desk, helen, first="Mateo", birth=date(2019, 7, 20), phone="3605550148")
    with pytest.raises(Refused, match="couldn’t find you"):
        enters(desk, birth="7/20/2019")


def test_two_who_fit_or_who_left_are_nobody(desk: Desk, helen: int) -> None:
    twin = relative(desk, helen, first="Hanna", birth=date(1984, 5, 3), phone="3605550148")
    with pytest.raises(Refused, match="couldn’t find you"):
        enters(desk)
    set_status(desk, JUNO, twin, "inactive", "moved", "", 1, 1)
    secret = enters(desk)
    set_status(desk, JUNO, helen, "inactive", "moved", "", 1, 1)
    assert signed_in(desk, PHONE, secret) is None


def test_a_session_ends_unused_after_hours_and_by_hand(desk: Desk, helen: int, clock: ShiftedClock) -> None:
    secret = enters(desk)
    begun = clock.now()
    clock.set_to(begun + IDLE + timedelta(minutes=1))
    assert signed_in(desk, PHONE, secret) is None
    secret = enters(desk)
    begun = clock.now()
    while clock.now() < begun + LONGEST - timedelta(minutes=10):
        clock.set_to(clock.now() + timedelta(minutes=20))
        if clock.now() < begun + LONGEST:
            assert signed_in(desk, PHONE, secret) is not None
    clock.set_to(begun + LONGEST + timedelta(seconds=1))
    assert signed_in(desk, PHONE, secret) is None
    found = own(desk)
    sign_out(desk, found)
    assert (
        scalar(
            desk, "SELECT COUNT(*) FROM own_session WHERE ended_at IS NULL AND id = :id", id=found.session_id
        )
        == 0
    )


def test_the_desk_and_the_patient_end_other_sessions(desk: Desk, helen: int) -> None:
    first, second = enters(desk), enters(desk)
    now = signed_in(desk, PHONE, second)
    assert now is not None and sign_out_elsewhere(desk, now) == 1
    assert signed_in(desk, PHONE, first) is None and signed_in(desk, PHONE, second) is not None
    assert sign_out_patient(desk, JUNO, helen) == 1
    assert signed_in(desk, PHONE, second) is None


def test_a_password_still_needs_the_code_and_says_the_same_to_everybody(desk: Desk, helen: int) -> None:
    set_password(desk, own(desk), PASSWORD)
    number = begin_with_password(desk, PHONE, "helen@example.org", PASSWORD, "en")
    assert signed_in(desk, PHONE, finish(desk, PHONE, number, code(desk))) is not None
    said = set()
    for email, password in (
        ("helen@example.org", "wrong words here"),
        ("nobody@example.org", PASSWORD),
        ("", PASSWORD),
        ("helen@example.org", ""),
    ):
        with pytest.raises(Refused) as wrong:
            begin_with_password(desk, PHONE, email, password, "en")
        said.add((wrong.value.message, tuple(wrong.value.problems)))
    assert said == {(NO_MATCH, ("password",))}
    assert PASSWORD not in str(rows_of(desk, "SELECT * FROM own_login"))


def test_a_password_is_shut_after_many_wrong_ones_also_for_the_right_one(
    desk: Desk, helen: int, clock: ShiftedClock
) -> None:
    set_password(desk, own(desk), PASSWORD)
    for number in range(MOST_WRONG):
        with pytest.raises(Refused):
            at = replace(PHONE, address=f"192.0.2.{number}")
            begin_with_password(desk, at, "helen@example.org", "wrong words here", "en")
        clock.set_to(clock.now() + timedelta(minutes=21))
        if number == MOST_WRONG - 1:
            clock.set_to(clock.now() - timedelta(minutes=20))
    with pytest.raises(Refused):
        begin_with_password(desk, PHONE, "helen@example.org", PASSWORD, "en")
    clock.set_to(clock.now() + timedelta(hours=25))
    assert begin_with_password(desk, PHONE, "helen@example.org", PASSWORD, "en")


@pytest.mark.parametrize("password", ["short", "Helen Vasquez 1984", "aaaaaaaaaaaa"])
def test_a_weak_password_is_refused(desk: Desk, helen: int, password: str) -> None:
    with pytest.raises(Refused) as refused:
        set_password(desk, own(desk), password)
    assert set(refused.value.problems) == {"new_password"}


def test_whom_the_desk_allowed_with_a_proof_until_they_are_of_age(
    desk: Desk, helen: int, clock: ShiftedClock
) -> None:
    mateo = relative(desk, helen, first="Mateo", birth=date(2009, 5, 31), phone="3605550149")
    with pytest.raises(Refused) as refused:
        allow(desk, JUNO, helen, mateo, "  ")
    assert set(refused.value.problems) == {"proof"}
    number = allow(desk, JUNO, helen, mateo, "birth certificate")
    with pytest.raises(Conflict):
        allow(desk, JUNO, helen, mateo, "birth certificate")
    assert [each.id for each in own(desk).people] == [helen, mateo]
    clock.set_to(clock.now() + timedelta(days=190))
    assert [each.id for each in own(desk).people] == [helen]
    clock.set_to(clock.now() - timedelta(days=190))
    end_permission(desk, JUNO, mateo, number)
    assert [each.id for each in own(desk).people] == [helen]
    with pytest.raises(NotFound):
        end_permission(desk, JUNO, mateo, number)


def test_own_visits_are_confirmed_moved_and_canceled_and_nobody_else_s(desk: Desk, helen: int) -> None:
    day = TODAY + timedelta(days=7)
    mine = book_visit(desk, JUNO, order(helen, 5, "14:00", day=day))
    other = book_visit(
        desk,
        JUNO,
        order(add_patient(desk, first="Otto", last="Berg", phone="3605550177"), 5, "15:00", day=day),
    )
    me = own(desk)
    confirm_visit(desk, me, mine)
    confirm_visit(desk, me, mine)
    assert scalar(desk, "SELECT state FROM visit WHERE id = :id", id=mine) == "confirmed"
    with pytest.raises(Conflict):
        move_visit(desk, me, mine, 1, day, 15 * 60, 5)
    with pytest.raises(Refused):
        move_visit(desk, me, mine, 1, TODAY - timedelta(days=1), 600, 5)
    move_visit(desk, me, mine, 1, day, 16 * 60, 5)
    assert visit_page(desk, me, mine).visit.start_min == 16 * 60
    for act in (confirm_visit, cancel_visit, visit_page):
        with pytest.raises(NotFound):
            act(desk, me, other)
    with pytest.raises(NotFound):
        move_visit(desk, me, other, 1, day, 17 * 60, 5)
    cancel_visit(desk, me, mine)
    with pytest.raises(Refused, match="too close"):
        cancel_visit(desk, me, mine)


def test_what_is_written_waits_in_the_inbox_once_it_is_something(desk: Desk, helen: int) -> None:
    me = own(desk)
    for words in ("  ", "x" * 1001):
        with pytest.raises(Refused) as refused:
            say(desk, me, me.patient, words)
        assert set(refused.value.problems) == {"words"}
    say(desk, me, me.patient, "Can I  bring my son?")
    with desk.engine.connect() as connection:
        rows = inbox_rows(connection, desk.clinic, 1, 1, JUNO.role, desk.clock.now())
        (line,) = [each for each in said_both_ways(connection, me.patient) if not each.ours]
    (row,) = [each for each in rows if each.patient_id == helen]
    assert (row.source, row.what, row.says) == ("web", "message", "“Can I bring my son?”")
    assert line.words == "Can I bring my son?"


def test_wishes_count_at_once_and_only_ways_that_reach_them(desk: Desk, helen: int) -> None:
    me = own(desk)
    set_wishes(desk, me, {"money": "text", "news": "none", "reminders": ""})
    with desk.engine.connect() as connection:
        now = patient_row(connection, helen)
    assert paper_wish(now) == "text" and now.reach["news"]["by"] == "none" and "reminders" not in now.reach
    with pytest.raises(Refused):
        set_wishes(desk, replace(me, patient=replace(me.patient, email="")), {"money": "email"})
    with pytest.raises(Refused):
        set_wishes(desk, me, {"money": "pigeon"})


def test_who_was_turned_down_is_forgotten_after_ninety_days_and_others_are_not(
    desk: Desk, helen: int, clock: ShiftedClock
) -> None:
    typed = NewcomerTyped(
        first="Tamsin", last="Ellery", birth="3/14/1988", phone="360 555 0137", language="en"
    )
    row = arrive(desk, PHONE, announce(desk, PHONE, typed), code(desk))
    clock.set_to(clock.now() + KEPT - timedelta(days=1))
    assert forget_turned_down(desk) == 0
    clock.set_to(clock.now() + timedelta(days=2))
    assert forget_turned_down(desk) == 1 and forget_turned_down(desk) == 0
    kept = str(rows_of(desk, "SELECT * FROM patient WHERE id = :id", id=row.patient_id))
    assert "Tamsin" not in kept and "3605550137" not in kept and "forgotten" in kept
    everything = str(
        [
            rows_of(desk, f"SELECT * FROM {name}")
            for name in ("registration", "online_who", "online_code", "message")
        ]
    )
    assert "Ellery" not in everything and "3605550137" not in everything
    assert scalar(desk, "SELECT first FROM patient WHERE id = :id", id=helen) == "Helen"


@pytest.mark.parametrize(("phone", "birth", "field"), [("555", BIRTH, "phone"), (MOBILE, "soon", "birth")])
def test_what_is_wrong_stands_beside_its_field(desk: Desk, phone: str, birth: str, field: str) -> None:
    with pytest.raises(Problems) as wrong:
        begin(desk, PHONE, phone, birth, "en")
    assert set(wrong.value.problems) == {field}


def test_two_records_with_a_page_each_become_one_and_whoever_was_in_signs_in_again(desk: Desk) -> None:
    keep, drop = add_patient(desk, 1, phone="3605550148"), add_patient(desk, 2, phone="3605550199")
    child, mother = (add_patient(desk, 3, birth=date(year, 1, 1)) for year in (2015, 1960))
    at_keep = enters(desk)
    at_drop = finish(desk, OTHER, begin(desk, OTHER, "3605550199", BIRTH, "en"), code(desk))
    for secret, device in ((at_keep, PHONE), (at_drop, OTHER)):
        who = signed_in(desk, device, secret)
        assert who is not None
        set_password(desk, who, PASSWORD)
    for one, other in ((keep, child), (drop, child), (mother, keep), (mother, drop), (keep, drop)):
        allow(desk, JUNO, one, other, "Birth certificate seen")
    merge(desk, SAM, keep, drop, {}, (1, 1))
    assert signed_in(desk, OTHER, at_drop) is None
    still = signed_in(desk, PHONE, at_keep)
    assert still is not None and [each.id for each in still.people] == [keep, child]
    assert rows_of(desk, "SELECT patient_id FROM own_login") == [{"patient_id": keep}]
    open_ones = "SELECT patient_id, for_id FROM own_allowed WHERE ended_at IS NULL ORDER BY id"
    assert [(each["patient_id"], each["for_id"]) for each in rows_of(desk, open_ones)] == [
        (keep, child),
        (mother, keep),
    ]
