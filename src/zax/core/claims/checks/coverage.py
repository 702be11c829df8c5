"""Checks of the coverage: whose plan, which payer, whether it was active, approved, and in time."""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import date, timedelta

from zax.core.claims.checks.registry import ODD, STOP, Problem, check
from zax.core.claims.claim import Claim, Frequency, Rank
from zax.core.claims.situation import PayerKind, PlanHolder, Situation
from zax.core.coverage.code_patterns import names
from zax.core.wording import day_words

# CMS, Medicare Beneficiary Identifier: no S, L, O, I, B or Z.
_LETTER, _EITHER = "[AC-HJKMNP-RT-Y]", "[0-9AC-HJKMNP-RT-Y]"
_MBI = re.compile(
    f"[1-9]{_LETTER}{_EITHER}[0-9]{_LETTER}{_EITHER}[0-9]{_LETTER}{_LETTER}[0-9][0-9]", re.ASCII
)
LONGEST_ID = 80
DELAY_REASONS = frozenset(["1", "2", "3", "4", "5", "6", "7", "8", "9", "10", "11", "15"])
SECONDARY_REASONS = frozenset(["12", "13", "14", "15", "16", "41", "42", "43", "47"])


@check(STOP, "PDI", "2010BA NM109")
def member_id_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """The plan’s holder has a member ID."""
    if not claim.subscriber.member_id.strip():
        yield Problem("subscriber.member_id", "No member ID.", "It’s on the front of the insurance card.")


