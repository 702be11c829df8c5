"""Who may do what: a right is one kind of act, a role is a set of rights, and both are data. Pages and acts
ask for a right by name.

Four roles ship with Zax; a clinic changes what they may do and makes roles of its own. The manager's cannot
lose the rights to set things up and to say who signs in, so that nobody locks everybody out.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from zax.core.errors import NotAllowed, ProblemCollector

LONGEST_WORDS = 30
RIGHT_WORDS = {
    "see": "see the day, the book and patients",
    "book": "book and change visits",
    "patients": "change patients’ details",
    "arrivals": "check patients in and take them to rooms",
    "overrule": "check a patient in with a required step open",
    "charges": "enter what was done",
    "returns": "change and close what a clinician asked a patient back for",
    "payments": "take payments and finish a checkout",
    "accounts": "see accounts",
    "fees": "charge a fee that isn’t on the schedule",
    "close": "close the day",
    "reopen": "reopen a closed day",
    "statements": "make statements for everyone",
    "claims": "work on claims and insurer payments",
    "plans": "change payers, plans and contract fees",
    "merge": "merge records and import patients",
    "export": "export patient and money lists",
    "setup": "change hours, visit types and other settings",
    "people": "say who signs in and what each role may do",
    "audit": "look back at who did what and who looked",
}
# The same where a grid has little room.
SHORT_WORDS = {
    "see": "See Day, Book and patients",
    "book": "Book and move visits",
    "patients": "Change patients’ details",
    "arrivals": "Check in, take to rooms",
    "overrule": "Check in past a required step",
    "charges": "Enter what was done",
    "returns": "Close what a clinician asked for",
    "payments": "Take payments, check out",
    "accounts": "See accounts",
    "fees": "Charge off the fee schedule",
    "close": "Close the day",
    "reopen": "Reopen a closed day",
    "statements": "Run statements",
    "claims": "Claims, insurer payments",
    "plans": "Payers, plans, contract fees",
    "merge": "Merge and import patients",
    "export": "Export lists",
    "setup": "Setup",
    "people": "People and roles",
    "audit": "Look back: who did, who looked",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Role:
    """`key` is what is kept of it with people, limits and hand-overs, and never changes."""

    key: str
    words: str
    rights: frozenset[str]
    position: int = 0
    active: bool = True
    version: int = 1


RECEPTIONIST = Role(
    key="receptionist",
    words="Front desk",
    rights=frozenset({"see", "book", "patients", "arrivals", "charges", "payments", "accounts", "close"}),
    position=1,
)
BILLER = Role(
    key="biller",
    words="Billing",
    rights=frozenset(
        {
            "see",
            "patients",
            "charges",
            "payments",
            "accounts",
            "close",
            "statements",
            "claims",
            "plans",
            "merge",
            "export",
            "fees",
        }
    ),
    position=2,
)
CLINICIAN = Role(
    key="clinician",
    words="Clinician",
    rights=frozenset({"see", "arrivals", "charges", "returns"}),
    position=3,
)
MANAGER = Role(key="manager", words="Manager", rights=frozenset(RIGHT_WORDS), position=4)
# As they ship; a clinic's own are in its setup.
SHIPPED: Mapping[str, Role] = {role.key: role for role in (RECEPTIONIST, BILLER, CLINICIAN, MANAGER)}
# What the manager's role always has.
KEPT = frozenset({"see", "setup", "people"})


def may(role: Role, right: str) -> bool:
    return right in role.rights


def require(role: Role, right: str, roles: Iterable[Role] = SHIPPED.values()) -> None:
    """Raises NotAllowed, in words, when the role lacks the right; `roles` are those that somebody has."""
    if not may(role, right):
        holders = " or ".join(each.words.lower() for each in roles if each.active and may(each, right))
        ask = f"Ask {holders}, or sign" if holders else "Sign"
        raise NotAllowed(f"{role.words} can’t {RIGHT_WORDS[right]}. {ask} in as someone who can.")


def checked_role(role: Role, others: Iterable[Role]) -> Role:
    """As it may be kept. Problems beside its words and rights."""
    kept = replace(role, words=" ".join(role.words.split()), rights=role.rights & RIGHT_WORDS.keys())
    with ProblemCollector() as wrong:
        if not 2 <= len(kept.words) <= LONGEST_WORDS:
            wrong.add("words", f"Give the role a name of 2 to {LONGEST_WORDS} letters.")
        if any(each.words.lower() == kept.words.lower() and each.key != kept.key for each in others):
            wrong.add("words", "There’s already a role with that name.")
        if "see" not in kept.rights:
            wrong.add("rights", "Everyone who signs in sees Day, Book and patients.")
        if kept.key == MANAGER.key and not kept.rights >= KEPT:
            wrong.add("rights", "The manager always keeps Setup, and People and roles.")
    return kept
