"""Who may do what: the roles and their rights, as data. A right is one kind of act; pages and acts ask for it
by name.
"""

from __future__ import annotations

from enum import StrEnum

from zax.core.errors import NotAllowed


class Role(StrEnum):
    RECEPTIONIST = "receptionist"
    BILLER = "biller"
    CLINICIAN = "clinician"
    MANAGER = "manager"


ROLE_WORDS = {
    Role.RECEPTIONIST: "Front desk",
    Role.BILLER: "Billing",
    Role.CLINICIAN: "Clinician",
    Role.MANAGER: "Manager",
}

RIGHT_WORDS = {
    "see": "see the day, the book and patients",
    "book": "book and change visits",
    "patients": "change patients' details",
    "arrivals": "check patients in and take them to rooms",
    "charges": "enter what was done",
    "returns": "change and close what a clinician asked a patient back for",
    "payments": "take payments and finish a checkout",
    "accounts": "see accounts",
    "close": "close the day",
    "statements": "make statements for everyone",
    "claims": "work on claims and insurer payments",
    "plans": "change payers, plans and contract fees",
    "merge": "merge records and import patients",
    "export": "export patient and money lists",
    "reopen": "reopen a closed day",
    "fees": "charge a fee that isn’t on the schedule",
    "overrule": "check a patient in with a required step open",
    "setup": "change hours, visit types and other settings",
}

RIGHTS: dict[Role, frozenset[str]] = {
    Role.RECEPTIONIST: frozenset(
        {"see", "book", "patients", "arrivals", "charges", "payments", "accounts", "close"}
    ),
    Role.BILLER: frozenset(
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
    Role.CLINICIAN: frozenset({"see", "arrivals", "charges", "returns"}),
    Role.MANAGER: frozenset(RIGHT_WORDS),
}


def may(role: Role, right: str) -> bool:
    return right in RIGHTS[role]


def require(role: Role, right: str) -> None:
    """Raises NotAllowed, in words, when the role lacks the right."""
    if not may(role, right):
        holders = " or ".join(ROLE_WORDS[r].lower() for r in Role if may(r, right))
        raise NotAllowed(
            f"{ROLE_WORDS[role]} can’t {RIGHT_WORDS[right]}. Ask {holders}, or sign in as someone who can."
        )
