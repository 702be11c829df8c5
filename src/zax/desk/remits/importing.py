"""Files that come in from insurers: TA1, 999 and 277 move claims, 835 is posted line by line or put before a
person. Once each.

A file is known by its content and a payment by payer and trace number, so importing twice changes nothing,
and says so. A payment file is kept first and then taken in a few claims at a time, each lot in a transaction
of its own: the desk never waits for it, and one that was cut short goes on where it stopped.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from zax.core.errors import Conflict, Refused
from zax.core.remits.placing import Outcome, not_for_us
from zax.core.wording import dollars
from zax.core.x12.acknowledgement import acknowledgements_of, interchange_verdicts
from zax.core.x12.claim_status import status_reports_of
from zax.core.x12.remittance import RemitClaim, Remittance, read_remittances, remittances_of
from zax.core.x12.syntax import Document, read
from zax.desk.acts.act import act
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.claims.acknowledging import take_acknowledgement, take_interchange, take_status
from zax.desk.remits.answering import for_a_person, take_answer
from zax.desk.remits.at_hand import lot_at_hand
from zax.desk.remits.carrying_out import Paying
from zax.desk.remits.finishing import finish_if_placed
from zax.desk.remits.provider_level import keep_provider_level
from zax.desk.remits.rules import rules_now
from zax.store.claims import claims
from zax.store.claims import files as x12_files
from zax.store.remits import remits

# Claims of a payment that are taken in together.
LOT = 50


@dataclass(frozen=True, slots=True)
class Imported:
    """What a file did, in words, and how many of its claims wait for a person."""

    file_id: int
    words: str
    for_a_person: int = 0


def import_file(
    desk: Desk,
    actor: Actor,
    name: str,
    content: str,
    alive: Callable[[], None] = lambda: None,
    at_once: int | None = None,
) -> Imported:
    """Import a TA1, 999, 277 or 835. Refused with what is wrong for a damaged file (nothing of it is used),
    Conflict for a known one. `alive` is called after each claim. A payment file of more than `at_once` claims
    is left to the worker.
    """
    document = read(content)
    done = keep_file(desk, actor, name, content, document)
    if done.words:
        return done
    payments = remittances_of(document).remittances
    number = sum(len(each.claims) for each in payments)
    if at_once is not None and number > at_once:
        return Imported(done.file_id, f"{number:,} claims are being read. You can keep working.", number)
    return read_on(desk, actor, done.file_id, payments, alive)


@act("claims")
def keep_file(tx: Transaction, name: str, content: str, document: Document) -> Imported:
    """Take the file in. Of payments only what they are is kept: their claims come lot by lot, and without
    words yet.
    """
    digest = hashlib.sha256(content.encode()).hexdigest()
    known = x12_files.file_by_digest_for_update(tx.connection, digest)
    if known is not None:
        if _half_read(tx, known.id):
            return Imported(known.id, "")
        raise Conflict(
            f"This file was imported before, as {known.name}: {known.outcome} Nothing was changed.", "file"
        )
    kinds = {each.kind for each in document.transactions}
    if document.problems:
        raise Refused(f"The file is damaged, so none of it was used. {document.problems[0]}", "file")
    if not kinds and document.ta1:
        file_id = _keep(tx, "TA1", name, content, digest)
        return _done(tx, file_id, [take_interchange(tx, file_id, v) for v in interchange_verdicts(document)])
    if kinds == {"999"}:
        found = acknowledgements_of(document)
        if found.problems:
            raise Refused(f"The acknowledgment can’t be read. {found.problems[0]}", "file")
        file_id = _keep(tx, "999", name, content, digest)
        return _done(tx, file_id, [take_acknowledgement(tx, file_id, a) for a in found.acknowledgements])
    if kinds == {"277"}:
        reports, problems = status_reports_of(document)
        if problems:
            raise Refused(f"The claim status can’t be read. {problems[0]}", "file")
        file_id = _keep(tx, "277", name, content, digest)
        return _done(tx, file_id, [take_status(tx, file_id, each) for each in reports])
    if kinds == {"835"}:
        payments = remittances_of(document)
        if payments.problems:
            raise Refused(
                f"The payment file doesn’t add up, so none of it was used. {payments.problems[0]}", "file"
            )
        return Imported(_keep_payments(tx, name, content, digest, payments.remittances), "")
    listed = ", ".join(sorted(kinds)) or "nothing"
    raise Refused(
        f"The file holds {listed}. Zax imports payments (835), acknowledgments (999, TA1) and claim status"
        " (277).",
        "file",
    )


def _keep_payments(
    tx: Transaction, name: str, content: str, digest: str, payments: Sequence[Remittance]
) -> int:
    """Every payment that is new, to be read; the worker sees to it should nobody else."""
    file_id = _keep(tx, "835", name, content, digest)
    for at, each in enumerate(payments):
        trace = _trace_to_keep(tx, each, file_id, payments[:at])
        if trace:
            remits.add_remit(
                tx.connection,
                file_id=file_id,
                trace=trace,
                payer=each.payer,
                payer_id=_payer_of(tx, each),
                day=each.day,
                paid_cents=each.paid_cents,
                state=remits.READING,
                made_at=tx.now,
                by_id=tx.actor.id,
                site_id=tx.clinic.first_site.id,
            )
    tx.send("insurer_rest", f"rest-{file_id}", {"file_id": file_id})
    return file_id


def _trace_to_keep(tx: Transaction, payment: Remittance, file_id: int, earlier: Sequence[Remittance]) -> str:
    """The number under which a payment is kept; empty where it came before. One that came with other claims
    is another part of it, numbered so, and waits for a person. `earlier` came in the same file.
    """
    parts = remits.parts_of(tx.connection, payment.payer, payment.trace)
    if not parts:
        return payment.trace
    others = [each for each in parts if each.file_id != file_id]
    told = {number for part in others for number in _numbers_told(tx, part, payment.trace)}
    same = [each for each in earlier if (each.payer, each.trace) == (payment.payer, payment.trace)]
    told |= {claim.number for each in same for claim in each.claims}
    by_hand = any(each.by_hand for each in parts)
    if by_hand or not {each.number for each in payment.claims} - told:
        return ""
    return f"{payment.trace[:40]}{remits.PART}{len(parts) + 1}"


def _numbers_told(tx: Transaction, part: remits.PaymentPart, trace: str) -> set[str]:
    """The claim numbers of a payment, from its file while that is still being read."""
    if part.state != remits.READING or part.file_id is None:
        return remits.numbers_of(tx.connection, part.id)
    file = x12_files.file_of(tx.connection, part.file_id)
    said = read_remittances(file.text).remittances if file else []
    cents = part.paid_cents
    return {
        claim.number
        for each in said
        if (each.trace, each.paid_cents) == (trace, cents)
        for claim in each.claims
    }


def _payer_of(tx: Transaction, payment: Remittance) -> int | None:
    """Ours, by its id or its name; None for one that isn't on the list."""
    for each in tx.clinic.payers.values():
        if each.electronic_id == payment.payer_id or each.name.casefold() == payment.payer.casefold():
            return each.id
    return None


