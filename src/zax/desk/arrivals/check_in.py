"""Arrival: the clinic's list for one visit, what was done of it by whom, and checking in. A required step
that is open stands in the door until it is done or a manager lets the patient in with a reason.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from zax.clock import local, local_date
from zax.core.arrivals.conditions import About
from zax.core.arrivals.steps import Answer, Arriving, ForWhom, Stand, Step, StepKind, blocking, standing
from zax.core.book.calendar import step_months
from zax.core.book.track import Stop
from zax.core.errors import Conflict, NotFound, Refused
from zax.core.form import Choice, Form, References, Tick
from zax.core.people.roles import may
from zax.core.record.gaps import Gap, record_gaps
from zax.core.wording import day_words
from zax.desk.acts.act import act
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Transaction
from zax.desk.arrivals.facts import Asking, Known, known_of
from zax.desk.book.track import check_correction, locked_visit, step, take_time_again
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.eligibility import cover_mark
from zax.desk.money.dues import OpenVisit, open_items
from zax.desk.money.ledger import Bill, bill_of
from zax.desk.record.record_gaps import facts_of
from zax.store.arrivals import setup, steps
from zax.store.arrivals.setup import StepTerms
from zax.store.book.records import Visit
from zax.store.engine import Connection
from zax.store.money import queries as money
from zax.store.patients.records import Patient

CARD_MONTHS = 12


class StepsOpen(Conflict):
    """Required steps stand between the patient and "here"; `open` are their words."""

    def __init__(self, names: Sequence[str]) -> None:
        super().__init__(
            f"Before check-in: {', '.join(names)}. A manager can check them in with a reason.", "steps"
        )
        self.names = list(names)


@dataclass(frozen=True, slots=True)
class Collect:
    """What may be asked for at the desk before anything is charged; cents. `paid` was already taken for this
    visit.
    """

    copay: int
    earlier: Sequence[OpenVisit]
    paid: int

    @property
    def due(self) -> int:
        return max(0, self.copay - self.paid) + sum(each.cents for each in self.earlier)


@dataclass(frozen=True, slots=True)
class Arrival:
    """Everything the arrival page shows besides the visit itself."""

    stands: list[Stand]
    known: Known
    collect: Collect
    gaps: list[Gap]
    cards: Mapping[str, datetime]

    @property
    def about(self) -> About:
        return self.known.about

    @property
    def patient(self) -> Patient:
        return self.known.patient

    @property
    def blocked_by(self) -> list[Stand]:
        return blocking(self.stands)


def arrival_of(
    connection: Connection,
    clinic: Clinic,
    now: datetime,
    visit: Visit,
    known: Known | None = None,
    bill: Bill | None = None,
) -> Arrival:
    """Read and compute the list of a visit. `known` and `bill` save reading them again."""
    zone = clinic.sites[visit.site_id].timezone
    today = local(now, zone).date()
    asked = Asking(visit.patient_id, visit.type_id, visit.provider_id, visit.id)
    known = known or known_of(connection, clinic, [asked], today)[0]
    bill = bill or bill_of(connection, clinic, visit, known.coverages)
    gaps = record_gaps(facts_of(clinic, known.patient, bill.coverages, today, arriving=True))
    collect = collect_of(connection, clinic, visit, bill)
    cards = steps.card_pictures(connection, visit.patient_id)
    done = steps.last_done(connection, visit.patient_id, visit.id)
    last = {step_id: local(at, zone).date() for step_id, at in done.items()}
    listed = [each.step for each in clinic.steps.values() if each.active]
    itself = {
        each.id: why
        for each in listed
        if (why := _by_itself(each, clinic, known, gaps, collect, bill, cards, now, today))
    }
    who = Arriving(known.new, known.about.flags, visit.type_id, last, itself)
    return Arrival(standing(listed, who, _answers(connection, visit.id), today), known, collect, gaps, cards)


def _by_itself(
    each: Step,
    clinic: Clinic,
    known: Known,
    gaps: Sequence[Gap],
    collect: Collect,
    bill: Bill,
    cards: Mapping[str, datetime],
    now: datetime,
    today: date,
) -> str:
    """Why a built-in step has nothing to do for this visit; empty when it has."""
    if each.kind == StepKind.GAPS:
        return "" if gaps else "nothing missing"
    if each.kind == StepKind.COLLECT:
        return "" if collect.due else "paid" if collect.paid else "nothing due"
    if each.kind == StepKind.PHOTO:
        return "on file" if known.patient.photo else ""
    if each.kind == StepKind.ELIGIBILITY:
        mark = cover_mark(clinic, bill.coverage, now)
        return {"": "no payer to check with", "fine": "active, checked"}.get(mark, "")
    if each.kind == StepKind.COVERAGE:
        fresh = [
            kind
            for kind, at in cards.items()
            if step_months(local_date(at, clinic.first_site.timezone), CARD_MONTHS) > today
        ]
        return (
            "no coverage on file"
            if bill.coverage is None
            else "both sides on file"
            if len(fresh) == 2
            else ""
        )
    if each.kind == StepKind.FORM:
        template = clinic.forms.get(each.template_id or 0)
        if template is None or not template.active:
            return "this form is no longer used"
        signed = known.signed.get(template.id)
        if template.id in known.about.unsigned or not signed:
            return ""
        return f"signed {day_words(signed, year=True)}"
    return ""


def collect_of(connection: Connection, clinic: Clinic, visit: Visit, bill: Bill) -> Collect:
    """The copays that the plan asks for these services, and what the household has open from earlier."""
    copay = sum(each.copay_due for each in bill.estimates)
    paid = -sum(
        entry.patient_cents for entry in money.visit_entries(connection, visit.id) if entry.line_id is None
    )
    earlier = open_items(connection, clinic, visit.household_id).elsewhere(visit.id)
    return Collect(copay, earlier, paid)


def _answers(connection: Connection, visit_id: int) -> dict[int, Answer]:
    return {
        each.step_id: Answer(each.step_id, each.how, each.note, each.name or "Zax", each.at)
        for each in steps.steps_done(connection, visit_id)
    }


@act("arrivals")
def do_step(tx: Transaction, visit_id: int, step_id: int, how: str = "done", note: str = "") -> None:
    """A step done or skipped at this visit; doing a skipped one replaces the skipping. Skipping needs a
    reason.
    """
    visit = locked_visit(tx, visit_id)
    if step_id not in tx.clinic.steps:
        raise NotFound("This step isn’t on the list anymore.")
    if how not in {"done", "skipped"}:
        raise Refused("A step is either done or skipped.", "how")
    if how == "skipped" and not note.strip():
        raise Refused("Say briefly why it’s skipped.", "note")
    before = next(
        (each for each in steps.steps_done(tx.connection, visit.id) if each.step_id == step_id), None
    )
    if before is not None and before.how == how == "done":
        return
    steps.undo_step(tx.connection, visit.id, step_id, tx.now)
    steps.add_step_done(
        tx.connection,
        visit_id=visit.id,
        patient_id=visit.patient_id,
        step_id=step_id,
        how=how,
        note=note.strip(),
        at=tx.now,
        by_id=tx.actor.id,
    )
    _told(tx, visit, "arrival.step", step_id, how)


@act("arrivals")
def undo_step(tx: Transaction, visit_id: int, step_id: int) -> None:
    """Take a step's answer back; it is open again."""
    visit = locked_visit(tx, visit_id)
    steps.undo_step(tx.connection, visit.id, step_id, tx.now)
    _told(tx, visit, "arrival.step", step_id, "open again")


