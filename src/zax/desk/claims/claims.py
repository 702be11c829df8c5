"""A claim is checked as soon as it is made and whenever it is worked on: what stops it, or only looks odd and
was not accepted with a reason, holds it back; the others are ready for the next batch.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict

from zax.core.claims.finding import Finding, Strength
from zax.core.claims.states import CAN_BE_CHECKED, ClaimState
from zax.core.errors import Conflict, NotFound, Refused
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.claims.about import about_of
from zax.desk.claims.content import Made, made_claim
from zax.store.book.records import Visit
from zax.store.claims import claims as stored
from zax.store.claims.claims import ClaimRow

LONGEST_REASON = 120


@act("claims")
def recheck(tx: Transaction, claim_id: int) -> bool:
    """Check a held-back, rejected or ready claim again; whether it may go now."""
    waiting_claim(tx, claim_id)
    return check_again(tx, claim_id)


def waiting_claim(tx: Transaction, claim_id: int) -> ClaimRow:
    """A claim that has not left, held until the transaction ends. Conflict for one that is on its way."""
    row = locked_claim(tx, claim_id)
    if row.state not in CAN_BE_CHECKED:
        raise Conflict("This claim is already on its way.")
    return row


def locked_claim(tx: Transaction, claim_id: int) -> ClaimRow:
    """Held until the transaction ends; raises NotFound."""
    row = stored.claim_for_update(tx.connection, claim_id)
    if row is None:
        raise NotFound("That claim doesn’t exist.")
    return row


def visit_of(tx: Transaction, row: ClaimRow) -> Visit:
    """The visit it bills. Conflict for one that only asks about planned work."""
    visit = about_of(tx.connection, tx.clinic, row, tx.clinic_day).visit
    if visit is None:
        raise Conflict("This asks about planned work: nothing was billed. Ask again from the planned work.")
    return visit


def made_now(tx: Transaction, row: ClaimRow) -> Made:
    """The claim as it would leave now, on the day of its visit's site."""
    about = about_of(tx.connection, tx.clinic, row, tx.clinic_day)
    return made_claim(tx.connection, tx.clinic, row, tx.business_day(about.site_id))


def holding(row: ClaimRow, findings: Sequence[Finding]) -> list[Finding]:
    """What holds the claim back: stops, and what looks odd and nobody has said why it may go."""
    return [each for each in findings if each.stops or not is_kept(row.kept, each)]


def check_again(tx: Transaction, claim_id: int) -> bool:
    """What the checks find is kept with the claim; whether it is ready now."""
    row = stored.claim_of(tx.connection, claim_id)
    if row is None:
        raise NotFound("That claim doesn’t exist.")
    made = made_now(tx, row)
    about, open_ones = made.about, holding(row, made.findings)
    state = ClaimState.HELD_BACK if open_ones else ClaimState.READY
    found = [as_kept(each) for each in made.findings]
    stored.set_findings(tx.connection, claim_id, state, found)
    if (row.state, [*row.findings]) != (state, found):  # its life says a thing once
        held = "Held back: " + " ".join(each.words for each in open_ones)
        add_event(tx, claim_id, held if open_ones else "Checked, ready to send")
    tx.tell(
        "claim",
        site_id=about.site_id,
        day=about.day,
        visit_id=about.visit_id or None,
        patient_id=about.patient_id,
    )
    return not open_ones


def as_kept(finding: Finding) -> dict[str, str]:
    """A finding as it is kept with its claim."""
    return {name: str(value) for name, value in asdict(finding).items()}


def finding_of(kept: Mapping[str, str]) -> Finding:
    """What `as_kept` wrote."""
    return Finding(
        kept["rule"], Strength(kept["strength"]), kept["about"], kept["message"], kept.get("remedy", "")
    )


def is_kept(kept: Sequence[Mapping[str, str]], finding: Finding) -> bool:
    """Whether somebody has said why this may go: about this very field, in these words."""
    return any(
        (each["rule"], each["about"], each["message"]) == (finding.rule, finding.about, finding.message)
        for each in kept
    )


@act("claims")
def send_anyway(tx: Transaction, claim_id: int, rule: str, about: str, reason: str) -> bool:
    """What looks odd may go, with a reason that is kept; whether the claim is ready now. Refused for a
    stop.
    """
    row = waiting_claim(tx, claim_id)
    if not reason.strip():
        raise Refused("Say why it may go as it is.", "reason")
    if len(reason) > LONGEST_REASON:
        raise Refused(f"Keep the reason to {LONGEST_REASON} characters.", "reason")
    found = [finding_of(each) for each in row.findings]
    chosen = next((each for each in found if (each.rule, each.about) == (rule, about)), None)
    if chosen is None:
        raise Conflict("This was fixed in the meantime.")
    if chosen.stops:
        raise Refused("This would be rejected, so it has to be fixed.", "reason")
    said = {
        "rule": chosen.rule,
        "about": chosen.about,
        "message": chosen.message,
        "reason": reason.strip(),
        "by": str(tx.actor.id or ""),
        "at": tx.now.isoformat(),
    }
    stored.set_kept(tx.connection, claim_id, [*row.kept, said])
    add_event(tx, claim_id, f"May go although: {chosen.message} Reason: {reason.strip()}")
    return check_again(tx, claim_id)


def add_event(tx: Transaction, claim_id: int, words: str, file_id: int | None = None) -> None:
    """Written before the act ends."""
    tx.later(
        stored.add_events,
        claim_id=claim_id,
        at=tx.now,
        words=words[:500],
        file_id=file_id,
        by_id=tx.actor.id,
    )
