"""Arrival: the clinic's list for one visit, what was done of it by whom, and checking in. A required step that is open stands in the door
until it is done or a manager lets the patient in with a reason.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import Connection, select, text, update

from zax.clock import local
from zax.core.arrivals.conditions import About
from zax.core.arrivals.steps import Answer, Arriving, Stand, Step, StepKind, blocking, standing
from zax.core.book.calendar import step_months
from zax.core.book.track import Stop
from zax.core.errors import Conflict, NotFound, Refused
from zax.core.patients.gaps import Gap, record_gaps
from zax.core.setup.roles import may
from zax.desk.about import Asking, Known, known_of
from zax.desk.clinic import Clinic
from zax.desk.credits import OpenVisit, open_elsewhere
from zax.desk.eligibility import cover_mark
from zax.desk.facts import facts_of
from zax.desk.money import Bill, bill_of
from zax.desk.track import check_correction, locked_visit, step, take_time_again
from zax.desk.unit import Actor, Unit, act
from zax.store import money, schema

_LAST_DONE = text(
    "SELECT d.step_id, MAX(d.at) AS at FROM arrival_done d WHERE d.patient_id = :patient_id AND d.visit_id <> :visit_id AND d.undone_at IS NULL "
    "AND d.how = 'done' GROUP BY d.step_id"
)
_CARDS = text(
    "SELECT kind, MAX(at) AS at FROM patient_file WHERE patient_id = :patient_id AND ended_at IS NULL AND kind IN ('card_front', 'card_back') GROUP BY kind"
)
CARD_MONTHS = 12


class StepsOpen(Conflict):
    """Required steps stand between the patient and "here"; `open` are their words."""

    def __init__(self, names: Sequence[str]) -> None:
        super().__init__(f"Before check-in: {', '.join(names)}. A manager may let them in with a reason.", "steps")
        self.names = list(names)


@dataclass(frozen=True, slots=True)
class Collect:
    """What may be asked for at the desk before anything is charged; cents. `paid` was already taken for this visit."""

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
    def patient(self) -> Any:
        return self.known.patient

    @property
    def blocked_by(self) -> list[Stand]:
        return blocking(self.stands)


def arrival_of(
    connection: Connection, clinic: Clinic, now: datetime, visit: Any, bill: Bill | None = None
) -> Arrival:
    """Read and compute the list of a visit."""
    bill = bill or bill_of(connection, clinic, visit)
    zone = clinic.sites[visit.site_id].timezone
    today = local(now, zone).date()
    known = known_of(connection, clinic, [Asking(visit.patient_id, visit.type_id, visit.provider_id)], today)[0]
    gaps = record_gaps(facts_of(clinic, known.patient, bill.coverages, today))
    collect = collect_of(connection, visit, bill)
    cards = {row.kind: row.at for row in connection.execute(_CARDS, {"patient_id": visit.patient_id})}
    last = {
        row.step_id: local(row.at, zone).date()
        for row in connection.execute(_LAST_DONE, {"patient_id": visit.patient_id, "visit_id": visit.id})
    }
    steps = [each.step for each in clinic.steps.values() if each.active]
    itself = {
        each.id: why
        for each in steps
        if (why := _by_itself(each, clinic, known, gaps, collect, bill, cards, now, today))
    }
    who = Arriving(not known.here_before, known.about.flags, visit.type_id, last, itself)
    return Arrival(standing(steps, who, _answers(connection, visit.id), today), known, collect, gaps, cards)


def _by_itself(
    each: Step, clinic: Clinic, known: Known, gaps: Sequence[Gap], collect: Collect, bill: Bill, cards: Mapping[str, datetime], now: datetime, today: date
) -> str:  # fmt: skip
    """Why a built-in step has nothing to do for this visit; empty when it has."""
    if each.kind == StepKind.GAPS:
        return "" if gaps else "nothing is missing"
    if each.kind == StepKind.COLLECT:
        return "" if collect.due else "paid" if collect.paid else "nothing is due"
    if each.kind == StepKind.PHOTO:
        return "on file" if known.patient.photo else ""
    if each.kind == StepKind.ELIGIBILITY:
        mark = cover_mark(clinic, bill.coverage, now)
        return {"": "no payer to ask", "fine": "active, checked"}.get(mark, "")
    if each.kind == StepKind.COVERAGE:
        fresh = [kind for kind, at in cards.items() if step_months(at.date(), CARD_MONTHS) > today]
        return "no coverage on file" if bill.coverage is None else "both sides on file" if len(fresh) == 2 else ""
    if each.kind == StepKind.FORM:
        template = clinic.forms.get(each.template_id or 0)
        if template is None or not template.active:
            return "this form is no longer in use"
        signed = known.signed.get(template.id)
        return "" if template.id in known.about.unsigned else f"signed {signed:%-d %b %Y}" if signed else ""
    return ""


def collect_of(connection: Connection, visit: Any, bill: Bill) -> Collect:
    """The copays that the plan asks for these services, and what the household has open from earlier."""
    copay = sum(each.copay_due for each in bill.estimates)
    paid = -sum(entry.patient_cents for entry in money.visit_entries(connection, visit.id) if entry.line_id is None)
    earlier = open_elsewhere(connection, visit.household_id, visit.id)
    return Collect(copay, earlier, paid)


def _answers(connection: Connection, visit_id: int) -> dict[int, Answer]:
    d, u = schema.arrival_done, schema.user
    query = select(d, u.c.name).join(u, u.c.id == d.c.by_id, isouter=True)
    rows = connection.execute(query.where(d.c.visit_id == visit_id, d.c.undone_at.is_(None)))
    return {row.step_id: Answer(row.step_id, row.how, row.note, row.name or "Zax", row.at) for row in rows}


@act("arrivals")
def do_step(unit: Unit, visit_id: int, step_id: int, how: str = "done", note: str = "") -> None:
    """A step done or skipped at this visit; doing a skipped one replaces the skipping. Skipping needs a reason."""
    visit = locked_visit(unit, visit_id)
    if step_id not in unit.clinic.steps:
        raise NotFound("This step is no longer on the list.")
    if how not in {"done", "skipped"}:
        raise Refused("A step is done or skipped.", "how")
    if how == "skipped" and not note.strip():
        raise Refused("Say in a few words why it is left out.", "note")
    d = schema.arrival_done
    here = (d.c.visit_id == visit.id) & (d.c.step_id == step_id) & d.c.undone_at.is_(None)
    before = unit.one(select(d.c.how).where(here))
    if before is not None and before.how == how == "done":
        return
    unit.connection.execute(update(d).where(here).values(undone_at=unit.now))
    unit.add(
        d, visit_id=visit.id, patient_id=visit.patient_id, step_id=step_id, how=how, note=note.strip()[:200], at=unit.now, by_id=unit.actor.id
    )  # fmt: skip
    _told(unit, visit, "arrival.step", step_id, how)


@act("arrivals")
def undo_step(unit: Unit, visit_id: int, step_id: int) -> None:
    """Take a step's answer back; it is open again."""
    visit = locked_visit(unit, visit_id)
    d = schema.arrival_done
    unit.connection.execute(
        update(d)
        .where(d.c.visit_id == visit.id, d.c.step_id == step_id, d.c.undone_at.is_(None))
        .values(undone_at=unit.now)
    )
    _told(unit, visit, "arrival.step", step_id, "open again")


