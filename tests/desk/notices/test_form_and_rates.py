"""Who has a form to fill in hears of it, nobody else; and no door takes more than it may."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

import pytest
from sqlalchemy import insert

from tests.conftest import JUNO, SAM, add_patient, at, rows_of, scalar
from tests.desk.notices.made import log, only
from tests.desk.notices.test_planning import DAY, TEXT, texts, visit, works
from zax.clock import ShiftedClock
from zax.core.notices.events import Event
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import StepForm, save_step
from zax.desk.arrivals.forms import save_template
from zax.desk.notices.door_rates import door_free_at
from zax.desk.notices.forecast import foreseen
from zax.desk.notices.rules import habits_of, keep_habits, rules_of, word_book
from zax.outside.doors import Outside, OutsideTrouble
from zax.store import schema

FORM = (Event.FORM, TEXT, "1 day before at 11:00 am")
TOLD = at(11, 0, DAY - timedelta(days=1))


@pytest.fixture
def asked(desk: Desk) -> None:
    """The check-in list asks for a form."""
    form = save_template(
        desk, SAM, 0, "Privacy", [("text", "We keep what you tell us.", "", False)], "12", True, 1
    )
    save_step(desk, SAM, 0, StepForm(kind="form", words="Sign the privacy form", template_id=form))


def sign_everything(desk: Desk, patient: int) -> None:
    with desk.engine.begin() as connection:
        for form in desk.clinic.forms.values():
            connection.execute(
                insert(schema.signed_form).values(
                    patient_id=patient,
                    template_id=form.id,
                    template_version=1,
                    name=form.name,
                    signer="Helen",
                    relation="self",
                    at=desk.clock.now(),
                    by_id=JUNO.id,
                    digest="0" * 64,
                    bytes=1,
                )
            )


@pytest.mark.usefixtures("asked")
def test_only_who_has_one_hears_of_it_and_says_why_not_of_the_other(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    only(desk, FORM)
    signed = add_patient(desk, first="Signed", phone="3605550101")
    sign_everything(desk, signed)
    for start, patient in (("14:00", signed), ("15:00", add_patient(desk, first="Open"))):
        visit(desk, patient, start)
    with desk.engine.connect() as connection:
        ahead = foreseen(connection, desk.clinic, rules_of(connection), word_book(connection), TOLD.date())
    assert [each.names[0].split()[0] for each in ahead] == ["Open"]
    for minute in (0, 5):
        clock.set_to(TOLD + timedelta(minutes=minute))
        works(desk, outside)
    ((_, words),) = texts(outside)
    assert words.startswith("Hi Open, there's a form to fill in before your visit Tue, Dec 1, 3:00 pm.")
    reasons = {row["why_not"] for row in rows_of(desk, "SELECT why_not FROM notice_told")}
    assert reasons == {"", "no form to fill in"}


@pytest.mark.usefixtures("asked")
def test_signed_between_planning_and_sending_nothing_goes(
    desk: Desk, clock: ShiftedClock, outside: Outside, monkeypatch: pytest.MonkeyPatch
) -> None:
    only(desk, FORM)
    patient = add_patient(desk)
    visit(desk, patient)
    clock.set_to(TOLD)

    def away(*_: object) -> bool:
        raise OutsideTrouble("The text gateway can’t be reached.")

    with monkeypatch.context() as patch:
        patch.setattr(type(outside.texts), "send", away)
        works(desk, outside)
    sign_everything(desk, patient)
    clock.set_to(TOLD + timedelta(hours=1))
    works(desk, outside)
    assert texts(outside) == []
    assert log(desk)[0]["state_words"] == "the form was filled in before this went"


def _book_five(desk: Desk) -> None:
    for number, start in enumerate(("8:00", "9:00", "10:00", "14:00", "15:00")):
        visit(desk, add_patient(desk, first=f"P{number}", phone=f"36055502{number:02}"), start)


def test_what_was_put_off_together_goes_no_faster_than_the_door_takes(
    desk: Desk, clock: ShiftedClock, outside: Outside, monkeypatch: pytest.MonkeyPatch
) -> None:
    only(desk, (Event.REMINDER, TEXT, "2 days before at 4:00 pm"))
    keep_habits(desk, SAM, replace(habits_of(desk.clinic), texts_a_minute=2))
    _book_five(desk)
    began = at(16, 0, DAY - timedelta(days=2))
    clock.set_to(began)

    def away(*_: object) -> bool:
        raise OutsideTrouble("The text gateway can’t be reached.")

    with monkeypatch.context() as patch:
        patch.setattr(type(outside.texts), "send", away)
        for minute in range(4):
            clock.set_to(began + timedelta(minutes=minute))
            works(desk, outside)
    went = []
    for minute in range(30, 36):
        clock.set_to(began + timedelta(minutes=minute, seconds=1))
        works(desk, outside)
        went.append(len(texts(outside)))
    assert went == [2, 4, 5, 5, 5, 5]
    assert scalar(desk, "SELECT COUNT(*) FROM message WHERE state = 'sent'") == 5


@pytest.mark.parametrize(
    ("ahead", "planned_before"),
    [(timedelta(hours=1), True), (timedelta(hours=1), False), (timedelta(hours=8), True)],
)
def test_what_a_clock_that_was_ahead_sent_or_put_off_holds_nothing_up(
    desk: Desk, clock: ShiftedClock, outside: Outside, ahead: timedelta, planned_before: bool
) -> None:
    """By an hour it is the door's rate that puts off, by eight the quiet hours of the night."""
    only(desk, (Event.REMINDER, TEXT, "2 days before at 4:00 pm"))
    keep_habits(desk, SAM, replace(habits_of(desk.clinic), texts_a_minute=2))
    _book_five(desk)
    right = at(16, 0, DAY - timedelta(days=2))
    if planned_before:
        clock.set_to(right)
        works(desk, outside)
    for second in (0, 35):
        clock.set_to(right + ahead + timedelta(seconds=second))
        works(desk, outside)
    assert len(texts(outside)) < 4
    for minute in range(1, 4):
        clock.set_to(right + timedelta(minutes=minute, seconds=1))
        works(desk, outside)
    assert len(texts(outside)) == 5


def test_recalls_wait_for_the_desks_hour_and_reminders_dont(desk: Desk, clock: ShiftedClock) -> None:
    keep_habits(desk, SAM, replace(habits_of(desk.clinic), recalls_an_hour=1))
    with desk.engine.begin() as connection:
        connection.execute(
            insert(schema.message).values(
                request_key="earlier",
                event="recall",
                channel="email",
                state="sent",
                made_at=clock.now(),
                due_at=clock.now(),
                sent_at=clock.now() - timedelta(minutes=10),
            )
        )

    def wait(event: Event) -> int | None:
        free = in_transaction(desk, WORKER, lambda tx: door_free_at(tx, event, TEXT))
        return None if free is None else round((free - clock.now()).total_seconds() / 60)

    assert (wait(Event.RECALL), wait(Event.RETURN), wait(Event.REMINDER)) == (50, 50, None)
    clock.set_to(clock.now() + timedelta(minutes=51))
    assert wait(Event.RECALL) is None
