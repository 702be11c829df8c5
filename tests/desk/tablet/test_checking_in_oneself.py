"""Checking in at the tablet: one finds oneself and nobody else, says what is right, signs and pays; Day shows
who is here, and the tablet knows nobody a minute later.
"""

from __future__ import annotations

from datetime import date, timedelta
from pathlib import Path

import pytest
from sqlalchemy import select, text

from tests.conftest import JUNO, SAM, TODAY, add_patient, order, rows_of, scalar
from tests.fakes import FakeTerminal
from zax.clock import ShiftedClock
from zax.core.errors import NotFound, Problems, Refused, Stale
from zax.core.tablet.shown import FORGETS_AFTER
from zax.demo.records import card_of
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import StepForm, save_step
from zax.desk.arrivals.forms import SignForm, save_template
from zax.desk.book.booking import book_visit
from zax.desk.tablet.arriving import (
    MOST_WRONG,
    NobodyHere,
    at_tablet,
    change_details,
    details_right,
    find_oneself,
    finish,
    forget,
    leave_for_desk,
    pay_copay,
    photograph_card,
    sign_at_tablet,
)
from zax.desk.tablet.tablets import end_tablet, make_tablet, set_up
from zax.outside.doors import Sale
from zax.store.files import FileStore
from zax.store.schema import plan
from zax.web.arrivals.documents import signed_paper

BIRTH = "5/3/1984"


@pytest.fixture
def files(tmp_path: Path) -> FileStore:
    return FileStore(tmp_path)


@pytest.fixture
def tablet(desk: Desk) -> str:
    return set_up(desk, make_tablet(desk, SAM, "Front door", 1))


@pytest.fixture
def visit(desk: Desk) -> int:
    return book_visit(desk, JUNO, order(add_patient(desk, 3), 5, "11:00"))


def finds(desk: Desk, tablet: str, birth: str = BIRTH, letters: str = "vas", scanned: str = "") -> None:
    find_oneself(desk, tablet, birth, letters, scanned)


def a_copay(desk: Desk) -> None:
    """The plan asks one of every office visit."""
    with desk.engine.begin() as connection:
        terms = connection.execute(select(plan.c.terms).where(plan.c.id == 3)).scalar_one()
        more = {"copays": [["office", 2000, "visit"]]}
        connection.execute(plan.update().where(plan.c.id == 3).values(terms=terms | more))
    desk.read_setup()


def state(desk: Desk, visit: int) -> str:
    return str(scalar(desk, "SELECT state FROM visit WHERE id = :id", id=visit))


def test_a_link_sets_up_one_tablet_once(desk: Desk) -> None:
    secret = make_tablet(desk, SAM, "Front door", 1)
    for wrong in ("", "nothing", secret):
        with pytest.raises(NotFound):
            find_oneself(desk, wrong, BIRTH, "vas")
    kept = set_up(desk, secret)
    with pytest.raises(NotFound):
        set_up(desk, secret)
    assert secret not in str(rows_of(desk, "SELECT * FROM tablet")) and kept not in str(
        rows_of(desk, "SELECT * FROM tablet")
    )
    with pytest.raises(NobodyHere):
        at_tablet(desk, kept)
    end_tablet(desk, SAM, scalar(desk, "SELECT id FROM tablet"))
    with pytest.raises(NotFound):
        at_tablet(desk, kept)
    for name, site in (("", 1), ("x" * 41, 1), ("Door", 99)):
        with pytest.raises(Refused):
            make_tablet(desk, SAM, name, site)


@pytest.mark.parametrize(
    ("birth", "letters"), [(BIRTH, "ber"), ("5/4/1984", "vas"), (BIRTH, "vasquezz"), (BIRTH, "helen")]
)
def test_who_doesn_t_fit_finds_nobody(desk: Desk, tablet: str, visit: int, birth: str, letters: str) -> None:
    with pytest.raises(Refused) as refused:
        finds(desk, tablet, birth, letters)
    assert set(refused.value.problems) == {"letters"}
    with pytest.raises(NobodyHere):
        at_tablet(desk, tablet)


def test_only_the_visits_of_today_at_this_site(desk: Desk, tablet: str) -> None:
    other = add_patient(desk, 3, first="Otto", last="Berg", birth=date(1970, 1, 2))
    book_visit(desk, JUNO, order(other, 5, "11:00", day=TODAY + timedelta(days=1)))
    with pytest.raises(Refused):
        finds(desk, tablet, "1/2/1970", "ber")
    hillcrest = set_up(desk, make_tablet(desk, SAM, "Hillcrest", 2))
    book_visit(desk, JUNO, order(other, 5, "15:00"))
    with pytest.raises(Refused):
        finds(desk, hillcrest, "1/2/1970", "ber")
    finds(desk, tablet, "1/2/1970", "be")


def test_of_two_who_fit_nobody_is_chosen_and_one_letter_is_too_few(
    desk: Desk, tablet: str, visit: int
) -> None:
    book_visit(desk, JUNO, order(add_patient(desk, first="Hanna"), 5, "13:30"))
    with pytest.raises(Refused):
        finds(desk, tablet)
    with pytest.raises(Refused) as refused:
        finds(desk, tablet, letters="v")
    assert set(refused.value.problems) == {"letters"}


def test_guessing_ends_at_the_front_desk(desk: Desk, tablet: str, visit: int) -> None:
    for _ in range(MOST_WRONG):
        with pytest.raises(Refused):
            finds(desk, tablet, letters="zzz")
    with pytest.raises(Refused, match="see the front desk"):
        finds(desk, tablet)


