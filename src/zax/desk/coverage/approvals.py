"""What payers approved beforehand, on file with the coverage: authorizations and referrals with the services,
days and units they are good for, and how much of each is used.
"""

from __future__ import annotations

from dataclasses import dataclass

from zax.core.claims.situation import Approval
from zax.core.coverage.approvals import AUTHORIZATION, REFERRAL, Counted, used_of
from zax.core.coverage.code_patterns import read_codes
from zax.core.errors import NotFound, ProblemCollector
from zax.core.form import Form, Reference
from zax.core.reading import needed_number, optional_day
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store.coverage import approvals as stored
from zax.store.coverage.queries import coverages_of, one_coverage
from zax.store.coverage.records import Coverage
from zax.store.engine import Connection

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
class ApprovalShown(Counted):
    """With the coverage it is on file for."""

    coverage: Coverage


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
    shown = [ApprovalShown(row, used_of(row, uses), coverages[row.coverage_id]) for row in rows]
    return sorted(shown, key=lambda each: each.approval.ended_at is not None)


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
