"""The letter that asks a payer to decide again: the clinic's own text with the claim's facts in its places.

What the clinic has to say of the case (an approval on file, proof of the day it was sent) is put where the
text says {why}.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from zax.core.remits.letters import Letter, in_places
from zax.core.wording import day_words, dollars

PLACES = {
    "claim": "our claim number",
    "payer_claim": "the payer’s claim number",
    "patient": "the patient’s name",
    "member": "the member number",
    "service": "what was done",
    "day": "the day it was done",
    "amount": "the amount asked for",
    "reason": "the payer’s reason",
    "decided": "the day of their decision",
    "why": "why they should decide again",
    "clinic": "the clinic’s name",
}
SHIPPED_TEXT = """Claim {payer_claim} (ours {claim}), {patient}, member {member}: {service} on {day}, {amount}

On {decided} you decided not to pay this service, for this reason: {reason}.

We ask you to decide again. {why}

Please process the claim again and pay {amount} under the plan. If you decide otherwise, tell us which rule \
you used and who reviewed it.

{clinic}"""
APPEAL = Letter("appeal_letter", "The appeal letter", PLACES, SHIPPED_TEXT)
# What to say where nobody has said more, by the number of the reason.
_BY_REASON = {
    "29": "The claim was sent in time; the record of when it was sent is enclosed.",
    "50": "The service was needed for this patient; the record of the visit is enclosed.",
    "97": "The service was separate from the others of that day; the record of the visit is enclosed.",
    "197": "The service was needed at once and could not wait for an approval; the record is enclosed.",
    "252": "The papers you asked for are enclosed.",
}
_USUAL = "The record of the visit is enclosed."


@dataclass(frozen=True, slots=True, kw_only=True)
class AppealFacts:
    """What stands on the letter. `approval` is one on file that covers the service; `sent_on` when the claim
    left.
    """

    claim: str
    payer_claim: str
    patient: str
    member: str
    service: str
    day: date
    cents: int
    reason: str
    decided: date
    clinic: str
    approval: str = ""
    sent_on: date | None = None


def why_again(facts: AppealFacts, number: str) -> str:
    """What speaks for it, by the reason's number and what is on file."""
    if number == "197" and facts.approval:
        return f"You approved it beforehand under number {facts.approval}; your approval is enclosed."
    if number == "29" and facts.sent_on:
        return f"The claim was sent on {day_words(facts.sent_on, year=True)}, within your limit."
    return _BY_REASON.get(number, _USUAL)


def filled(text: str, facts: AppealFacts, number: str) -> str:
    """The letter with its places filled in. A number that isn't known is left out in words."""
    values = {
        "claim": facts.claim,
        "payer_claim": facts.payer_claim or "(no number given)",
        "patient": facts.patient,
        "member": facts.member,
        "service": facts.service,
        "day": day_words(facts.day, year=True),
        "amount": dollars(facts.cents),
        "reason": facts.reason,
        "decided": day_words(facts.decided, year=True),
        "why": why_again(facts, number),
        "clinic": facts.clinic,
    }
    return in_places(text, values)
