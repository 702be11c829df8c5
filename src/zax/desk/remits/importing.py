"""Files that come in from insurers: TA1, 999 and 277 move claims, 835 is posted line by line or put before a
person. Once each.

A file is known by its content and a payment by payer and trace number, so importing twice changes nothing,
and says so.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass

from zax.core.claims.claim import Form, Rank
from zax.core.claims.states import ClaimState
from zax.core.errors import Conflict, Refused
from zax.core.money.journal import Kind, Parts, line_charges, line_parts
from zax.core.remits.placing import ExpectedLine, Outcome, Placed, Posting, not_for_us, place
from zax.core.wording import dollars
from zax.core.x12.acknowledgement import acknowledgements_of, interchange_verdicts
from zax.core.x12.claim_status import status_reports_of
from zax.core.x12.remittance import RemitClaim, Remittance, remittances_of
from zax.core.x12.syntax import read
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.track import locked_visit
from zax.desk.claims.acknowledging import take_acknowledgement, take_interchange, take_status
from zax.desk.claims.claims import add_event
from zax.desk.claims.predetermining import take_planned_answer
from zax.desk.money.ledger import OwnLedger, add_entry, settle_visit
from zax.desk.money.posting import lock_household
from zax.store.book.records import Visit
from zax.store.claims import claims
from zax.store.claims import files as x12_files
from zax.store.claims.claims import ClaimRow
from zax.store.money import queries as money
from zax.store.remits import remits


@dataclass(frozen=True, slots=True)
class Imported:
    """What a file did, in words, and how many of its claims wait for a person."""

    file_id: int
    words: str
    for_a_person: int = 0


@act("claims")
def import_file(tx: Transaction, name: str, text: str, alive: Callable[[], None] = lambda: None) -> Imported:
    """Import a TA1, 999, 277 or 835. Refused with what is wrong for a damaged file (nothing of it is used),
    Conflict for a known one. `alive` is called after each claim.
    """
    digest = hashlib.sha256(text.encode()).hexdigest()
    known = x12_files.file_by_digest_for_update(tx.connection, digest)
    if known is not None:
        raise Conflict(
            f"This file was imported before, as {known.name}: {known.outcome} Nothing was changed.", "file"
        )
    document = read(text)
    kinds = {each.kind for each in document.transactions}
    if document.problems:
        raise Refused(f"The file is damaged, so none of it was used. {document.problems[0]}", "file")
    if not kinds and document.ta1:
        file_id = _keep(tx, "TA1", name, text, digest)
        return _done(tx, file_id, [take_interchange(tx, file_id, v) for v in interchange_verdicts(document)])
    if kinds == {"999"}:
        found = acknowledgements_of(document)
        if found.problems:
            raise Refused(f"The acknowledgment can’t be read. {found.problems[0]}", "file")
        file_id = _keep(tx, "999", name, text, digest)
        return _done(tx, file_id, [take_acknowledgement(tx, file_id, a) for a in found.acknowledgements])
    if kinds == {"277"}:
        reports, problems = status_reports_of(document)
        if problems:
            raise Refused(f"The claim status can’t be read. {problems[0]}", "file")
        file_id = _keep(tx, "277", name, text, digest)
        return _done(tx, file_id, [take_status(tx, file_id, each) for each in reports])
    if kinds == {"835"}:
        payments = remittances_of(document)
        if payments.problems:
            raise Refused(
                f"The payment file doesn’t add up, so none of it was used. {payments.problems[0]}", "file"
            )
        file_id = _keep(tx, "835", name, text, digest)
        return _done(
            tx, file_id, [_take_remittance(tx, file_id, each, alive) for each in payments.remittances]
        )
    listed = ", ".join(sorted(kinds)) or "nothing"
    raise Refused(
        f"The file holds {listed}. Zax imports payments (835), acknowledgments (999, TA1) and claim status"
        " (277).",
        "file",
    )


@act("claims")
def keep_unreadable(tx: Transaction, name: str, text: str, why: str) -> None:
    """A file from the clearinghouse that could not be used: kept as it came, and shown as a job."""
    digest = hashlib.sha256(text.encode()).hexdigest()
    if x12_files.file_by_digest_for_update(tx.connection, digest) is None:
        x12_files.add_file_in(
            tx.connection, kind="bad", name=name, digest=digest, text=text, at=tx.now, outcome=why
        )
        tx.tell("claim")


def _keep(tx: Transaction, kind: str, name: str, text: str, digest: str) -> int:
    return x12_files.add_file_in(tx.connection, kind=kind, name=name, digest=digest, text=text, at=tx.now)


def _done(tx: Transaction, file_id: int, results: list[tuple[str, int]]) -> Imported:
    words = " ".join(sentence for sentence, _ in results)
    x12_files.set_outcome(tx.connection, file_id, words)
    tx.audit("file.imported", file_id=file_id, words=words)
    tx.tell("claim")
    return Imported(file_id, words, sum(waiting for _, waiting in results))


def _take_remittance(
    tx: Transaction, file_id: int, remittance: Remittance, alive: Callable[[], None]
) -> tuple[str, int]:
    known = remits.remit_known(tx.connection, remittance.payer, remittance.trace)
    if known is not None:
        return f"Payment {remittance.trace} already came in {known}; it was not posted again.", 0
    remit_id = remits.add_remit(
        tx.connection,
        file_id=file_id,
        trace=remittance.trace,
        payer=remittance.payer,
        day=remittance.day,
        paid_cents=remittance.paid_cents,
    )
    waiting = 0
    elsewhere = _not_for_us(tx, remittance)
    for answer in remittance.claims:
        if elsewhere:
            waiting += _for_a_person(tx, remit_id, None, answer, Outcome.PERSON, elsewhere)
            continue
        waiting += _take_claim(tx, file_id, remit_id, remittance, answer)
        alive()
    waiting += _keep_provider_adjustments(tx, remit_id, remittance)
    count = len(remittance.claims)
    words = (
        f"{remittance.payer.title()} paid {dollars(remittance.paid_cents)} for {count}"
        f" claim{'s' if count != 1 else ''} ({remittance.trace})"
    )
    return f"{words}; {waiting} need review." if waiting else f"{words}; all posted.", waiting


def _not_for_us(tx: Transaction, remittance: Remittance) -> str:
    npis = {tx.clinic.about["npi"], *(each.npi for each in tx.clinic.providers.values())}
    return not_for_us(remittance, npis, tx.clinic.about["tax_id"])


def _keep_provider_adjustments(tx: Transaction, remit_id: int, remittance: Remittance) -> int:
    for each in remittance.provider_adjustments:
        why = f"The payer withheld {dollars(each.cents)} from the entire payment (reason {each.reason})."
        remits.add_answer(
            tx.connection,
            remit_id=remit_id,
            claim_id=None,
            number="",
            paid_cents=-each.cents,
            outcome=Outcome.PERSON,
            why=why,
        )
    return len(remittance.provider_adjustments)


def _take_claim(
    tx: Transaction, file_id: int, remit_id: int, remittance: Remittance, answer: RemitClaim
) -> bool:
    """Post one claim's answer; True when a person must decide."""
    row = claims.claim_by_number(tx.connection, answer.number)
    if row is None:
        whose = f" for {answer.patient_name}" if answer.patient_name else ""
        why = f"We have no claim {answer.number or '(no number)'}{whose}."
        return _for_a_person(tx, remit_id, None, answer, Outcome.UNKNOWN, why)
    if row.visit_id is None:
        return _take_planned(tx, file_id, remit_id, remittance, answer, row)
    visit = locked_visit(tx, row.visit_id)
    row = claims.claim_for_update(tx.connection, row.id) or row
    if row.state in {ClaimState.CLOSED, ClaimState.DENIED} and answer.status != "22":
        return _for_a_person(
            tx,
            remit_id,
            row,
            answer,
            Outcome.REPEATED,
            "The payer already responded to this claim; it may have paid twice.",
        )
    placed = place(
        answer, _expected(tx, row, visit), later=row.rank != Rank.PRIMARY, stay=row.form == Form.INSTITUTIONAL
    )
    if not placed.postings and placed.why_not:
        _put_aside(tx, file_id, row, placed)
        return _for_a_person(tx, remit_id, row, answer, Outcome.PERSON, placed.why_not)
    for posting in placed.postings:
        _post(tx, visit, row, remittance, posting)
    _note_shares(tx, answer)
    claims.set_payer_claim(tx.connection, row.id, answer.payer_claim)
    claims.mark_paid(tx.connection, row.id, answer.paid_cents, tx.now)
    if answer.paid_cents or not placed.denied:
        add_event(
            tx,
            row.id,
            f"{remittance.payer.title()} paid {dollars(answer.paid_cents)}"
            f" of {dollars(answer.charge_cents)}, posted",
            file_id,
        )
    settle_visit(tx, visit)
    tx.tell("money", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)
    return _note_outcome(tx, file_id, remit_id, row, answer, placed)


