"""One case, several claims: a claim to the second plan with what the first decided, a corrected one, a void.
Each follows the one before it, and nothing of it is typed again.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import date

from zax.core.book.track import Stop
from zax.core.claims.carried import Carried, CarriedLine, carried_of, kept
from zax.core.claims.case import has_left, held, successor
from zax.core.claims.claim import Frequency, Rank
from zax.core.claims.paper_decision import read_decision
from zax.core.claims.parts import Adjusted, LineDecision, OtherCoverage
from zax.core.claims.states import REPLACED, VOIDED, ClaimState
from zax.core.errors import Conflict, Refused
from zax.core.remits.kept import answer_of
from zax.core.x12.remittance import Adjustment, RemitClaim, RemitLine, read_remittances
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.claims.claims import add_event, check_again, locked_claim, made_now, visit_of
from zax.desk.claims.content import Made
from zax.desk.coverage.estimate_inputs import counting_on
from zax.store.book.records import Visit
from zax.store.claims import claims as stored
from zax.store.claims import files as x12_files
from zax.store.claims.claims import ClaimRow
from zax.store.coverage.queries import coverages_of
from zax.store.coverage.records import Coverage
from zax.store.engine import Connection
from zax.store.remits.remits import answers_of_claim, remit_of
from zax.store.remits.shortfalls import end_of_claim

_NEXT = {Rank.PRIMARY: Rank.SECONDARY, Rank.SECONDARY: Rank.TERTIARY}
_FINISHED = frozenset({Stop.LEFT, Stop.SETTLED})


@act("claims")
def bill_next_plan(tx: Transaction, claim_id: int) -> int:
    """The claim to the plan that pays next, with what this one decided line by line; the new claim. Twice
    gives the same claim.
    """
    row = locked_claim(tx, claim_id)
    if (known := _follower(tx, row, Frequency.ORIGINAL)) is not None:
        return known
    if stored.passed_on(tx.connection, row.id):
        raise Conflict(
            "The payer passed this claim on to the next plan itself. Billing it here would send it twice."
            " If that plan doesn’t have it, enter the decision from paper."
        )
    made = made_now(tx, row)
    coverage = _needed_next(tx, row, visit_of(tx, row))
    return _bill_next(tx, row, made, coverage, *_decision(tx, row))


def next_plan_asked(
    tx: Transaction, row: ClaimRow, visit: Visit, decision: RemitClaim, day: date
) -> int | None:
    """The claim to the plan that pays next, made with the answer of the one before; None where there is no
    such plan.
    """
    if (known := _follower(tx, row, Frequency.ORIGINAL)) is not None:
        return known
    coverage = next_coverage(tx.connection, row, visit)
    if coverage is None:
        return None
    return _bill_next(tx, row, made_now(tx, row), coverage, decision, day)


def passed_to_next_plan(
    tx: Transaction, row: ClaimRow, visit: Visit, decision: RemitClaim, day: date
) -> int | None:
    """The claim that stands for what the payer passed on itself: with the next plan already, so it is never
    sent from here. None where no next plan is on file.
    """
    claim_id = next_plan_asked(tx, row, visit, decision, day)
    if claim_id is not None and stored.waits(tx.connection, claim_id):
        stored.mark_passed_on(tx.connection, claim_id, tx.now)
        add_event(tx, claim_id, f"Passed on by the payer of {row.number} itself: not sent from here")
    return claim_id


@act("claims")
def bill_next_plan_from_paper(tx: Transaction, claim_id: int, typed: Mapping[str, str]) -> int:
    """The same where the plan answered on paper, with what was typed from it; raises Problems beside its
    boxes. Its money is entered with the payment, not here.
    """
    row = locked_claim(tx, claim_id)
    if (known := _follower(tx, row, Frequency.ORIGINAL)) is not None:
        return known
    if not has_left(row):
        raise Conflict("The payer doesn’t have this claim yet.")
    made = made_now(tx, row)
    coverage = _needed_next(tx, row, visit_of(tx, row))
    decision = read_decision(row.number, made.claim.lines, typed, tx.business_day(made.about.site_id))
    return _bill_next(tx, row, made, coverage, decision.answer, decision.day)


def _needed_next(tx: Transaction, row: ClaimRow, visit: Visit) -> Coverage:
    found = next_coverage(tx.connection, row, visit)
    if found is None:
        raise Conflict("There is no other plan for this visit. Add it to the record first.")
    return found


def _bill_next(
    tx: Transaction, row: ClaimRow, made: Made, coverage: Coverage, decision: RemitClaim, day: date
) -> int:
    payer_id = made.claim.payer.identifier
    others = (*made.claim.others, _as_other(row, decision, day, made))
    lines = {
        line.number: CarriedLine(decided=(*line.decided, _of_line(each, payer_id, day)))
        for line in made.claim.lines
        if (each := _answered(decision, line.number, line.code)) is not None
    }
    carried = replace(carried_of(row.carried), others=others, lines=_together(row, lines), payer_claim="")
    new = add_follower(tx, row, coverage.id, _NEXT[Rank(row.rank)], Frequency.ORIGINAL, carried)
    stored.second_asked(tx.connection, row.id)
    add_event(tx, row.id, f"Billed to {coverage.payer_name} next")
    check_again(tx, new)
    return new


@act("claims")
def correct_claim(tx: Transaction, claim_id: int) -> int:
    """A corrected claim in the place of one the payer has; the new claim. Twice gives the same claim."""
    return _again(tx, claim_id, Frequency.CORRECTED, REPLACED)


@act("claims")
def void_claim(tx: Transaction, claim_id: int) -> int:
    """A claim that takes back one the payer has; the new claim."""
    return _again(tx, claim_id, Frequency.VOID, VOIDED)


def _again(tx: Transaction, claim_id: int, frequency: Frequency, why: str) -> int:
    row = locked_claim(tx, claim_id)
    visit = visit_of(tx, row)
    case = stored.claims_of_visit_for_update(tx.connection, visit.id)
    if (after := successor(case, row.id)) is not None:
        if after.frequency == frequency:
            return after.id
        raise Conflict(f"Claim {after.number} already follows this one. Work on that one.")
    if row not in held(case):
        raise Conflict("The payer doesn’t have this claim yet. Change it instead.")
    if row.state == ClaimState.GOING:
        raise Conflict("This claim is on its way. Try again in a minute.")
    if visit.state not in _FINISHED:
        raise Conflict("Its charges are open. Finish the checkout: that makes the corrected claim.")
    carried = replace(carried_of(row.carried), payer_claim=row.payer_claim)
    new = add_follower(tx, row, row.coverage_id, Rank(row.rank), frequency, carried)
    if row.state != ClaimState.CLOSED or row.closed_why:  # a paid one stays as it was paid
        stored.close(tx.connection, row.id, why)
    add_event(tx, row.id, why)
    end_of_claim(tx.connection, row.id, f"{why.lower()}", tx.now)
    check_again(tx, new)
    return new


def _follower(tx: Transaction, row: ClaimRow, frequency: Frequency) -> int | None:
    """The open claim of that kind that follows this one already."""
    found = [
        each.id
        for each in stored.case_of(tx.connection, row)
        if each.follows_id == row.id and each.frequency == frequency and not each.closed_why
    ]
    return found[0] if found else None


def next_coverage(connection: Connection, row: ClaimRow, visit: Visit) -> Coverage | None:
    """The plan after this claim's, of those that counted on the day; None after the third."""
    if Rank(row.rank) not in _NEXT:
        return None
    on_file = coverages_of(connection, [row.patient_id])
    dental = next(each.dental for each in on_file if each.id == row.coverage_id)
    counting = counting_on(on_file, dental, visit.day)
    at = next((n for n, each in enumerate(counting) if each.id == row.coverage_id), None)
    return counting[at + 1] if at is not None and at + 1 < len(counting) else None


