"""Asking payers about coverage: one person now, or everybody booked in the next days by the worker. Questions
and answers are kept as sent.

The question is written down and committed before it goes out and the answer after it came, so that no
transaction waits for a payer and an answer that never comes leaves a question that says so. A second answer
to one question changes nothing.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Annotated

import structlog

from zax.clock import local
from zax.core.coverage.answer import (
    ASKING,
    FAILED,
    FINE,
    PROBLEM,
    Asked,
    Difference,
    Judged,
    counted_elsewhere,
    differences,
    figures,
    judge,
    taken_over,
)
from zax.core.coverage.benefits import Benefits, benefit_year
from zax.core.errors import Conflict, NotFound, Refused
from zax.core.form import Form, a_number
from zax.core.x12.eligibility import read_eligibility
from zax.core.x12.inquiry import Inquiry, inquiry_file
from zax.core.x12.parties import Organization
from zax.desk.acts.act import act
from zax.desk.acts.actor import WORKER, Actor
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.coverages import set_elsewhere
from zax.desk.coverage.estimate_inputs import covers_for, elsewhere_of
from zax.desk.coverage.parties import billing_of, envelope_of, person_of, subscriber_of
from zax.desk.coverage.plans import correct_plan
from zax.outside.doors import Clearinghouse, DoorRests, OutsideTrouble
from zax.store.book.queries import one_visit
from zax.store.coverage import checks
from zax.store.coverage.queries import coverages_of, note_check, one_coverage
from zax.store.coverage.records import Check, Coverage, DayCover
from zax.store.engine import TROUBLE, Connection
from zax.store.patients.patients import known_patient

log = structlog.get_logger()

DENTAL_TYPES, MEDICAL_TYPES = ("35", "23", "41"), ("30", "98")
MOST_TRIES = 5


@dataclass(frozen=True, slots=True)
class Habits:
    """When the worker asks (hour of the first site's clock), for how many days ahead, and for how many days
    an answer is fresh.
    """

    hour: int
    days: int
    fresh_days: int


def habits_of(clinic: Clinic) -> Habits:
    about = clinic.about
    return Habits(
        int(about.get("eligibility_hour", 5)),
        int(about.get("eligibility_days", 3)),
        int(about.get("eligibility_fresh_days", 7)),
    )


class HabitsForm(Form):
    """When and for whom the worker asks; see Habits."""

    hour: Annotated[int, a_number(0, 23, "A whole number, 0 to 23.")]
    days: Annotated[int, a_number(0, 60, "A whole number, 0 to 60.")]
    fresh_days: Annotated[int, a_number(1, 90, "A whole number, 1 to 90.")]


@act("setup")
def save_habits(tx: Transaction, habits: HabitsForm) -> None:
    for name, number in habits:
        tx.keep_setting(f"eligibility_{name}", number)
    tx.change_setup("eligibility.habits", **dict(habits))


def mark_of(clinic: Clinic, row: DayCover | None, now: datetime) -> str:
    """How a visit's coverage stands: fine, problem, unchecked, or nothing where there is nothing to check.
    `row` as store.coverage.day_states.
    """
    if row is None or row.member_id is None or row.eligibility != "auto":
        return ""
    return _freshness(clinic, row, now)


def cover_mark(clinic: Clinic, row: Coverage | None, now: datetime) -> str:
    """The same for a coverage with its plan, as store.coverage reads it; None for no coverage."""
    if row is None or clinic.payers[row.payer_id].eligibility != "auto":
        return ""
    return _freshness(clinic, row, now)


def _freshness(clinic: Clinic, row: Coverage | DayCover, now: datetime) -> str:
    fresh = row.checked_at is not None and now - row.checked_at < timedelta(days=habits_of(clinic).fresh_days)
    return (
        {FINE: "fine", PROBLEM: "problem"}.get(row.check_state or "", "unchecked") if fresh else "unchecked"
    )


def ask(
    desk: Desk, actor: Actor, door: Clearinghouse, coverage_id: int, day: date, visit_id: int | None = None
) -> Judged:
    """Ask now and wait for the answer; whatever comes of it is kept. Refused without a member id or for a
    payer that is asked by phone.
    """
    check_id, question = _begin(desk, actor, coverage_id, day, visit_id)
    try:
        answer = door.ask(question)
    except OutsideTrouble as error:
        return _fail(desk, actor, check_id, f"{error} Try again later, or call the payer.")
    return _finish(desk, actor, check_id, answer)


@act("see")
def _begin(tx: Transaction, coverage_id: int, day: date, visit_id: int | None) -> tuple[int, str]:
    row = one_coverage(tx.connection, coverage_id)
    if row is None:
        raise NotFound("There is no such coverage.")
    payer = tx.clinic.payers[row.payer_id]
    if payer.eligibility != "auto":
        raise Refused(f"{payer.name} can only be checked by phone.", "ask")
    if not row.member_id:
        raise Refused("Enter the member ID first. Payers need it.", "ask")
    return _question(tx, row, day, visit_id, None)


def _add_check(tx: Transaction, row: Coverage, day: date, visit_id: int | None, batch_id: int | None) -> int:
    return checks.add_check(
        tx.connection,
        patient_id=row.patient_id,
        coverage_id=row.id,
        visit_id=visit_id,
        batch_id=batch_id,
        day=day,
        at=tx.now,
        by_id=tx.actor.id,
    )


def _question(
    tx: Transaction, row: Coverage, day: date, visit_id: int | None, batch_id: int | None
) -> tuple[int, str]:
    check_id = _add_check(tx, row, day, visit_id, batch_id)
    trace, payer = f"Z{check_id}", tx.clinic.payers[row.payer_id]
    envelope = envelope_of(tx, check_id)
    own = row.relationship == "18"
    question = inquiry_file(
        Inquiry(
            trace=trace,
            payer=Organization(name=payer.name, identifier=payer.electronic_id),
            provider=billing_of(tx.clinic),
            subscriber=person_of(tx.connection, row.patient_id, row.member_id)
            if own
            else subscriber_of(tx.connection, row),
            dependent=None if own else person_of(tx.connection, row.patient_id, row.member_id),
            day=day,
            service_types=DENTAL_TYPES if row.dental else MEDICAL_TYPES,
        ),
        envelope,
    )
    checks.keep_question(tx.connection, check_id, trace, question)
    return check_id, question


@act("see")
def _fail(tx: Transaction, check_id: int, words: str) -> Judged:
    judged = Judged(FAILED, words[:255])
    _note(tx, check_id, judged, None)
    return judged


@act("see")
def _finish(tx: Transaction, check_id: int, answer: str) -> Judged:
    check = checks.check_for_update(tx.connection, check_id)
    assert check is not None
    judged = judged_answer(tx.connection, check, answer)
    if check.state == ASKING:
        _note(tx, check_id, judged, answer)
    return judged


def _note(tx: Transaction, check_id: int, judged: Judged, answer: str | None) -> None:
    """Keep the answer, and on the coverage how it stands. A question that failed leaves an earlier answer
    standing.
    """
    check = checks.check_of(tx.connection, check_id)
    assert check is not None
    checks.keep_answer(
        tx.connection, check_id, state=judged.state, words=judged.words, answer=answer, at=tx.now
    )
    note_check(tx.connection, check.coverage_id, judged.state, None if judged.state == FAILED else tx.now)
    tx.audit("coverage.checked", patient_id=check.patient_id, visit_id=check.visit_id, state=judged.state)
    visit = one_visit(tx.connection, check.visit_id) if check.visit_id else None
    tx.tell(
        "coverage",
        patient_id=check.patient_id,
        visit_id=check.visit_id,
        site_id=visit.site_id if visit else None,
        day=visit.day if visit else None,
    )


def judged_answer(connection: Connection, check: Check, answer: str) -> Judged:
    """The verdict on an answer as it stands in the database."""
    patient, row = known_patient(connection, check.patient_id), one_coverage(connection, check.coverage_id)
    assert row is not None
    asked = Asked(patient.first, patient.last, patient.birth, row.member_id, check.trace, row.dental)
    return judge(read_eligibility(answer), asked, check.day)


# --- everybody booked
@act("patients")
def ask_for_booked(tx: Transaction, days: int, run_key: str) -> int:
    """Questions for everybody booked from today on whose coverage has no fresh answer, carried out by the
    worker. How many; 0 for a run known already.
    """
    habits, today = habits_of(tx.clinic), tx.clinic_day
    if not 0 <= days <= 60:
        raise Refused("0 to 60 days ahead.", "days")
    last = today + timedelta(days=days)
    batch_id = checks.add_batch(
        tx.connection, at=tx.now, by_id=tx.actor.id, first_day=today, last_day=last, run_key=run_key
    )
    if batch_id is None:
        return 0
    due = checks.coverages_to_ask(tx.connection, today, last, tx.now - timedelta(days=habits.fresh_days))
    covers = {row.id: row for row in coverages_of(tx.connection, [each.patient_id for each in due])}
    for each in due:
        _ask_one(tx, covers[each.id], each.day, each.visit_id, batch_id)
    checks.set_batch_total(tx.connection, batch_id, len(due))
    tx.audit("coverage.batch", count=len(due), days=days)
    tx.tell("eligibility")
    return len(due)


def ask_soon(tx: Transaction, coverage_id: int, day: date) -> bool:
    """Have the worker ask about a coverage that was just entered; whether it can be asked."""
    row = one_coverage(tx.connection, coverage_id)
    if row is None or not row.member_id or tx.clinic.payers[row.payer_id].eligibility != "auto":
        return False
    _ask_one(tx, row, day, None, None)
    return True


def _ask_one(tx: Transaction, row: Coverage, day: date, visit_id: int | None, batch_id: int | None) -> None:
    """A question sent by the worker; one that cannot be written does not stop the others."""
    try:
        with tx.connection.begin_nested():
            check_id, _ = _question(tx, row, day, visit_id, batch_id)
            tx.send("eligibility", f"eligibility-{check_id}", {"check_id": check_id})
    except TROUBLE:
        raise
    except Exception as error:
        log.error("question.unwritten", coverage=row.id, exc_info=error)
        check_id = _add_check(tx, row, day, visit_id, batch_id)
        words = "The request couldn’t be created. Check this coverage’s member ID, names and birth date."
        _note(tx, check_id, Judged(FAILED, words), None)


def nightly(desk: Desk) -> int:
    """Once a day, from the set hour on: ask for everybody booked. How many questions were made."""
    site = desk.clinic.first_site
    now = local(desk.clock.now(), site.timezone)
    habits = habits_of(desk.clinic)
    key = f"night-{now.date()}"
    if now.hour < habits.hour or not desk.clinic.has_clearinghouse:
        return 0
    with desk.engine.connect() as connection:
        if checks.batch_known(connection, key):
            return 0
    return ask_for_booked(desk, WORKER, habits.days, key)


def carry_out(desk: Desk, door: Clearinghouse, check_id: int, attempts: int) -> None:
    """The worker's part of one question. Raises OutsideTrouble to be tried again, until it was tried often
    enough.
    """
    with desk.engine.connect() as connection:
        check = checks.check_of(connection, check_id)
    if check is None or check.state != ASKING:
        return
    try:
        answer = door.ask(check.question)
    except DoorRests:
        raise
    except OutsideTrouble as error:
        if attempts < MOST_TRIES:
            raise
        _fail(desk, WORKER, check_id, f"{error} Try again later, or call the payer.")
        return
    _finish(desk, WORKER, check_id, answer)


@act("patients")
def handled(tx: Transaction, check_id: int) -> None:
    """Somebody has looked at it and done what is needed."""
    if not checks.mark_handled(tx.connection, check_id, tx.now, tx.actor.id):
        raise Conflict("Someone already took care of this.")
    tx.tell("eligibility")


# --- what differs from the plan
def plan_differences(connection: Connection, clinic: Clinic, check: Check) -> list[Difference]:
    """Where the answer and the plan on file disagree; nothing when the answer is not to be used."""
    if check.answer is None:
        return []
    judged = judged_answer(connection, check, check.answer)
    row = one_coverage(connection, check.coverage_id)
    if judged.state != FINE or judged.member is None or row is None:
        return []
    return differences(clinic.plans[row.plan_id].benefits, figures(judged.member, row.dental))


@act("plans")
def take_over(tx: Transaction, check_id: int, key: str) -> str:
    """The plan is what the payer says, in this one point, for every patient of it; its name."""
    check = checks.check_of(tx.connection, check_id)
    if check is None:
        raise NotFound("That response doesn’t exist.")
    found = next((d for d in plan_differences(tx.connection, tx.clinic, check) if d.key == key), None)
    if found is None:
        raise Conflict("The plan already matches the response.")
    row = one_coverage(tx.connection, check.coverage_id)
    assert row is not None
    plan = tx.clinic.plans[row.plan_id]
    correct_plan(tx, plan.id, taken_over(plan.benefits, found), plan.version)
    return plan.name


def used_elsewhere(connection: Connection, clinic: Clinic, check: Check) -> tuple[int, int] | None:
    """(deductible, paid) in cents that the payer counts and we do not know of; None when the answer does not
    say or agrees.
    """
    if check.answer is None:
        return None
    judged = judged_answer(connection, check, check.answer)
    row = one_coverage(connection, check.coverage_id)
    if judged.member is None or judged.state != FINE or row is None:
        return None
    said, plan = figures(judged.member, row.dental), clinic.plans[row.plan_id]
    patient = known_patient(connection, check.patient_id)
    rows, covers = covers_for(
        connection,
        clinic,
        (check.patient_id, patient.birth),
        plan.dental,
        check.day,
        next(iter(clinic.providers)),
    )
    cover = next((c for r, c in zip(rows, covers, strict=True) if r.id == row.id), None)
    if cover is None:
        return None
    known = elsewhere_of(row, plan.benefits, check.day)
    found = counted_elsewhere(said, cover.used, known)
    return found if found != known else None


def take_over_used(desk: Desk, actor: Actor, check_id: int) -> None:
    """Keep on the coverage what the payer counts beyond what we know of."""
    with desk.engine.connect() as connection:
        check = checks.check_of(connection, check_id)
        if check is None:
            raise NotFound("That response doesn’t exist.")
        found = used_elsewhere(connection, desk.clinic, check)
        starts = benefits_of(connection, desk.clinic, check).year_starts_month
    if found is None:
        raise Conflict("The response doesn’t say anything new.")
    year = benefit_year(check.day, starts)[0].year
    set_elsewhere(desk, actor, check.patient_id, check.coverage_id, found[0], found[1], year)


def benefits_of(connection: Connection, clinic: Clinic, check: Check) -> Benefits:
    """The plan that a question was asked about."""
    row = one_coverage(connection, check.coverage_id)
    assert row is not None
    return clinic.plans[row.plan_id].benefits
