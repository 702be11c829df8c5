"""Planned work offered to a patient: options side by side, each in phases, with what the plan and the patient
would pay. One is signed.

Lines of options are planned services; those of the signed option can be booked, those of the others never
can. What is done drops out, and what it used of the plan counts for the rest.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime

from zax.clock import local
from zax.core.book.calendar import step_months
from zax.core.charges.lines import LineDetail, TypedLine, check_line, check_retired
from zax.core.charges.teeth import read_tooth
from zax.core.clinic.providers import Provider
from zax.core.coverage.estimate import Cover, LineEstimate, PricedLine
from zax.core.coverage.phases import Phase, estimate_phases
from zax.core.errors import Conflict, NotFound, Refused, Stale
from zax.core.form import Form, Reference
from zax.core.reading import whole_number
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.arrivals.forms import Paper, Signed, SignForm, check_signer, keep_signed
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.estimate_inputs import answer_for, covers_for
from zax.desk.money.by_flag import Off, Owed, off_by_flag
from zax.store.arrivals.records import SignedForm
from zax.store.book.records import PlannedService
from zax.store.charges import treatment_options as stored
from zax.store.charges.treatment_options import Proposal
from zax.store.coverage.records import Coverage
from zax.store.engine import Connection
from zax.store.files import FileStore
from zax.store.patients.notes import flags_of
from zax.store.patients.patients import known_patient, patient_of
from zax.store.patients.records import Patient

OPTIONS = "ABC"
MOST_PHASES = 6
MOST_MONTHS = 36


@dataclass(frozen=True, slots=True)
class PlanLine:
    """A service of an option with its estimate, and what the patient's flags take off their part; cents."""

    row: PlannedService
    estimate: LineEstimate
    by_flag: Off | None = None

    @property
    def off(self) -> int:
        return self.by_flag.cents if self.by_flag else 0

    @property
    def patient(self) -> int:
        """What the patient would pay."""
        return self.estimate.patient - self.off


@dataclass(frozen=True, slots=True, kw_only=True)
class PhaseShown:
    """A phase of an option: `number` from 1, the day it is estimated for, its open lines, and how many are
    done.
    """

    number: int
    words: str
    months: int
    day: date
    lines: Sequence[PlanLine]
    done: int


@dataclass(frozen=True, slots=True)
class OptionShown:
    """One option with its sums over what is still to be done; cents."""

    letter: str
    words: str
    phases: Sequence[PhaseShown]

    def total(self, part: str) -> int:
        """The sum of `fee`, `insurer` or `write_off`, or of `patient`, without what comes `off` by a flag."""
        lines = [line for phase in self.phases for line in phase.lines]
        if part in {"patient", "off"}:
            return sum(getattr(line, part) for line in lines)
        return sum(getattr(line.estimate, part) for line in lines)

    @property
    def off_words(self) -> dict[str, int]:
        """By what comes off, how much; cents."""
        found: dict[str, int] = {}
        for off in (line.by_flag for phase in self.phases for line in phase.lines):
            if off:
                found[off.words] = found.get(off.words, 0) + off.cents
        return found

    @property
    def count(self) -> int:
        return sum(len(phase.lines) for phase in self.phases)


@dataclass(frozen=True, slots=True, kw_only=True)
class ProposalShown:
    row: Proposal
    patient: Patient
    provider: Provider
    options: Sequence[OptionShown]
    coverages: Sequence[Coverage]
    signed: SignedForm | None

    @property
    def open(self) -> bool:
        return not self.row.signed_option and self.row.ended_at is None