def _decision(tx: Transaction, row: ClaimRow) -> tuple[RemitClaim, date]:
    """What the payer decided of the claim, from its own file."""
    kept_one = next((each for each in reversed(answers_of_claim(tx.connection, row.id)) if each.answer), None)
    if kept_one is not None and kept_one.answer:
        paid = remit_of(tx.connection, kept_one.remit_id)
        return answer_of(kept_one.answer), paid.day if paid and paid.day else tx.clinic_day
    file = x12_files.last_answer(tx.connection, row.id)
    found = read_remittances(file.text).remittances if file else []
    for remittance in found:
        for each in remittance.claims:
            if each.number == row.number and each.status != "22":
                return each, remittance.day or tx.clinic_day
    raise Refused("The first plan’s payment isn’t on file. Enter what it decided from its paper.", "others")


def _answered(decision: RemitClaim, number: str, code: str) -> RemitLine | None:
    by_number = [each for each in decision.lines if each.number == number]
    by_code = [each for each in decision.lines if not each.number and each.code == code]
    return next(iter(by_number or by_code), None)


def _adjusted(adjustments: Sequence[Adjustment]) -> tuple[Adjusted, ...]:
    return tuple(Adjusted(each.group, each.reason, each.cents) for each in adjustments)


def _left(adjustments: Sequence[Adjustment]) -> int:
    return sum(each.cents for each in adjustments if each.group == "PR")


