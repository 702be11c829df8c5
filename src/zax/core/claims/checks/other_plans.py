"""Checks of a second or third claim: what the earlier plans decided goes along, and adds up."""

from __future__ import annotations

from collections.abc import Iterator

from zax.core.claims.checks.registry import ODD, STOP, Problem, check
from zax.core.claims.claim import Claim, ClaimLine, Rank
from zax.core.claims.parts import LineDecision
from zax.core.claims.situation import Situation
from zax.core.wording import dollars

_ORDER = (Rank.PRIMARY, Rank.SECONDARY, Rank.TERTIARY)


@check(STOP, "PDI", "2320, required for each plan that comes first")
def earlier_plan_answered(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A second claim carries the first plan’s decision, a third one both."""
    if claim.predetermination:
        return
    for rank in _ORDER[: _ORDER.index(claim.rank)]:
        if not any(other.rank == rank and other.decided for other in claim.others):
            which = {"P": "first", "S": "second"}[rank]
            remedy = f"Wait for it, or enter what the {which} plan decided from its paper."
            yield Problem("other_payers", f"The {which} plan hasn’t decided yet.", remedy)


@check(STOP, "PDI", "2330B NM109, 2330A NM109")
def earlier_plan_named(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Every other plan has its payer’s ID and a member ID."""
    for at, other in enumerate(claim.others, 1):
        if not other.payer_id:
            message = f"{other.payer_name or 'Another plan'} has no electronic ID."
            yield Problem(f"other_payers.{at}.id", message, "Take it from the payer directory.")
        if not other.member_id or not other.last:
            message = f"The member of {other.payer_name} isn’t complete."
            yield Problem(f"other_payers.{at}.subscriber", message, "Enter name and member ID.")


@check(STOP, "PDI", "2330B DTP*573 or 2430 DTP*573")
def earlier_decision_dated(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A decision that goes along has its date."""
    for at, other in enumerate(claim.others, 1):
        by_line = any(each.payer_id == other.payer_id for line in claim.lines for each in line.decided)
        if other.decided and other.decided_on is None and not by_line:
            message = f"It isn’t said when {other.payer_name} decided."
            yield Problem(f"other_payers.{at}.paid_on", message, "Enter the date on its paper.")


@check(STOP, "PDI", "005010X222A1 1.4.4: balancing of a line")
def earlier_lines_balance(claim: Claim, _: Situation) -> Iterator[Problem]:
    """On each line, what an earlier plan paid and adjusted adds up to the charge."""
    for at, line in enumerate(claim.lines, 1):
        for decision in line.decided:
            said = decision.paid_cents + sum(each.cents for each in decision.adjusted)
            if said != line.cents:
                which = next(
                    (n for n, other in enumerate(claim.others, 1) if other.payer_id == decision.payer_id), 1
                )
                message = (
                    f"{line.code}: paid and adjusted come to {dollars(said)}, and {dollars(line.cents)} was"
                    " charged."
                )
                yield Problem(
                    f"other_payers.{which}.lines.{at}", message, "Enter it again from the plan’s paper."
                )


@check(STOP, "PDI", "005010X222A1 1.4.4: balancing of a claim")
def earlier_payment_balances(claim: Claim, _: Situation) -> Iterator[Problem]:
    """For the whole claim, what an earlier plan paid and adjusted adds up to the charge."""
    for at, other in enumerate(claim.others, 1):
        if not other.decided:
            continue
        by_line = [each for line in claim.lines for each in _of_payer(line, other.payer_id)]
        adjusted = sum(a.cents for a in other.adjusted) + sum(a.cents for d in by_line for a in d.adjusted)
        said = other.paid_cents + adjusted
        if said != claim.cents:
            message = (
                f"{other.payer_name}: paid and adjusted come to {dollars(said)}, and"
                f" {dollars(claim.cents)} was charged."
            )
            yield Problem(f"other_payers.{at}", message, "Enter it again from the plan’s paper.")


def _of_payer(line: ClaimLine, payer_id: str) -> Iterator[LineDecision]:
    return (each for each in line.decided if each.payer_id == payer_id)


@check(ODD, "PDI", "2320 AMT EAF")
def something_left_to_ask(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A second claim asks for something: the first plan left a part."""
    if claim.rank is Rank.PRIMARY or not claim.others:
        return
    left = claim.others[-1].left_cents
    if claim.others[-1].decided and left is not None and left <= 0:
        message = f"{claim.others[-1].payer_name} left nothing to pay."
        yield Problem("other_payers", message, "Close the claim, unless this plan needs to know.")


@check(STOP, "PDI", "2320 SBR01: at most ten, each rank once")
def plans_in_order(claim: Claim, _: Situation) -> Iterator[Problem]:
    """No two plans of a claim have the same rank."""
    ranks = [claim.rank.value, *(other.rank for other in claim.others)]
    for at, other in enumerate(claim.others, 1):
        if ranks.index(other.rank) < at:
            message = f"{other.payer_name} has the same rank as another plan on the claim."
            yield Problem(f"other_payers.{at}.rank", message, "Put the plans in order.")
