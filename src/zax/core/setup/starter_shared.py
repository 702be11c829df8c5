"""What every clinic begins with, whatever it does: how people arrive, what may be forgiven, words that
repeat.
"""

from __future__ import annotations

from collections.abc import Sequence

from zax.core.json import Json
from zax.core.setup.starter import StarterForm, StarterHeadsUp, StarterSet, StarterStep

PRIVACY = "Privacy notice"
_PRIVACY: Sequence[Json] = (
    {"kind": "heading", "words": "How we keep what you tell us"},
    {
        "kind": "text",
        "words": (
            "We share your record with the people who treat you and with your insurance plan, and with no one"
            " else unless you tell us to or the law requires it."
        ),
    },
    {
        "kind": "text",
        "words": (
            "You may see your record, ask us to correct it, and ask who has read it. {first} {last}, born"
            " {birth}: please tell us when something changes."
        ),
    },
    {"kind": "choice", "words": "May we text you about visits?", "options": ["Yes", "No"], "needed": True},
    {"kind": "field", "words": "Someone we may talk to about your care", "fills": "emergency_name"},
)
_OWES: Json = {"any": [{"all": [{"fact": "owes", "value": 5000}]}]}
_AWAY: Json = {"any": [{"all": [{"fact": "away", "value": 540}, {"fact": "recent", "value": 3650}]}]}

SHARED = StarterSet(
    forms=(StarterForm(PRIVACY, _PRIVACY, 12),),
    steps=(
        StarterStep("details", "Confirm address and phone", required=True, yearly=True),
        StarterStep("coverage", "Insurance card, both sides", yearly=True),
        StarterStep("eligibility", "Review the payer’s response"),
        StarterStep("gaps", "Fill in what’s missing"),
        StarterStep("form", "Sign the privacy notice", required=True, form=PRIVACY),
        StarterStep("collect", "Copay and balance"),
        StarterStep("photo", "Photo for the record", new=True),
    ),
    heads_ups=(
        StarterHeadsUp(
            "Owes {balance}", "Ask for it now, or offer a payment plan.", ("arrival", "checkout"), _OWES, True
        ),
        StarterHeadsUp("Not here for {days}", "Read address and phone back to {first}.", ("arrival",), _AWAY),
    ),
    flags=(
        ("Needs an interpreter", False),
        ("See billing before booking", True),
        ("Pays at the visit", True),
    ),
    write_offs=("Hardship", "Our mistake", "Small balance", "Can’t be collected", "Courtesy"),
    notes=(
        ("lm", "Left a message to call us back."),
        ("na", "No answer, no voicemail."),
        ("wcb", "Will call back after checking the calendar."),
        ("mv", "Asked to move the visit."),
    ),
)