def _told(tx: Transaction, visit: Visit, what: str, step_id: int, how: str) -> None:
    tx.audit(
        what,
        patient_id=visit.patient_id,
        visit_id=visit.id,
        step=tx.clinic.steps[step_id].step.words,
        how=how,
    )
    tx.tell("visit", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)


@act("arrivals")
def check_in(
    tx: Transaction, visit_id: int, version: int | None = None, reason: str = "", boss: Actor | None = None
) -> None:
    """The patient is here. On the day itself; for a past day only to correct the track, with a reason.

    `boss` is a manager who lets the patient in although a required step is open; the actor counts if they
    may. Raises StepsOpen.
    """
    visit = locked_visit(tx, visit_id, version)
    today = tx.business_day(visit.site_id)
    if visit.day > today:
        raise Refused("This visit isn’t today, so it can’t be checked in.")
    check_correction(visit, today, reason)
    if visit.day == today and visit.state in {Stop.BOOKED, Stop.CONFIRMED, Stop.MISSED}:
        reason = _past_the_door(tx, visit, reason, boss)
    if visit.state == Stop.MISSED:
        take_time_again(tx, visit)
    step(tx, visit, Stop.HERE, reason)


def steps_in_the_door(tx: Transaction, visit: Visit) -> list[str]:
    """The required steps of the list that are open, in words."""
    if not any(each.active and each.step.required for each in tx.clinic.steps.values()):
        return []
    return [each.step.words for each in arrival_of(tx.connection, tx.clinic, tx.now, visit).blocked_by]