def _take_planned(
    tx: Transaction,
    file_id: int,
    remit_id: int,
    remittance: Remittance,
    answer: RemitClaim,
    row: ClaimRow,
) -> bool:
    """An answer about planned work is kept with the work, never posted."""
    row = claims.claim_for_update(tx.connection, row.id) or row
    why = take_planned_answer(tx, file_id, row, answer, remittance.day or tx.clinic_day)
    if why:
        return _for_a_person(tx, remit_id, row, answer, Outcome.PERSON, why)
    return _nothing_left(tx, remit_id, row, answer)


def _nothing_left(tx: Transaction, remit_id: int, row: ClaimRow, answer: RemitClaim) -> bool:
    """The answer is taken in whole: nobody has anything to do."""
    remits.add_answer(
        tx.connection,
        remit_id=remit_id,
        claim_id=row.id,
        number=answer.number,
        paid_cents=answer.paid_cents,
        outcome=Outcome.POSTED,
    )
    return False


def _note_outcome(
    tx: Transaction, file_id: int, remit_id: int, row: ClaimRow, answer: RemitClaim, placed: Placed
) -> bool:
    """What of a posted answer is still for somebody to do; whether there is anything."""
    if placed.why_not:
        _put_aside(tx, file_id, row, placed)
        return _for_a_person(tx, remit_id, row, answer, Outcome.PERSON, placed.why_not)
    if placed.second:
        why = f"{dollars(placed.second)} is for the secondary plan. Bill it, then post its payment."
        if placed.passed_on:
            to = answer.passed_to.title() or "the next plan"
            why = (
                f"The payer passed the claim on to {to} itself: {dollars(placed.second)} is for them."
                " Don’t bill it again; wait for their payment."
            )
        add_event(tx, row.id, why, file_id)
        outcome = Outcome.PASSED if placed.passed_on else Outcome.SECOND
        return _for_a_person(tx, remit_id, row, answer, outcome, why)
    return _nothing_left(tx, remit_id, row, answer)