def proposal_of(connection: Connection, clinic: Clinic, proposal_id: int, now: datetime) -> ProposalShown:
    """One proposal with every option estimated as of today; NotFound for an unknown one."""
    row = proposal_row(connection, proposal_id)
    patient = known_patient(connection, row.patient_id)
    provider = clinic.providers[row.provider_id]
    zone = clinic.first_site.timezone
    today, made = local(now, zone).date(), local(row.made_at, zone).date()
    coverages, covers = covers_for(
        connection, clinic, (patient.id, patient.birth), provider.dental, today, provider.id
    )
    flags = frozenset(each.flag_id for each in flags_of(connection, patient.id))
    lines = stored.lines_of(connection, row.id)
    days = [max(today, step_months(made, int(phase["months"]))) for phase in row.phases]
    options = [
        _option(
            clinic,
            row,
            letter,
            [line for line in lines if line.option_letter == letter],
            days,
            _Payer(coverages, covers, flags, today),
        )
        for letter in sorted(row.options)
    ]
    signed = stored.signed_for(connection, row.id)
    return ProposalShown(
        row=row, patient=patient, provider=provider, options=options, coverages=coverages, signed=signed
    )


@dataclass(frozen=True, slots=True)
class _Payer:
    """Who pays for an option: the coverages and what the estimate knows of each, the first payer first, and
    the patient with their flags, as of today.
    """

    coverages: Sequence[Coverage]
    covers: Sequence[Cover]
    flags: frozenset[int]
    today: date


def _option(
    clinic: Clinic,
    row: Proposal,
    letter: str,
    lines: Sequence[PlannedService],
    days: Sequence[date],
    payer: _Payer,
) -> OptionShown:
    first = next(iter(payer.coverages), None)
    by_phase = [
        [line for line in lines if line.phase == number and line.done_at is None]
        for number in range(1, len(days) + 1)
    ]
    answers = estimate_phases(
        [
            Phase(day, tuple(_priced(clinic, line, first) for line in mine))
            for day, mine in zip(days, by_phase, strict=True)
        ],
        payer.covers,
        payer.today,
    )
    phases = [
        PhaseShown(
            number=number,
            words=str(row.phases[number - 1]["words"]),
            months=int(row.phases[number - 1]["months"]),
            day=days[number - 1],
            lines=[
                PlanLine(line, answer, _off(clinic, payer, line, answer, days[number - 1]))
                for line, answer in zip(mine, made, strict=True)
            ],
            done=sum(1 for line in lines if line.phase == number and line.done_at is not None),
        )
        for number, (mine, made) in enumerate(zip(by_phase, answers, strict=True), 1)
    ]
    return OptionShown(letter, row.options[letter], phases)


def _off(clinic: Clinic, payer: _Payer, line: PlannedService, answer: LineEstimate, day: date) -> Off | None:
    code = clinic.services[line.service_id].code
    return off_by_flag(clinic, payer.flags, Owed(code, 1, answer.patient, day, bool(payer.coverages)))


def _priced(clinic: Clinic, line: PlannedService, first: Coverage | None) -> PricedLine:
    service = clinic.services[line.service_id]
    return PricedLine(
        line_id=line.id,
        cents=service.fee_cents,
        category=service.category,
        billed=True,
        code=service.code,
        units=1,
        tooth=line.tooth,
        area=line.area,
        answered=answer_for(line, first),
    )


def proposal_row(connection: Connection, proposal_id: int, lock: bool = False) -> Proposal:
    """The proposal itself, without its lines; NotFound for an unknown one."""
    read = stored.proposal_for_update if lock else stored.proposal_of
    row = read(connection, proposal_id)
    if row is None:
        raise NotFound("There is no such planned work.")
    return row


def _open(tx: Transaction, proposal_id: int) -> Proposal:
    """The proposal, locked, while it may be changed."""
    row = proposal_row(tx.connection, proposal_id, lock=True)
    if row.signed_option:
        raise Conflict("This was signed and stays as it is. Make a new proposal for other work.")
    if row.ended_at is not None:
        raise Conflict("This proposal was dismissed.")
    return row


def _write(tx: Transaction, row: Proposal, act_name: str, after: Proposal | None = None) -> None:
    """Keep the proposal, with what else changes of it in `after`; its version goes up with its lines too."""
    stored.save_proposal(tx.connection, row, replace(after or row, version=row.version + 1))
    tx.audit(f"planned.{act_name}", patient_id=row.patient_id, proposal=row.id)
    tx.tell("patient", patient_id=row.patient_id)