def _half_read(tx: Transaction, file_id: int) -> bool:
    return any(state == remits.READING for _, _, state in remits.remits_of_file(tx.connection, file_id))


def read_rest(desk: Desk, actor: Actor, file_id: int, alive: Callable[[], None]) -> None:
    """Go on with a payment file where somebody stopped; nothing where it is read."""
    with desk.engine.connect() as connection:
        file = x12_files.file_of(connection, file_id)
        open_ones = [each for each in remits.remits_of_file(connection, file_id) if each[2] == remits.READING]
    if file is not None and open_ones:
        read_on(desk, actor, file_id, read_remittances(file.text).remittances, alive)


def read_on(
    desk: Desk, actor: Actor, file_id: int, payments: Sequence[Remittance], alive: Callable[[], None]
) -> Imported:
    """Take in the payments of a kept file, lot by lot, from where they stand."""
    said: list[str] = []
    for payment in payments:
        ordered = taken_back_first(payment)
        at: int | None = 0
        while at is not None:
            at = _take_lot(desk, actor, file_id, payment, ordered)
            for _ in range(LOT):
                alive()
        said.append(_close_payment(desk, actor, file_id, payment))
    return _end_file(desk, actor, file_id, said)


def taken_back_first(payment: Remittance) -> list[RemitClaim]:
    """A payer that takes a decision back and decides anew in one payment means it in that order, however it
    lists them.
    """
    return sorted(payment.claims, key=lambda each: each.status != "22")