def _of_line(each: RemitLine, payer_id: str, day: date) -> LineDecision:
    return LineDecision(
        payer_id=payer_id,
        paid_cents=each.paid_cents,
        code=each.code,
        units=1,
        day=day,
        modifiers=each.modifiers,
        adjusted=_adjusted(each.adjustments),
        left_cents=_left(each.adjustments),
    )


def _together(row: ClaimRow, decided: dict[str, CarriedLine]) -> dict[str, CarriedLine]:
    """What was added to the services before stays; the decisions come with it."""
    before = carried_of(row.carried)
    return {
        number: replace(before.line(number), decided=decided[number].decided)
        if number in decided
        else before.line(number)
        for number in {*before.lines, *decided}
    }


def _as_other(row: ClaimRow, decision: RemitClaim, day: date, made: Made) -> OtherCoverage:
    left = _left(decision.adjustments) + sum(_left(line.adjustments) for line in decision.lines)
    return OtherCoverage(
        rank=row.rank,
        relationship=made.claim.relationship,
        payer_name=made.claim.payer.name,
        payer_id=made.claim.payer.identifier,
        member_id=made.claim.subscriber.member_id,
        first=made.claim.subscriber.first,
        last=made.claim.subscriber.last,
        filing_indicator=made.claim.filing_indicator,
        group_number=made.claim.group_number,
        decided=True,
        decided_on=day,
        paid_cents=decision.paid_cents,
        left_cents=left,
        payer_claim=decision.payer_claim,
        adjusted=_adjusted(decision.adjustments),
    )


def add_follower(
    tx: Transaction,
    row: ClaimRow,
    coverage_id: int,
    rank: Rank,
    frequency: Frequency,
    carried: Carried,
) -> int:
    """The claim that comes after this one in its case, over the same services; not yet checked."""
    claim_id = stored.add_claim(
        tx.connection,
        visit_id=row.visit_id,
        patient_id=row.patient_id,
        coverage_id=coverage_id,
        form=row.form,
        cents=row.cents,
        made_at=tx.now,
        lines=stored.line_ids(tx.connection, row.id),
    )
    stored.follow(
        tx.connection,
        claim_id,
        follows_id=row.id,
        rank=rank,
        frequency=frequency,
        carried=kept(carried),
    )
    what = {
        Frequency.ORIGINAL: "Made from",
        Frequency.CORRECTED: "Corrects",
        Frequency.VOID: "Takes back",
    }[frequency]
    add_event(tx, claim_id, f"{what} claim {row.number}")
    return claim_id