def _post(tx: Transaction, visit: Visit, row: ClaimRow, remittance: Remittance, posting: Posting) -> None:
    from_payer = posting.insurer_cents < 0 and not posting.patient_cents
    words = f"{posting.words}, remittance {remittance.trace}" if from_payer else posting.words
    cents = (posting.patient_cents, posting.insurer_cents)
    entry = add_entry(tx, visit, posting.kind, *cents, words, line_id=posting.line_id, claim_id=row.id)
    if posting.credit:
        lock_household(tx, visit.patient_id)
        own = OwnLedger(visit.patient_id, visit.site_id)
        owner = f"{remittance.payer.title()} paid more than was left on claim {row.number}"
        add_entry(tx, own, Kind.TRANSFER, -posting.insurer_cents, 0, owner, of_id=entry)


def _expected(tx: Transaction, row: ClaimRow, visit: Visit) -> list[ExpectedLine]:
    entries = money.visit_entries(tx.connection, visit.id)
    open_parts = line_parts(entries, money.visit_allocations(tx.connection, visit.id))
    owed = line_parts(entries, ())
    charged = line_charges(entries)
    return [
        ExpectedLine(
            line.id,
            f"L{line.id}",
            tx.clinic.services[line.service_id].code,
            line.cents,
            open_parts.get(line.id, Parts()),
            owed.get(line.id, Parts()).patient,
            line.second_cents,
            charged.get(line.id, 0),
        )
        for line in money.claim_lines(tx.connection, row.id)
    ]


def _note_shares(tx: Transaction, answer: RemitClaim) -> None:
    """What the payer counted as the patient's own part replaces our estimate of it."""
    for line in answer.lines:
        if line.number.startswith("L") and line.number[1:].isdecimal():
            parts = {a.reason: a.cents for a in line.adjustments if a.group == "PR"}
            own = sum(parts.get(reason, 0) for reason in ("1", "2", "3"))
            remits.note_share(tx.connection, int(line.number[1:]), parts.get("1", 0), own)


def _put_aside(tx: Transaction, file_id: int, row: ClaimRow, placed: Placed) -> None:
    add_event(tx, row.id, f"{placed.why_not} {placed.advice}".strip(), file_id)
    if placed.denied:
        claims.mark_denied(tx.connection, row.id, tx.now, placed.why_not)


def _for_a_person(
    tx: Transaction, remit_id: int, row: ClaimRow | None, answer: RemitClaim, outcome: str, why: str
) -> bool:
    remits.add_answer(
        tx.connection,
        remit_id=remit_id,
        claim_id=row.id if row else None,
        number=answer.number,
        paid_cents=answer.paid_cents,
        outcome=outcome,
        why=why,
    )
    return True
