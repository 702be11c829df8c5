"""Claims come from the charges of a finished visit, and go with them: a checkout that is undone withdraws
what has not left. What the payer already has is replaced when the visit is finished again, by a corrected
claim over the changed charges, or taken back where nothing of it is left.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from zax.core.claims.carried import Carried, carried_of, kept
from zax.core.claims.case import has_left, held
from zax.core.claims.claim import Frequency, Rank
from zax.core.claims.states import (
    BEING_CORRECTED,
    BILLED_ANEW,
    CAN_BE_CHECKED,
    NOT_STANDING,
    WITHDRAWN,
    ClaimState,
)
from zax.core.coverage.approvals import one_that_fits
from zax.core.errors import Conflict
from zax.desk.acts.transaction import Transaction
from zax.desk.claims.claims import add_event, check_again
from zax.desk.claims.content import Part, parts_of
from zax.desk.claims.thread import add_follower
from zax.desk.coverage.approvals import KINDS, approvals_shown
from zax.desk.money.ledger import Bill
from zax.store.book.records import Visit
from zax.store.claims import claims as stored
from zax.store.claims.claims import ClaimRow


def make_claims(tx: Transaction, visit: Visit, bill: Bill, carried: Carried | None = None) -> list[int]:
    """The claims of a finished visit; none when nothing goes to an insurer. `carried` is what each begins
    with, besides what was typed for one that was withdrawn.
    """
    before = stored.claims_of_visit_for_update(tx.connection, visit.id)
    replaced = held(before)
    withdrawn = [row for row in reversed(before) if row.closed_why == WITHDRAWN]
    made: list[int] = []
    for part in parts_of(tx.connection, tx.clinic, visit, bill):
        assert bill.coverage is not None, "only a visit with coverage has parts"
        claim_id = _add(tx, visit, bill.coverage.id, part)
        typed = _closest(tx, withdrawn, bill.coverage.id, part)
        if typed:
            stored.set_carried(tx.connection, claim_id, typed.carried)
        elif carried is not None:
            stored.set_carried(tx.connection, claim_id, kept(carried))
        put_approvals(tx, claim_id, visit, bill.coverage.id, part)
        earlier = _closest(tx, replaced, bill.coverage.id, part)
        if earlier:
            replaced.remove(earlier)
            _correct(tx, claim_id, earlier, typed or earlier)
        else:
            add_event(tx, claim_id, "Created from the visit’s charges")
        check_again(tx, claim_id)
        made.append(claim_id)
    return [*made, *(_take_back(tx, each) for each in replaced)]


def put_approvals(tx: Transaction, claim_id: int, visit: Visit, coverage_id: int, part: Part) -> None:
    """What the payer approved for just these services goes on the claim by itself, when there is one that
    fits and nothing was typed.
    """
    row = stored.claim_of(tx.connection, claim_id)
    carried = carried_of(row.carried) if row else Carried()
    shown = approvals_shown(tx.connection, visit.patient_id)
    wanted = [(tx.clinic.services[line.service_id].code, line.units) for line, _ in part.lines]
    for kind in KINDS:
        if getattr(carried, kind) or not shown:
            continue
        found = one_that_fits(shown, kind, coverage_id, visit.day, wanted)
        if found:
            more: dict[str, Any] = {kind: found.number}
            carried = replace(carried, **more)
            stored.set_carried(tx.connection, claim_id, kept(carried))
            add_event(tx, claim_id, f"{KINDS[kind].capitalize()} {found.number}, from the record")


def withdraw_claims(tx: Transaction, visit: Visit, *, replacing: bool) -> None:
    """A checkout is taken back: claims that have not left are withdrawn. Conflict when one has, unless it is
    to be replaced; and for what the payer has decided, which is corrected on the claim's own page.
    """
    rows = stored.claims_of_visit_for_update(tx.connection, visit.id)
    if stored.any_answered(tx.connection, [row.id for row in rows]):
        raise Conflict("The payer has responded to this visit’s claim, so the checkout can’t be undone.")
    for row in (each for each in rows if has_left(each) and each.closed_why not in NOT_STANDING):
        if not replacing:
            raise Conflict(
                f"Claim {row.number} is already with the payer, so the checkout can’t be undone. On the"
                " claim’s page, Change what was billed makes a corrected claim."
            )
        if row.state == ClaimState.GOING:
            raise Conflict(f"Claim {row.number} is on its way. Try again in a minute.")
        why = BILLED_ANEW if row.frequency == Frequency.VOID else BEING_CORRECTED
        _close(tx, row, why, f"Closed: {why}")
    for row in rows:
        if row.state in CAN_BE_CHECKED:
            _close(tx, row, WITHDRAWN, f"Withdrawn: {WITHDRAWN}")


def _close(tx: Transaction, row: ClaimRow, why: str, words: str) -> None:
    stored.close(tx.connection, row.id, why)
    add_event(tx, row.id, words)


def _closest(tx: Transaction, candidates: list[ClaimRow], coverage_id: int, part: Part) -> ClaimRow | None:
    """Of the same form for the same coverage, the one that has most of its services."""
    going = {line.id for line, _ in part.lines}

    def shared(row: ClaimRow) -> int:
        return len(going & {line_id for line_id, _ in stored.line_ids(tx.connection, row.id)})

    alike = [row for row in candidates if (row.form, row.coverage_id) == (part.form, coverage_id)]
    return max(alike, key=shared, default=None)


def _add(tx: Transaction, visit: Visit, coverage_id: int, part: Part) -> int:
    return stored.add_claim(
        tx.connection,
        visit_id=visit.id,
        patient_id=visit.patient_id,
        coverage_id=coverage_id,
        form=part.form,
        cents=part.cents,
        made_at=tx.now,
        lines=[(line.id, cents) for line, cents in part.lines],
    )


def _correct(tx: Transaction, claim_id: int, earlier: ClaimRow, typed: ClaimRow) -> None:
    """It takes the place of the earlier one, with what was last typed for it."""
    carried = replace(carried_of(typed.carried), payer_claim=_payer_claim(earlier))
    stored.follow(
        tx.connection,
        claim_id,
        follows_id=earlier.id,
        rank=Rank(earlier.rank),
        frequency=Frequency.CORRECTED,
        carried=kept(carried),
    )
    add_event(tx, claim_id, f"Corrects claim {earlier.number}")


def _payer_claim(row: ClaimRow) -> str:
    """The payer's own number of it, or of the one it replaced."""
    return row.payer_claim or carried_of(row.carried).payer_claim


def _take_back(tx: Transaction, row: ClaimRow) -> int:
    """Nothing of it is billed anymore: the payer is told."""
    carried = replace(carried_of(row.carried), payer_claim=_payer_claim(row))
    claim_id = add_follower(tx, row, row.coverage_id, Rank(row.rank), Frequency.VOID, carried)
    check_again(tx, claim_id)
    return claim_id