@check(STOP, "PDI", "2010BA NM109, 2 to 80 characters")
def member_id_fits(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A member ID has 2 to 80 characters."""
    length = len(claim.subscriber.member_id.strip())
    if length == 1 or length > LONGEST_ID:
        message = f"Member ID “{claim.subscriber.member_id[:20]}” has {length} characters."
        yield Problem("subscriber.member_id", message, "Enter it as on the card.")


@check(STOP, "PI", "CMS MBI format, since 2020")
def medicare_id_valid(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """A Medicare number has eleven characters in their own order."""
    number = claim.subscriber.member_id.replace("-", "").replace(" ", "").upper()
    if situation.medicare and number and not _MBI.fullmatch(number):
        message = f"{claim.subscriber.member_id} isn’t a Medicare number as on the new cards."
        yield Problem("subscriber.member_id", message, "It has 11 letters and digits, such as 1EG4-TE5-MK73.")


@check(STOP, "PDI", "2000B SBR03, by the payer")
def group_given(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """A payer that wants a group number gets it."""
    if "group" in situation.needs and not claim.group_number:
        message = f"{claim.payer.name} doesn’t take claims without a group number."
        yield Problem("subscriber.group", message, "It’s on the front of the card.")


@check(STOP, "PDI", "2010BB NM109")
def payer_id_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """The payer has its electronic ID."""
    if not claim.payer.identifier.strip():
        message = f"{claim.payer.name or 'The payer'} has no electronic ID."
        yield Problem("payer.id", message, "Take it from the payer directory, or print the claim.")


@check(STOP, "PDI", "2000B SBR09")
def payer_type_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """It is said what kind of insurance it is."""
    if not claim.filing_indicator:
        message = f"It isn’t said what kind of insurance {claim.payer.name} is."
        yield Problem("payer.kind", message, "Choose it in Setup.")


@check(STOP, "PDI", "DTP*472 against the coverage")
def coverage_active(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """The coverage was active on every day of service, both its ends included."""
    first, last = situation.coverage_from, situation.coverage_to
    for line in claim.lines:
        day = line.day
        if day and first and day < first:
            message = f"The coverage wasn’t active on {day_words(day, year=True)}: it began later."
            yield Problem("coverage.from", message, "Check its dates, or choose the plan of that day.")
            return
        if day and last and (line.last or day) > last:
            message = f"The coverage wasn’t active on {day_words(line.last or day, year=True)}: it had ended."
            yield Problem("coverage.to", message, "Check its dates, or choose the plan of that day.")
            return


def last_filing_day(claim: Claim, situation: Situation) -> date | None:
    """Until when the payer takes it: counted from the oldest service, for a stay from its last day."""
    start = claim.stay.last if claim.stay else min(claim.days, default=None)
    if start is None or situation.filing_days is None:
        return None
    return start + timedelta(days=situation.filing_days)


@check(STOP, "PDI", "timely filing, by the payer")
def filed_in_time(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """The claim reaches the payer within its limit, or says why it is late."""
    limit = last_filing_day(claim, situation)
    if claim.rank is not Rank.PRIMARY or claim.frequency is not Frequency.ORIGINAL or claim.delay_reason:
        return
    if limit and situation.today > limit:
        message = f"Too late to file: {claim.payer.name} takes claims for {situation.filing_days} days."
        yield Problem("lines.1.from", message, "Give a reason for the delay, or write it off.")


@check(STOP, "PDI", "2300 CLM20")
def delay_reason_known(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A reason for a late claim is one of the list."""
    if claim.delay_reason and claim.delay_reason not in DELAY_REASONS:
        message = f"{claim.delay_reason} isn’t a reason for filing late."
        yield Problem("delay_reason", message, "Choose one of the list.")


def _listed(claim: Claim, codes: frozenset[str]) -> list[int]:
    return [at for at, line in enumerate(claim.lines, 1) if line.code in codes]


@check(STOP, "PDI", "2300 REF G1, by the payer")
def authorization_given(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """A service that the payer approves beforehand has its authorization."""
    if claim.authorization or claim.predetermination:
        return
    for at in _listed(claim, situation.authorized_codes):
        message = f"{claim.lines[at - 1].code} needs an authorization from {claim.payer.name}."
        yield Problem("authorization", message, "Enter its number, or ask for it.")
        return


@check(ODD, "PDI", "2300 REF G1 against its dates")
def authorization_in_its_dates(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """The days of service are within what the authorization or referral is good for."""
    for approval in situation.approvals:
        days = claim.days
        if not days or approval.number not in {claim.authorization, claim.referral}:
            continue
        early = approval.first and days[0] < approval.first
        late = approval.last and days[-1] > approval.last
        if early or late:
            wrong = days[0] if early else days[-1]
            field = "authorization" if approval.number == claim.authorization else "referral"
            message = f"{approval.number} isn’t good for {day_words(wrong, year=True)}."
            yield Problem(field, message, "Ask the payer to extend it, or use another one.")


@check(ODD, "PDI", "2300 REF G1 against its units")
def authorization_not_used_up(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """The authorization or referral has enough units left for this claim."""
    for approval in situation.approvals:
        if approval.units is None or approval.number not in {claim.authorization, claim.referral}:
            continue
        codes = approval.codes or situation.authorized_codes
        wanted = sum(int(line.units) for line in claim.lines if not codes or names(codes, line.code))
        if approval.used + wanted > approval.units:
            field = "authorization" if approval.number == claim.authorization else "referral"
            left = max(approval.units - approval.used, 0)
            message = f"{approval.number} has {left} of {approval.units} left, and this uses {wanted}."
            yield Problem(field, message, "Ask the payer for more.")


@check(STOP, "PDI", "2300 CLM05-3 with REF F8")
def replaced_claim_named(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A corrected or void claim names the payer’s own number of the one it is about."""
    if claim.frequency is not Frequency.ORIGINAL and not claim.payer_claim:
        what = "A corrected claim" if claim.frequency is Frequency.CORRECTED else "A void"
        message = f"{what} needs the payer’s own number of the first one."
        yield Problem("payer_control_number", message, "It’s on the payment or the acknowledgment.")


@check(ODD, "PDI", "2300 REF F8 without CLM05-3 7 or 8")
def first_claim_names_none(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A first claim names no earlier one."""
    if claim.frequency is Frequency.ORIGINAL and claim.payer_claim:
        message = f"It names the payer’s claim {claim.payer_claim} but isn’t marked as corrected."
        yield Problem("frequency", message, "Mark it as corrected, or remove the number.")


def _birthday(plan: PlanHolder) -> tuple[int, int]:
    assert plan.birth is not None, "only plans with a birth date are compared"
    return plan.birth.month, plan.birth.day


@check(ODD, "PDI", "NAIC model rule: the parent whose birthday comes first in the year")
def birthday_rule_kept(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """Of two parents’ plans, the one whose birthday comes first in the year is first."""
    plans = [plan for plan in situation.plans if plan.relationship == "19" and plan.birth]
    first = next((plan for plan in plans if plan.rank == "P"), None)
    if first is None or len(plans) < 2 or claim.own:
        return
    earlier = min(plans, key=_birthday)
    if _birthday(earlier) < _birthday(first):
        message = f"{earlier.name} goes first: that parent’s birthday comes earlier in the year."
        yield Problem("payer_rank", message, "Change the order of the plans, or say why it stays.")


@check(STOP, "PI", "2000B SBR05, required when Medicare is not first")
def medicare_second_says_why(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """Medicare after another plan says why it is not first."""
    if situation.medicare and claim.rank is not Rank.PRIMARY and not claim.secondary_reason:
        message = "Medicare isn’t first, and it isn’t said why."
        yield Problem("other_payers.1.msp_type", message, "Choose the reason on the coverage.")


@check(STOP, "PI", "2000B SBR05 code list")
def secondary_reason_known(claim: Claim, _: Situation) -> Iterator[Problem]:
    """The reason why Medicare is second is one of the list."""
    reason = claim.secondary_reason
    if reason and reason not in SECONDARY_REASONS:
        yield Problem("other_payers.1.msp_type", f"{reason} isn’t a reason Medicare knows.", "Choose one.")


@check(ODD, "PDI", "Medicaid is payer of last resort, 42 CFR 433.139")
def medicaid_last(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """State aid pays after every other plan."""
    others = [plan for plan in situation.plans if plan.payer_id != claim.payer.identifier]
    if situation.payer_kind is PayerKind.MEDICAID and claim.rank is Rank.PRIMARY and others:
        message = f"{claim.payer.name} pays last, and the patient has {others[0].name} as well."
        yield Problem("payer_rank", message, "Bill the other plan first, or end it.")