def _past_the_door(tx: Transaction, visit: Visit, reason: str, boss: Actor | None) -> str:
    """The reason to keep with the move; empty when nothing is in the way."""
    names = steps_in_the_door(tx, visit)
    if not names:
        return reason
    manager = next((who for who in (boss, tx.actor) if who is not None and may(who.role, "overrule")), None)
    if manager is None or (not reason.strip() and boss is None):
        raise StepsOpen(names)
    if not reason.strip():
        raise Refused("Say briefly why they can be checked in anyway.", "reason")
    tx.audit(
        "visit.let_in",
        patient_id=visit.patient_id,
        visit_id=visit.id,
        by=manager.name,
        without=names,
        reason=reason,
    )
    return f"{reason.strip()} (checked in by {manager.name} without {', '.join(names)})"


# --- setup
class StepForm(Form):
    """A step of the list as typed."""

    kind: str
    words: str
    note: str = ""
    required: Tick = False
    new: Tick = False
    flags: References = ()
    types: References = ()
    yearly: Tick = False
    template_id: Choice = 0
    active: Tick = True


@act("setup")
def save_step(tx: Transaction, step_id: int, form: StepForm) -> int:
    """Change a step, or add one at the end (`step_id` 0); its id."""
    words = " ".join(form.words.split())
    if not 2 <= len(words) <= 80:
        raise Refused("Name the step in 2 to 80 letters.", "words")
    if form.kind not in set(StepKind):
        raise Refused("Choose what kind of step it is.", "kind")
    if form.kind == StepKind.FORM and form.template_id not in tx.clinic.forms:
        raise Refused("Choose the form to sign.", "template_id")
    terms = StepTerms(
        kind=form.kind,
        words=words,
        note=" ".join(form.note.split())[:300],
        required=form.required,
        for_whom=ForWhom(
            form.new,
            frozenset(form.flags) & set(tx.clinic.flags),
            frozenset(form.types) & set(tx.clinic.types),
            form.yearly,
        ),
        template_id=form.template_id if form.kind == StepKind.FORM else None,
        active=form.active,
    )
    if step_id and step_id not in tx.clinic.steps:
        raise NotFound("There is no such step.")
    step_id = setup.save_step(tx.connection, step_id, terms)
    tx.change_setup("arrival.step_saved", step=step_id, words=words)
    return step_id


@act("setup")
def order_steps(tx: Transaction, ids: Sequence[int]) -> None:
    """The list in this order; steps not named keep their place behind. Refused when somebody changed the list
    meanwhile.
    """
    if set(ids) - set(tx.clinic.steps) or len(set(ids)) != len(ids):
        raise Refused("The list changed in the meantime. Take another look.", "order")
    rest = [number for number in tx.clinic.steps if number not in ids]
    setup.order_steps(tx.connection, [*ids, *rest])
    tx.change_setup("arrival.ordered", steps=list(ids))
