"""What a clearinghouse or payer says of files and claims before it pays: TA1 of an interchange, 999 of a
file, 277CA and 277 of single claims. Each moves the claims it is about, and stands in their life.

A rejected file turns back only what is at fault: claims with an error in it are rejected with the field to
open; the others are ready again. What comes too late, or contradicts an answer the payer has given, changes
nothing and is said.
"""

from __future__ import annotations

from collections.abc import Iterable

from zax.core.claims.finding import Finding, Strength
from zax.core.claims.states import ClaimState
from zax.core.x12.acknowledgement import (
    Acknowledgement,
    FileError,
    InterchangeVerdict,
    Located,
    locate,
    verdict_words,
)
from zax.core.x12.claim_status import ClaimStatus, StatusReport
from zax.core.x12.status_codes import Verdict
from zax.core.x12.syntax import read
from zax.desk.acts.transaction import Transaction
from zax.desk.claims.claims import add_event, as_kept
from zax.store.claims import claims
from zax.store.claims import files as x12_files
from zax.store.claims.claims import ClaimRow
from zax.store.claims.files import X12File

# Before the payer has answered, a claim may still be turned back or taken.
_ON_ITS_WAY = frozenset({ClaimState.GOING, ClaimState.SENT, ClaimState.ACCEPTED})
_FRESH = frozenset({ClaimState.GOING, ClaimState.SENT})


def take_interchange(tx: Transaction, file_id: int, verdict: InterchangeVerdict) -> tuple[str, int]:
    """A TA1. (What happened in words, how many things a person must look at.)"""
    sent = x12_files.file_sent_as(tx.connection, verdict.control.lstrip("0"))
    if sent is None:
        return f"Word on file {verdict.control}, which we did not send.", 1
    if verdict.taken:
        return f"File {sent.name} {verdict.words}.", 0
    rows = _rows(tx, sent, _FRESH)
    for row in rows:
        _turn_back(tx, row, file_id, "file", f"The whole file was rejected: {verdict.words}.")
    x12_files.set_outcome(tx.connection, sent.id, verdict.words)
    return f"File {sent.name} {verdict.words}; {len(rows)} claims came back.", 1


def take_acknowledgement(tx: Transaction, file_id: int, answer: Acknowledgement) -> tuple[str, int]:
    """A 999."""
    sent = x12_files.file_sent_as(tx.connection, answer.group.lstrip("0"))
    if sent is None:
        return f"Acknowledgment for group {answer.group}, which we did not send.", 1
    rejected = answer.code not in {"A", "E", "P"} or any(not each.taken for each in answer.files)
    errors = [error for each in answer.files for error in each.errors]
    verdict = verdict_words("R" if rejected else answer.code)
    found = locate(errors, read(sent.text)) if errors else []
    rows = _rows(tx, sent, _FRESH)
    x12_files.set_outcome(tx.connection, sent.id, f"{verdict} by the clearinghouse")
    words = f"Claim file {sent.name} {verdict}"
    if rejected:
        _back(tx, rows, file_id, words, errors, found)
    else:
        for row in rows:
            claims.set_state(tx.connection, row.id, ClaimState.ACCEPTED)
            own = "; ".join(each.error.words for each in found if each.claim == row.number)
            add_event(tx, row.id, f"{words}{': ' + own if own else ''}", file_id)
            _told(tx, row)
    return f"{words}.", int(rejected)


def _back(
    tx: Transaction,
    rows: list[ClaimRow],
    file_id: int,
    words: str,
    errors: list[FileError],
    found: list[Located],
) -> None:
    """Those at fault come back with what is wrong; where no claim is named, all of them do."""
    named = {each.claim for each in found} & {row.number for row in rows}
    reason = "; ".join(each.words for each in errors) or "no reason given"
    for row in rows:
        own = [each for each in found if each.claim == row.number]
        if own:
            said = "; ".join(each.error.words for each in own)
            _turn_back(tx, row, file_id, own[0].about or "file", f"The clearinghouse rejected it: {said}.")
        elif named:
            claims.set_state(tx.connection, row.id, ClaimState.READY)
            add_event(tx, row.id, f"{words} for another claim in it. Ready to go again", file_id)
            _told(tx, row)
        else:
            _turn_back(tx, row, file_id, "file", f"The clearinghouse rejected it: {reason}.")


def take_status(tx: Transaction, file_id: int, report: StatusReport) -> tuple[str, int]:
    """A 277CA, or a 277 that answers our question."""
    waiting = sum(_one_status(tx, file_id, report, each) for each in report.claims)
    count = len(report.claims)
    who = report.payer.title() or "The payer"
    said = f"{who} spoke of {count} {'claim' if count == 1 else 'claims'}"
    return (f"{said}; {waiting} need review." if waiting else f"{said}."), waiting


def _one_status(tx: Transaction, file_id: int, report: StatusReport, said: ClaimStatus) -> int:
    """1 when a person must look at it."""
    known = claims.claim_by_number(tx.connection, said.number)
    if known is None:
        return 1
    row = claims.claim_for_update(tx.connection, known.id) or known
    if said.payer_claim and not row.payer_claim:
        claims.set_payer_claim(tx.connection, row.id, said.payer_claim)
    who = report.payer.title() or "The payer"
    if row.state not in _ON_ITS_WAY:
        add_event(tx, row.id, f"{who} says “{said.words}”, but the claim has moved on", file_id)
        return int(said.verdict is Verdict.REFUSED)
    add_event(tx, row.id, f"{who}: {said.words}", file_id)
    claims.set_status(tx.connection, row.id, said.words)
    match said.verdict:
        case Verdict.REFUSED:
            about = next((each.about for each in said.statuses if each.about), "file")
            _turn_back(
                tx,
                row,
                file_id,
                about,
                f"{who} rejected it: {said.words.removeprefix('rejected: ')}.",
                told=True,
            )
            return 1
        case Verdict.TAKEN:
            claims.set_state(tx.connection, row.id, ClaimState.ACCEPTED)
        case Verdict.ASKED:
            finding = Finding("payer-asks", Strength.ODD, "file", f"{who}: {said.words}.", "Send it to them.")
            claims.set_findings(tx.connection, row.id, ClaimState(row.state), [as_kept(finding)])
            return 1
    _told(tx, row)
    return 0


def _rows(tx: Transaction, sent: X12File, states: Iterable[ClaimState]) -> list[ClaimRow]:
    wanted = set(states)
    return [row for row in claims.claims_of_file_for_update(tx.connection, sent.id) if row.state in wanted]


def _turn_back(
    tx: Transaction, row: ClaimRow, file_id: int, about: str, message: str, told: bool = False
) -> None:
    finding = Finding("file-rejected", Strength.STOP, about, message, "Fix it and check it again.")
    claims.set_findings(tx.connection, row.id, ClaimState.REJECTED, [as_kept(finding)])
    if not told:
        add_event(tx, row.id, message, file_id)
    _told(tx, row)


def _told(tx: Transaction, row: ClaimRow) -> None:
    tx.tell("claim", visit_id=row.visit_id, patient_id=row.patient_id)
