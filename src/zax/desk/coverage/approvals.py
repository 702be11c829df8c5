"""What payers approved beforehand, on file with the coverage: authorizations and referrals with the services,
days and units they are good for, and how much of each is used.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.claims.situation import Approval
from zax.core.coverage.code_patterns import names, read_codes
from zax.core.errors import NotFound, ProblemCollector
from zax.core.form import Form, Reference
from zax.core.reading import needed_number, optional_day
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store.coverage import approvals as stored
from zax.store.coverage.approvals import ApprovalRow, Use
from zax.store.coverage.queries import coverages_of, one_coverage
from zax.store.coverage.records import Coverage
from zax.store.engine import Connection

AUTHORIZATION, REFERRAL = "authorization", "referral"
KINDS = {AUTHORIZATION: "authorization", REFERRAL: "referral"}
LONGEST_NUMBER, LONGEST_NOTE = 50, 200


class ApprovalForm(Form):
    """As typed from the payer's letter."""

    coverage_id: Reference
    kind: str = AUTHORIZATION
    number: str = ""
    codes: str = ""
    units: str = ""
    from_day: str = ""
    to_day: str = ""
    note: str = ""


@dataclass(frozen=True, slots=True)
class ApprovalShown:
    """`used` units of those it is good for."""

    row: ApprovalRow
    coverage: Coverage
    used: int

    @property
    def left(self) -> int | None:
        """None without a limit."""
        return None if self.row.units is None else max(0, self.row.units - self.used)

    def good_on(self, day: date) -> bool:
        row = self.row
        early = row.from_day is not None and day < row.from_day
        late = row.to_day is not None and day > row.to_day
        return row.ended_at is None and not early and not late


@act("patients")
def add_approval(tx: Transaction, patient_id: int, form: ApprovalForm) -> int:
    """Put one on file. Problems beside its fields."""
    wrong = ProblemCollector()
    coverage = one_coverage(tx.connection, form.coverage_id)
    if coverage is None or coverage.patient_id != patient_id:
        wrong.add("coverage_id", "Choose the plan that approved it.")
    number = form.number.strip()
    if not 1 <= len(number) <= LONGEST_NUMBER or not number.isprintable():
        wrong.add("number", f"Enter its number, up to {LONGEST_NUMBER} characters.")
    if form.kind not in KINDS:
        wrong.add("kind", "Choose one from the list.")
    if len(form.note) > LONGEST_NOTE:
        wrong.add("note", f"Keep it to {LONGEST_NOTE} characters.")
    codes = wrong.take(read_codes, form.codes, "codes") or ()
    units = wrong.take(_units, form.units, "units")
    first = wrong.take(optional_day, form.from_day, "from_day", "This is not a day.")
    last = wrong.take(optional_day, form.to_day, "to_day", "This is not a day.")
    if first and last and last < first:
        wrong.add("to_day", "It ends before it starts.")
    held = stored.approvals_of(tx.connection, [form.coverage_id])
    if any(each.number == number and each.kind == form.kind and not each.ended_at for each in held):
        wrong.add("number", "This one is on file already.")
    wrong.raise_if_any()
    made = stored.add_approval(
        tx.connection,
        coverage_id=form.coverage_id,
        kind=form.kind,
        number=number,
        codes=codes,
        units=units,
        from_day=first,
        to_day=last,
        note=form.note.strip(),
        made_at=tx.now,
        made_by=tx.actor.id,
    )
    tx.audit("approval.added", patient_id=patient_id, number=number)
    tx.tell("patient", patient_id=patient_id)
    return made


def _units(text: str, field: str) -> int | None:
    if not text.strip():
        return None
    return needed_number(text, field, 1, 999, "How many, 1 to 999; leave it empty for no limit.")


@act("patients")
def end_approval(tx: Transaction, approval_id: int) -> int:
    """It counts no longer, or again; whose it is. What claims name it already stays as it is."""
    row = stored.approval_for_update(tx.connection, approval_id)
    coverage = one_coverage(tx.connection, row.coverage_id) if row else None
    if row is None or coverage is None:
        raise NotFound("There is no such authorization.")
    stored.end_approval(tx.connection, row.id, None if row.ended_at else tx.now)
    tx.audit("approval.ended", patient_id=coverage.patient_id, number=row.number)
    tx.tell("patient", patient_id=coverage.patient_id)
    return coverage.patient_id


def approvals_shown(connection: Connection, patient_id: int) -> list[ApprovalShown]:
    """Every one of the patient's, with what was used; those that ended last."""
    coverages = {each.id: each for each in coverages_of(connection, [patient_id])}
    rows = stored.approvals_of(connection, [*coverages])
    uses = stored.uses_of(connection, patient_id) if rows else []
    shown = [ApprovalShown(row, coverages[row.coverage_id], used_of(row, uses)) for row in rows]
    return sorted(shown, key=lambda each: each.row.ended_at is not None)


def used_of(row: ApprovalRow, uses: Iterable[Use], before_claim: int = 0) -> int:
    """The units that claims to its plan have of it, each service once: all, or those made before a claim."""
    lines = {
        use.line_id: use.units
        for use in uses
        if use.coverage_id == row.coverage_id and (not before_claim or use.claim_id < before_claim)
        if row.number == (use.authorization if row.kind == AUTHORIZATION else use.referral)
        if not row.codes or names(row.codes, use.code)
    }
    return sum(lines.values())


def approvals_for(
    connection: Connection, patient_id: int, coverage_id: int, claim_id: int
) -> tuple[Approval, ...]:
    """What the checks of a claim know of its coverage's approvals: who came first has it, `claim_id` 0 comes
    last.
    """
    rows = stored.approvals_of(connection, [coverage_id])
    uses = stored.uses_of(connection, patient_id) if rows else []
    return tuple(
        Approval(
            row.number,
            row.from_day,
            row.to_day,
            row.units,
            used_of(row, uses, claim_id),
            frozenset(row.codes),
        )
        for row in rows
    )


def one_that_fits(
    shown: Sequence[ApprovalShown], kind: str, coverage_id: int, day: date, wanted: Sequence[tuple[str, int]]
) -> ApprovalRow | None:
    """The only approval of that kind that these services (code, units) may go under that day; None for none,
    and for several: which is a person's to say.
    """
    fitting = [
        each.row
        for each in shown
        if (each.row.kind, each.row.coverage_id) == (kind, coverage_id) and each.good_on(day)
        if (units := sum(n for code, n in wanted if not each.row.codes or names(each.row.codes, code)))
        if each.left is None or units <= each.left
    ]
    return fitting[0] if len(fitting) == 1 else None
