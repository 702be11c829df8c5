"""The day's batch: what is ready becomes files, one for each form, written once and put into the outbox in
the same transaction; the worker hands them to the door.

A claim in a file is *going*, so that no other batch takes it, whoever makes one at the same time; it counts
as sent when the door has taken the file under its key. A worker that dies in between repeats under that key.
What was changed since it was checked is checked again first, so that nothing leaves on an old verdict.
"""

from __future__ import annotations

import hashlib
import uuid
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from zax.core.claims.claim import Claim, Form
from zax.core.claims.finding import Finding, Strength
from zax.core.claims.states import ClaimState
from zax.core.wording import dollars
from zax.core.x12.claim_file import MOST_CLAIMS, claim_file
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.claims.claims import add_event, as_kept, check_again, holding, made_now
from zax.desk.coverage.parties import envelope_of
from zax.outside.doors import Clearinghouse, DoorRefused
from zax.store.acts.outbox import Errand, finish_errand
from zax.store.claims import claims as stored
from zax.store.claims import files as x12_files
from zax.store.claims.claims import ClaimRow


@dataclass(frozen=True, slots=True)
class Sent:
    """What a batch became: its files, and how many claims were held back by being checked again."""

    file_ids: tuple[int, ...]
    claims: int
    cents: int
    held_back: int

    @property
    def words(self) -> str:
        if not self.claims and not self.held_back:
            return "Nothing is ready to send."
        said = f"{self.claims} {'claim' if self.claims == 1 else 'claims'} on the way, {dollars(self.cents)}."
        more = f" {self.held_back} held back after all: the record changed." if self.held_back else ""
        return (said if self.claims else "") + more


@act("claims")
def send_ready(tx: Transaction, payer_id: int | None = None, claim_ids: Sequence[int] | None = None) -> Sent:
    """Make the files of everything that is ready: all, one payer's, or those chosen."""
    return make_batch(tx, payer_id, claim_ids)


def make_batch(tx: Transaction, payer_id: int | None = None, claim_ids: Sequence[int] | None = None) -> Sent:
    rows = stored.ready_for_update(tx.connection, payer_id, claim_ids)
    going = [each for row in rows if (each := _still_ready(tx, row)) is not None]
    files = [
        _write_file(tx, form, chunk)
        for form in Form
        for chunk in _chunks([each for each in going if each.claim.form is form])
    ]
    cents = sum(each.row.cents for each in going)
    if files:
        tx.audit("claims.sent", files=files, claims=len(going), cents=cents)
    return Sent(tuple(files), len(going), cents, len(rows) - len(going))


@dataclass(frozen=True, slots=True)
class _Going:
    """A claim as it leaves."""

    row: ClaimRow
    claim: Claim


def _still_ready(tx: Transaction, row: ClaimRow) -> _Going | None:
    """Checked once more as the record stands now; what does not hold is held back with its reason."""
    made = made_now(tx, row)
    if holding(row, made.findings) and not check_again(tx, row.id):
        return None
    return _Going(row, made.claim)


def _chunks(going: Sequence[_Going]) -> Iterator[Sequence[_Going]]:
    for start in range(0, len(going), MOST_CLAIMS):
        yield going[start : start + MOST_CLAIMS]


def _write_file(tx: Transaction, form: Form, going: Sequence[_Going]) -> int:
    """The control number is the file's own id, so an acknowledgement finds its file."""
    kind = f"837{form}"
    file_id = x12_files.add_file_out(tx.connection, kind=kind, draft_digest=uuid.uuid4().hex, at=tx.now)
    text = claim_file([each.claim for each in going], envelope_of(tx, file_id))
    first = going[0].row.number if len(going) == 1 else f"{len(going)}-claims"
    name = f"{first}-{file_id}.{kind.lower()}"
    digest = hashlib.sha256(text.encode()).hexdigest()
    x12_files.keep_file_out(tx.connection, file_id, text=text, name=name, digest=digest)
    for each in going:
        stored.set_state(tx.connection, each.row.id, ClaimState.GOING)
        add_event(tx, each.row.id, f"In the batch {name}", file_id)
        tx.tell("claim", visit_id=each.row.visit_id, patient_id=each.row.patient_id)
    tx.send("claim_file", f"file-{file_id}", {"file_id": file_id})
    return file_id


def _take_back(tx: Transaction, file: x12_files.X12File, errand: Errand, why: str) -> None:
    """The door does not want the file as it is. Several claims go again in two halves, so that what it minds
    ends alone; one alone is rejected, for a person.
    """
    rows = [
        row
        for row in stored.claims_of_file_for_update(tx.connection, file.id)
        if row.state == ClaimState.GOING
    ]
    x12_files.set_outcome(tx.connection, file.id, f"Refused: {why}")
    if len(rows) > 1:
        going = [_Going(row, made_now(tx, row).claim) for row in rows]
        half = len(going) // 2
        for part in (going[:half], going[half:]):
            _write_file(tx, part[0].claim.form, part)
    for row in rows:
        if len(rows) == 1:
            finding = Finding("file-rejected", Strength.STOP, "file", why, "Check it, then send it again.")
            stored.set_findings(tx.connection, row.id, ClaimState.REJECTED, [as_kept(finding)])
        add_event(tx, row.id, f"{file.name} was refused: {why}", file.id)
        tx.tell("claim", visit_id=row.visit_id, patient_id=row.patient_id)
    finish_errand(tx.connection, errand.id, tx.now)


def deliver_claim_file(desk: Desk, clearinghouse: Clearinghouse, errand: Errand) -> None:
    """The worker's part: hand a file over and note on its claims that it went. Raises OutsideTrouble to be
    tried again; a file that is refused is not.
    """
    with desk.engine.connect() as connection:
        file = x12_files.file_of(connection, errand.payload["file_id"])
    if file is None:
        raise LookupError(f"no file {errand.payload['file_id']}")
    try:
        clearinghouse.deliver(errand.request_key, file.name, file.text)
    except DoorRefused as refused:
        why = str(refused)
        in_transaction(desk, WORKER, lambda tx: _take_back(tx, file, errand, why))
        return

    def write(tx: Transaction) -> None:
        for row in stored.claims_of_file_for_update(tx.connection, file.id):
            if row.state == ClaimState.GOING:
                stored.mark_sent(tx.connection, row.id, tx.now)
            add_event(tx, row.id, f"Sent as {file.name}", file.id)
            tx.tell("claim", visit_id=row.visit_id, patient_id=row.patient_id)
        finish_errand(tx.connection, errand.id, tx.now)

    in_transaction(desk, WORKER, write)