@act("charges")
def make_proposal(tx: Transaction, patient_id: int, name: str, provider_id: int) -> int:
    """New planned work with one option and one phase; its id."""
    words = " ".join(name.split())
    if not 2 <= len(words) <= 80:
        raise Refused("Name the work in 2 to 80 letters, such as “Upper left side”.", "name")
    if provider_id not in tx.clinic.providers:
        raise Refused("Choose the provider.", "provider_id")
    if patient_of(tx.connection, patient_id) is None:
        raise NotFound("There is no such patient.")
    made = stored.add_proposal(
        tx.connection,
        patient_id=patient_id,
        name=words,
        provider_id=provider_id,
        phases=[{"words": "Now", "months": 0}],
        options={"A": ""},
        made_at=tx.now,
        made_by=tx.actor.id,
    )
    tx.audit("planned.proposal", patient_id=patient_id, proposal=made)
    tx.tell("patient", patient_id=patient_id)
    return made


class PlannedLineForm(Form):
    """A planned line as typed; `letter` and `phase` say where it goes."""

    service_id: Reference
    letter: str
    phase: Reference
    tooth: str = ""
    surfaces: str = ""
    area: str = ""


@act("charges")
def add_to_option(tx: Transaction, proposal_id: int, form: PlannedLineForm) -> int:
    """A service into an option's phase; its id. Tooth, surfaces and area must be right from the beginning:
    the price depends on them.
    """
    row = _open(tx, proposal_id)
    service = tx.clinic.find_service(form.service_id)
    check_retired(service.code, service.retired_on, tx.clinic_day)
    if service.dental != tx.clinic.providers[row.provider_id].dental:
        raise Refused(
            f"{service.code} is not done by {tx.clinic.providers[row.provider_id].name}.", "service"
        )
    if form.letter not in row.options or not 1 <= form.phase <= len(row.phases):
        raise Refused("Choose the option and the phase.", "service")
    detail: LineDetail = check_line(
        service.rule, TypedLine("1", read_tooth(form.tooth, tx.clinic.numbering), form.surfaces, form.area)
    )
    made = stored.add_option_line(
        tx.connection,
        patient_id=row.patient_id,
        service_id=service.id,
        tooth=detail.tooth,
        surfaces=detail.surfaces,
        area=detail.area,
        made_at=tx.now,
        proposal_id=row.id,
        option_letter=form.letter,
        phase=form.phase,
    )
    _write(tx, row, "line_added")
    return made


@act("charges")
def drop_from_option(tx: Transaction, proposal_id: int, planned_id: int) -> None:
    """Take a line out of an option that is not signed."""
    row = _open(tx, proposal_id)
    line = _line(tx, row, planned_id)
    stored.save_option_line(tx.connection, line, replace(line, removed_at=tx.now))
    _write(tx, row, "line_dropped")


@act("charges")
def move_in_option(tx: Transaction, proposal_id: int, planned_id: int, phase: int) -> None:
    """A line into another phase."""
    row = _open(tx, proposal_id)
    if not 1 <= phase <= len(row.phases):
        raise Refused("There is no such phase.", "phase")
    line = _line(tx, row, planned_id)
    stored.save_option_line(tx.connection, line, replace(line, phase=phase))
    _write(tx, row, "line_moved")


def _line(tx: Transaction, row: Proposal, planned_id: int) -> PlannedService:
    line = stored.line_for_update(tx.connection, row.id, planned_id)
    if line is None:
        raise NotFound("That line isn’t part of this proposal anymore.")
    return line


