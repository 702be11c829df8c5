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
    "payments": "take payments and finish a checkout",
    "accounts": "see accounts",
    "close": "close the day",
    "statements": "make statements for everybody",
    "claims": "work on claims and insurer payments",
    "plans": "change payers, plans and contract fees",
    "merge": "merge records and import patients",
    "export": "take lists of patients and money out of Zax",
    "reopen": "open a closed day again",
    "fees": "charge another fee than the schedule's",
    "overrule": "let a patient in although a required step is open",
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
    Role.CLINICIAN: frozenset({"see", "arrivals", "charges"}),
    Role.MANAGER: frozenset(RIGHT_WORDS),
}


def may(role: Role, right: str) -> bool:
    return right in RIGHTS[role]


def require(role: Role, right: str) -> None:
    """Raises NotAllowed, in words, when the role lacks the right."""
    if not may(role, right):
        holders = " or ".join(ROLE_WORDS[r].lower() for r in Role if may(r, right))
        raise NotAllowed(
            f"{ROLE_WORDS[role]} may not {RIGHT_WORDS[right]}. Ask {holders}, or sign in as somebody who may."
        )