def _told(unit: Unit, visit: Any, what: str, step_id: int, how: str) -> None:
    unit.audit(
        what, patient_id=visit.patient_id, visit_id=visit.id, step=unit.clinic.steps[step_id].step.words, how=how
    )
    unit.tell("visit", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)


@act("arrivals")
def check_in(
    unit: Unit, visit_id: int, version: int | None = None, reason: str = "", boss: Actor | None = None
) -> None:
    """The patient is here. On the day itself; for a past day only to correct the track, with a reason.

    `boss` is a manager who lets the patient in although a required step is open; the actor counts if they may. Raises StepsOpen.
    """
    visit = locked_visit(unit, visit_id, version)
    today = unit.business_day(visit.site_id)
    if visit.day > today:
        raise Refused("This visit is not today, so nobody can be checked in for it.")
    check_correction(visit, today, reason)
    if visit.day == today and visit.state in {Stop.BOOKED, Stop.CONFIRMED, Stop.MISSED}:
        reason = _past_the_door(unit, visit, reason, boss)
    if visit.state == Stop.MISSED:
        take_time_again(unit, visit)
    step(unit, visit, Stop.HERE, reason)


def _past_the_door(unit: Unit, visit: Any, reason: str, boss: Actor | None) -> str:
    """The reason to keep with the move; empty when nothing is in the way."""
    if not any(each.active and each.step.required for each in unit.clinic.steps.values()):
        return reason
    stands = arrival_of(unit.connection, unit.clinic, unit.now, visit).stands
    names = [each.step.words for each in blocking(stands)]
    if not names:
        return reason
    manager = next((who for who in (boss, unit.actor) if who is not None and may(who.role, "overrule")), None)
    if manager is None or (not reason.strip() and boss is None):
        raise StepsOpen(names)
    if not reason.strip():
        raise Refused("Say in a few words why they may come in all the same.", "reason")
    unit.audit(
        "visit.let_in", patient_id=visit.patient_id, visit_id=visit.id, by=manager.name, without=names, reason=reason
    )
    return f"{reason.strip()} (let in by {manager.name} without {', '.join(names)})"