def _part_in(tx: Transaction, file_id: int, payment: Remittance) -> int:
    """What a file's payment is kept as; 0 where it is not kept of this file."""
    return remits.part_in_file(tx.connection, file_id, payment.payer, payment.trace, payment.paid_cents) or 0


@act("claims")
def _take_lot(
    tx: Transaction, file_id: int, payment: Remittance, ordered: Sequence[RemitClaim]
) -> int | None:
    """Take in the next claims of a payment; up to where, None when all are in. Whoever else reads the same
    file has its payment first, and this goes on after them.
    """
    remit_id = remits.hold_reading(tx.connection, _part_in(tx, file_id, payment))
    if remit_id is None:
        return None
    at = remits.count_answers(tx.connection, remit_id)
    if at >= len(ordered):
        return None
    paying = Paying(
        remit_id=remit_id, payer=payment.payer, trace=payment.trace, day=payment.day, file_id=file_id
    )
    rules = rules_now(tx.connection)
    elsewhere = _not_for_us(tx, payment) or _another_part(tx, remit_id)
    anew = {each.number for each in ordered if each.status != "22"}
    lot = ordered[at : at + LOT]
    untouched = {} if elsewhere else lot_at_hand(tx, {each.number for each in lot})
    for answer in lot:
        if elsewhere:
            row = claims.claim_by_number(tx.connection, answer.number)
            for_a_person(tx, paying, row, answer, Outcome.PERSON, elsewhere)
        else:
            take_answer(tx, paying, answer, rules, untouched, answer.number in anew)
    x12_files.set_outcome(
        tx.connection, file_id, f"Reading: {min(at + LOT, len(ordered)):,} of {len(ordered):,} claims."
    )
    tx.tell("claim")
    return at + LOT


@act("claims")
def _close_payment(tx: Transaction, file_id: int, payment: Remittance) -> str:
    """What was added or taken beside the claims, and what the payment came to, in words."""
    held = remits.hold_remit(tx.connection, _part_in(tx, file_id, payment))
    if held is None:
        known = remits.remit_known(tx.connection, payment.payer, payment.trace)
        came = f"already came in {known[2]}" if known and known[2] else "was entered by hand"
        return f"Payment {payment.trace} {came}; it was not posted again."
    if held.state == remits.READING:
        keep_provider_level(tx, held, payment.provider_adjustments)
        remits.change_remit(tx.connection, held.id, state=remits.OPEN)
        finish_if_placed(tx, held.id)
        held = remits.remit_of(tx.connection, held.id) or held
    waiting = held.waiting + remits.count_short(tx.connection, held.id)
    count = len(payment.claims)
    words = (
        f"{payment.payer.title()} paid {dollars(payment.paid_cents)} for {count}"
        f" claim{'s' if count != 1 else ''} ({payment.trace})"
    )
    return f"{words}; {waiting} need review." if waiting else f"{words}; all posted."


@act("claims")
def _end_file(tx: Transaction, file_id: int, said: Sequence[str]) -> Imported:
    words = " ".join(said)
    x12_files.set_outcome(tx.connection, file_id, words)
    tx.audit("file.imported", file_id=file_id, words=words)
    tx.tell("claim")
    waiting = sum(
        each.waiting + remits.count_short(tx.connection, each.id)
        for each in remits.remits_in_file(tx.connection, file_id)
    )
    return Imported(file_id, words, waiting)


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


def _another_part(tx: Transaction, remit_id: int) -> str:
    """Why a payment waits whose number came before with other claims; empty for any other."""
    held = remits.remit_of(tx.connection, remit_id)
    if held is None or remits.PART not in held.trace:
        return ""
    return (
        "A payment of this number came before with other claims. If this is another part of it, place it; if"
        " it was sent twice, close it."
    )


def _not_for_us(tx: Transaction, remittance: Remittance) -> str:
    npis = {tx.clinic.about["npi"], *(each.npi for each in tx.clinic.providers.values())}
    return not_for_us(remittance, npis, tx.clinic.about["tax_id"])