def test_the_code_of_a_message_finds_its_visit(desk: Desk, tablet: str, visit: int) -> None:
    with desk.engine.begin() as connection:
        connection.execute(
            text(
                "INSERT INTO message (request_key, patient_id, visit_id, event, channel, link, made_at,"
                " due_at)"
                " SELECT 'm', patient_id, id, 'reminder', 'text', 'abcdefghijklmnopqrst', NOW(6), NOW(6)"
                " FROM visit"
            )
        )
    finds(desk, tablet, "", "", "https://visits.example.org/v/abcdefghijklmnopqrst")
    assert at_tablet(desk, tablet).visit.id == visit
    for wrong in ("https://visits.example.org/v/other", "x" * 80, "/"):
        with pytest.raises(Refused) as refused:
            finds(desk, tablet, "", "", wrong)
        assert set(refused.value.problems) == {"scanned"}


def test_all_the_way_to_here(desk: Desk, tablet: str, visit: int, files: FileStore) -> None:
    a_copay(desk)
    template = save_template(desk, SAM, 0, "Policy", [("text", "We keep it.", "", False)], "0", True, 0)
    for kind, words in (("details", "Confirm details"), ("coverage", "Card"), ("collect", "Copay")):
        save_step(desk, SAM, 0, StepForm(kind=kind, words=words, required=True))
    save_step(desk, SAM, 0, StepForm(kind="form", words="Sign it", template_id=template, required=True))
    finds(desk, tablet)
    here = at_tablet(desk, tablet)
    assert here.due > 0 and here.stops == ["details", "cards", f"form-{template}", "copay"]
    details_right(desk, tablet)
    both = {"front": card_of("Northmoor", "N-1"), "back": card_of("Northmoor", "N-1 back")}
    photograph_card(desk, tablet, files, both)
    form = SignForm(typed_name="Helen Vasquez", signer="Helen Vasquez", relation="self", version=1)
    with pytest.raises(Stale):
        sign_at_tablet(desk, tablet, files, signed_paper, template, form.but(version=7))
    sign_at_tablet(desk, tablet, files, signed_paper, template, form)
    terminal = FakeTerminal(answers=[Sale(state="declined", words="no")])
    with pytest.raises(Refused) as refused:
        pay_copay(desk, tablet, terminal, "first")
    assert set(refused.value.problems) == {"copay"}
    pay_copay(desk, tablet, terminal, "second")
    assert terminal.asked[-1][1] == here.due
    assert at_tablet(desk, tablet).next_stop == ""
    arrived = finish(desk, tablet)
    assert arrived.left == () and state(desk, visit) == "here"
    assert scalar(desk, "SELECT COUNT(*) FROM registration WHERE state = 'sent'") == 1
    with pytest.raises(NobodyHere):
        at_tablet(desk, tablet)


def test_what_is_left_for_the_desk_stands_in_the_door(desk: Desk, tablet: str, visit: int) -> None:
    save_step(desk, SAM, 0, StepForm(kind="own", words="Blood pressure", required=True))
    finds(desk, tablet)
    for stop in list(at_tablet(desk, tablet).stops):
        leave_for_desk(desk, tablet, stop)
    assert finish(desk, tablet).left == ["Blood pressure"]
    assert state(desk, visit) == "booked"


def test_what_changed_is_compared_at_the_desk_and_nothing_changes_by_itself(
    desk: Desk, tablet: str, visit: int
) -> None:
    finds(desk, tablet)
    with pytest.raises(Problems) as wrong:
        change_details(desk, tablet, {"zip": "9820", "street": "9 New Row"})
    assert set(wrong.value.problems) == {"zip"}
    change_details(desk, tablet, {"zip": "98203", "street": "9 New Row", "email": " ", "first": "Evil"})
    (row,) = rows_of(desk, "SELECT patient_id, pages, state FROM registration")
    assert row["state"] == "sent" and "9 New Row" in row["pages"]
    assert "email" not in row["pages"] and "Evil" not in row["pages"]
    assert scalar(desk, "SELECT street FROM patient") == "12 Tide Street"


def test_a_minute_without_a_touch_forgets(desk: Desk, tablet: str, visit: int, clock: ShiftedClock) -> None:
    finds(desk, tablet)
    clock.set_to(clock.now() + FORGETS_AFTER - timedelta(seconds=2))
    at_tablet(desk, tablet)
    clock.set_to(clock.now() + FORGETS_AFTER - timedelta(seconds=2))
    at_tablet(desk, tablet)
    clock.set_to(clock.now() + FORGETS_AFTER)
    for work in (
        lambda: at_tablet(desk, tablet),
        lambda: details_right(desk, tablet),
        lambda: finish(desk, tablet),
    ):
        with pytest.raises(NobodyHere):
            work()
    assert state(desk, visit) == "booked"


def test_the_next_person_finds_nobody_before_them(desk: Desk, tablet: str, visit: int) -> None:
    finds(desk, tablet)
    with pytest.raises(Refused):
        finds(desk, tablet, letters="zzz")
    with pytest.raises(NobodyHere):
        at_tablet(desk, tablet)
    finds(desk, tablet)
    forget(desk, tablet)
    with pytest.raises(NobodyHere):
        at_tablet(desk, tablet)


def test_a_photo_that_is_none_is_refused_beside_it(
    desk: Desk, tablet: str, visit: int, files: FileStore
) -> None:
    save_step(desk, SAM, 0, StepForm(kind="coverage", words="Card"))
    finds(desk, tablet)
    details_right(desk, tablet)
    for photos, field in (({}, "front"), ({"back": b"<html>"}, "back")):
        with pytest.raises(Refused) as refused:
            photograph_card(desk, tablet, files, photos)
        assert set(refused.value.problems) == {field}