@act("charges")
def add_option(tx: Transaction, proposal_id: int, like: str = "") -> str:
    """Another option, with the lines of the option `like` to begin with; its letter."""
    row = _open(tx, proposal_id)
    letter = next((each for each in OPTIONS if each not in row.options), "")
    if not letter:
        raise Refused(f"At most {len(OPTIONS)} options: more wouldn’t help anyone decide.")
    for line in stored.lines_of(tx.connection, row.id):
        if line.option_letter == like:
            stored.add_option_line(
                tx.connection,
                patient_id=row.patient_id,
                service_id=line.service_id,
                tooth=line.tooth,
                surfaces=line.surfaces,
                area=line.area,
                made_at=tx.now,
                proposal_id=row.id,
                option_letter=letter,
                phase=line.phase,
            )
    _write(tx, row, "option_added", replace(row, options={**row.options, letter: ""}))
    return letter


@act("charges")
def name_parts(
    tx: Transaction,
    proposal_id: int,
    options: Mapping[str, str],
    phases: Sequence[tuple[str, str]],
    version: int,
) -> None:
    """The words of the options, and the phases as (words, months from the beginning): in order of time, the
    empty ones at the end fall away.
    """
    row = _open(tx, proposal_id)
    if row.version != version:
        raise Stale("This planned work changed in the meantime. You’re seeing the latest now.")
    wrong = f"Say in how many months each phase is, 0 to {MOST_MONTHS}."
    kept = [
        (words.strip()[:40], whole_number(months, "phases", 0, MOST_MONTHS, wrong))
        for words, months in phases
        if words.strip()
    ]
    if not kept or len(kept) > MOST_PHASES:
        raise Refused(f"Between one and {MOST_PHASES} phases.", "phases")
    months = [each for _, each in kept]
    if months != sorted(months):
        raise Refused("Phases come in order of time.", "phases")
    if stored.last_phase(tx.connection, row.id) > len(kept):
        raise Refused("Move the services out of a phase before removing it.", "phases")
    named = {letter: options.get(letter, words).strip()[:60] for letter, words in row.options.items()}
    ordered: list[Mapping[str, str | int]] = [{"words": words, "months": m} for words, m in kept]
    _write(tx, row, "named", replace(row, options=named, phases=ordered))


@act("charges")
def put_away(tx: Transaction, proposal_id: int) -> int:
    """The patient does not want it: out of the lists, kept on record. Its open lines are no longer planned.
    The patient's id.
    """
    row = proposal_row(tx.connection, proposal_id, lock=True)
    if stored.is_booked(tx.connection, row.id):
        raise Refused("A visit is booked for part of this work. Cancel that visit first.")
    _write(tx, row, "put_away", replace(row, ended_at=tx.now))
    return row.patient_id


@act("charges")
def sign_option(
    tx: Transaction,
    store: FileStore,
    paper: Paper,
    proposal_id: int,
    letter: str,
    form: SignForm,
    site_id: int,
) -> int:
    """The patient signs one option; the paper is kept with what it cost that day. Its lines can be booked
    from now on.
    """
    row = _open(tx, proposal_id)
    if row.version != form.version:
        raise Stale("This planned work changed while it was being read. Read it again, then sign.")
    shown = proposal_of(tx.connection, tx.clinic, row.id, tx.now)
    option = next((each for each in shown.options if each.letter == letter), None)
    if option is None:
        raise Refused("Choose which option to sign.", "letter")
    if not option.count:
        raise Refused(f"Option {letter} has no services yet.", "letter")
    strokes, signer, relation = check_signer(form)
    zone = tx.clinic.sites[site_id].timezone
    signed = Signed(
        name=f"{row.name}, option {letter}",
        blocks=(),
        answers={},
        strokes=strokes,
        signer=signer,
        relation=relation,
        patient=shown.patient,
        at=local(tx.now, zone),
        zone=zone,
        more={
            "shown": shown,
            "option": option,
            "services": tx.clinic.services,
            "clinic": tx.clinic,
            "about": tx.clinic.about,
            "site": tx.clinic.sites[site_id],
        },
    )
    totals = {part: option.total(part) for part in ("fee", "insurer", "write_off", "patient")}
    signed_id = keep_signed(
        tx, store, paper(signed), signed, proposal_id=row.id, answers={"option": letter, **totals}
    )
    _write(tx, row, "signed", replace(row, signed_option=letter, signed_at=tx.now))
    return signed_id