# --- setup ---------------------------------------------------------------------------------------------------------
@dataclass(frozen=True, slots=True)
class StepForm:
    """A step of the list as typed."""

    kind: str
    words: str
    note: str
    required: bool
    new: bool = False
    flags: Sequence[int] = ()
    types: Sequence[int] = ()
    yearly: bool = False
    template_id: int = 0
    active: bool = True


@act("setup")
def save_step(unit: Unit, step_id: int, form: StepForm) -> int:
    """Change a step, or add one at the end (`step_id` 0); its id."""
    words = " ".join(form.words.split())
    if not 2 <= len(words) <= 80:
        raise Refused("Name the step in 2 to 80 letters.", "words")
    if form.kind not in set(StepKind):
        raise Refused("Choose what kind of step it is.", "kind")
    if form.kind == StepKind.FORM and form.template_id not in unit.clinic.forms:
        raise Refused("Choose which form is to be signed.", "template_id")
    limits = {
        "new": form.new, "yearly": form.yearly, "flags": sorted(set(form.flags) & set(unit.clinic.flags)), "types": sorted(set(form.types) & set(unit.clinic.types))
    }  # fmt: skip
    values = {
        "kind": form.kind, "words": words, "note": " ".join(form.note.split())[:300], "required": form.required, "for_whom": limits,
        "template_id": form.template_id if form.kind == StepKind.FORM else None, "active": form.active,
    }  # fmt: skip
    s = schema.arrival_step
    if step_id:
        if step_id not in unit.clinic.steps:
            raise NotFound("There is no such step.")
        unit.connection.execute(update(s).where(s.c.id == step_id).values(**values))
    else:
        position = max((each.position for each in unit.clinic.steps.values()), default=0) + 1
        step_id = unit.add(s, position=position, **values)
    unit.change_setup("arrival.step_saved", step=step_id, words=words)
    return step_id


@act("setup")
def order_steps(unit: Unit, ids: Sequence[int]) -> None:
    """The list in this order; steps not named keep their place behind. Refused when somebody changed the list meanwhile."""
    s = schema.arrival_step
    if set(ids) - set(unit.clinic.steps) or len(set(ids)) != len(ids):
        raise Refused("The list was changed meanwhile. Look at it again.", "order")
    rest = [number for number in unit.clinic.steps if number not in ids]
    for position, number in enumerate([*ids, *rest], 1):
        unit.connection.execute(update(s).where(s.c.id == number).values(position=position))
    unit.change_setup("arrival.ordered", steps=list(ids))
