"""One claim's whole life on one page: what it says, what is open about it, what it carries, what earlier
plans decided, the other claims of its case, and everything that happened.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.claims.boxes import Subject
from zax.core.claims.carried import carried_of
from zax.core.claims.case import held
from zax.core.claims.checks.coverage import last_filing_day
from zax.core.claims.claim import Claim, ClaimLine
from zax.core.claims.difference import Difference, differences
from zax.core.claims.fields import field_of
from zax.core.claims.parts import OtherCoverage
from zax.core.claims.states import ClaimState
from zax.core.claims.subject_values import summary, values, with_stay
from zax.core.claims.subjects import subjects_of
from zax.core.errors import NotFound
from zax.core.x12.claim_reading import claim_in
from zax.desk.claims.claims import finding_of, is_kept
from zax.desk.claims.content import made_claim
from zax.desk.claims.fixing import file_choices
from zax.desk.claims.thread import next_coverage
from zax.desk.claims.worklist import Shown
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.approvals import ApprovalShown, approvals_shown
from zax.store.claims import claims as stored
from zax.store.claims import files as x12_files
from zax.store.claims.claims import ClaimEvent, ListedClaim
from zax.store.claims.predeterminations import AskedService, asked_services
from zax.store.engine import Connection
from zax.store.patients.files import files_of
from zax.store.patients.records import PatientFile
from zax.store.remits.remits import ClaimPayment, payments_of_claim


@dataclass(frozen=True, slots=True)
class Part:
    """A subject of the claim: what its boxes hold, and that in one line (empty: not in use)."""

    subject: Subject
    said: str
    values: dict[str, str]


@dataclass(frozen=True, slots=True)
class DecidedLine:
    """What an earlier plan decided of one service; cents."""

    line: ClaimLine
    paid: int
    contract: int
    left: int


@dataclass(frozen=True, slots=True)
class Decision:
    other: OtherCoverage
    lines: Sequence[DecidedLine]


@dataclass(frozen=True, slots=True)
class ClaimPage:
    """`claim` is what the record says now, which is what would be sent; once it has gone, findings are of the
    past and are not shown. `changed` is what the record says otherwise since it went out and waits for its
    answer; `held`: it stands with the payer, so it may be corrected or taken back; `next_payer` is the plan
    that may be asked next, empty for none; `planned` are the planned services it asks about that the plan has
    answered; `files` are those of the record that go with it, `approvals`
    what the payer approved and is on file, `payments` those that speak of it.
    """

    row: ListedClaim
    claim: Claim
    stops: Sequence[Shown]
    odd: Sequence[Shown]
    parts: Sequence[Part]
    decisions: Sequence[Decision]
    case: Sequence[ListedClaim]
    events: Sequence[ClaimEvent]
    file_by: date | None
    changed: Sequence[Difference]
    held: bool
    next_payer: str
    planned: Sequence[AskedService]
    files: Sequence[PatientFile]
    approvals: Sequence[ApprovalShown]
    payments: Sequence[ClaimPayment]


def claim_page(connection: Connection, clinic: Clinic, claim_id: int, today: date) -> ClaimPage:
    """Raises NotFound."""
    row = stored.listed_claim(connection, claim_id)
    if row is None:
        raise NotFound("There is no such claim.")
    made = made_claim(connection, clinic, row, today)
    carried = carried_of(row.carried)
    waiting = row.state in {ClaimState.HELD_BACK, ClaimState.READY, ClaimState.REJECTED}
    said = [finding_of(each) for each in row.findings] if row.state == ClaimState.REJECTED else []
    turned_back = [each for each in said if each.rule == "file-rejected"]
    found = [each for each in (*turned_back, *made.findings) if not is_kept(row.kept, each)]
    found = found if waiting else []
    shown = [Shown(each, field_of(each.about)) for each in found]
    case = stored.case_of(connection, row)
    after = next_coverage(connection, row, made.about.visit) if made.about.visit else None
    return ClaimPage(
        row=row,
        claim=made.claim,
        stops=[each for each in shown if each.finding.stops],
        odd=[each for each in shown if not each.finding.stops],
        parts=[
            Part(each, summary(each, carried), values(each, with_stay(each, carried, made.claim)))
            for each in subjects_of(made.claim, file_choices(connection, row.patient_id))
        ],
        decisions=[_decision(made.claim, other) for other in made.claim.others],
        case=case,
        events=stored.events_of(connection, claim_id),
        file_by=last_filing_day(made.claim, made.situation),
        changed=_changed(connection, row, made.claim),
        held=bool(row.visit_id) and row.id in {each.id for each in held(case)},
        next_payer=after.payer_name if after else "",
        files=[each for each in files_of(connection, row.patient_id) if each.id in carried.files],
        approvals=[
            each
            for each in approvals_shown(connection, row.patient_id)
            if each.approval.coverage_id == row.coverage_id and not each.approval.ended_at
        ],
        payments=payments_of_claim(connection, row.id),
        planned=[each for each in asked_services(connection, row.id, False) if each.answered_on],
    )


def _changed(connection: Connection, row: ListedClaim, now: Claim) -> list[Difference]:
    if row.state not in {ClaimState.SENT, ClaimState.ACCEPTED}:
        return []
    file = x12_files.sent_file(connection, row.id)
    sent = claim_in(file.text, row.number) if file else None
    return differences(sent, now) if sent else []


def _decision(claim: Claim, other: OtherCoverage) -> Decision:
    lines = []
    for line in claim.lines:
        for each in line.decided:
            if each.payer_id == other.payer_id:
                contract = sum(a.cents for a in each.adjusted if a.group == "CO")
                lines.append(DecidedLine(line, each.paid_cents, contract, each.left_cents or 0))
    return Decision(other, lines)
