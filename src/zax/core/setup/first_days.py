"""What a new clinic still has to do until its first visit, its first payment and its first claim: worked out
from what is there, never ticked off by hand, so that the list is true on any day.

Nothing on it stops anybody from working: the Book is open from the first minute.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from zax.core.wording import list_words

MOST = 3  # names that a sentence tells


class Goal(StrEnum):
    VISIT = "visit"
    PAYMENT = "payment"
    CLAIM = "claim"


GOAL_WORDS = {
    Goal.VISIT: "Until the first visit",
    Goal.PAYMENT: "Until the first payment",
    Goal.CLAIM: "Until the first claim",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Facts:
    """What is there. `providers` and the like are names; `holidays` are public holidays of the coming year on
    which the clinic is open.
    """

    providers: Sequence[str] = ()
    without_hours: Sequence[str] = ()
    types_nobody_does: Sequence[str] = ()
    holidays: int = 0
    closed_days: int = 0
    patients: int = 0
    people: int = 0
    texts: bool = False
    your_second: bool = False
    services: int = 0
    without_fee: Sequence[str] = ()
    limits_set: bool = False
    float_set: bool = False
    npi: bool = False
    tax_id: bool = False
    taxonomy: bool = False
    without_npi: Sequence[str] = ()
    without_taxonomy: Sequence[str] = ()
    clearinghouse: bool = False
    payers: int = 0
    plans: int = 0
    files_sent: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class ToDo:
    """One thing of the list. `why` says what it is for, `button` what its press leads to, `takes` how long it
    is; `short` names it once it is done.
    """

    key: str
    goal: Goal
    words: str
    why: str
    takes: str
    button: str
    done: bool
    short: str


@dataclass(frozen=True, slots=True)
class Column:
    """What is left and what is done of one goal."""

    goal: Goal
    left: tuple[ToDo, ...]
    done: tuple[ToDo, ...] = field(default=())

    @property
    def all(self) -> int:
        return len(self.left) + len(self.done)


def first_days(facts: Facts) -> tuple[Column, ...]:
    """A column for each goal, its things in the order in which they are best done."""
    every = [*_visit(facts), *_payment(facts), *_claim(facts)]
    return tuple(
        Column(
            goal,
            tuple(each for each in every if each.goal == goal and not each.done),
            tuple(each for each in every if each.goal == goal and each.done),
        )
        for goal in Goal
    )


def _visit(facts: Facts) -> Iterable[ToDo]:
    yield ToDo(
        key="providers",
        goal=Goal.VISIT,
        words="Who sees patients",
        why="The Book has a column for each of them.",
        takes="2 minutes",
        button="Add a provider",
        done=bool(facts.providers),
        short="providers",
    )
    yield ToDo(
        key="hours",
        goal=Goal.VISIT,
        words="When they work",
        why=(
            f"{list_words(facts.without_hours, MOST)}"
            f" {'has' if len(facts.without_hours) == 1 else 'have'} no hours yet."
            if facts.without_hours
            else "Nothing can be booked outside someone’s hours."
        ),
        takes="2 minutes",
        button="Set the hours",
        done=bool(facts.providers) and not facts.without_hours,
        short="hours",
    )
    yield ToDo(
        key="types",
        goal=Goal.VISIT,
        words="Visit types someone can do",
        why=f"No one here does {list_words(facts.types_nobody_does, MOST)}."
        " Add who does, or put them out of use.",
        takes="3 minutes",
        button="Look at the types",
        done=bool(facts.providers) and not facts.types_nobody_does,
        short="visit types",
    )
    yield ToDo(
        key="holidays",
        goal=Goal.VISIT,
        words="Closed days of the year ahead",
        why="Without them the Book offers Thanksgiving. You can take any of them back.",
        takes="half a minute",
        button=f"Take the usual {facts.holidays}" if facts.holidays else "Look at the closed days",
        done=facts.closed_days > 0,
        short="closed days",
    )
    yield ToDo(
        key="patients",
        goal=Goal.VISIT,
        words="Bring in your patients",
        why="A list from before: CSV, contact cards or FHIR, tried out first. Or add them as they come.",
        takes="10 minutes",
        button="Import a list",
        done=facts.patients > 0,
        short="patients",
    )
    yield ToDo(
        key="people",
        goal=Goal.VISIT,
        words="Invite the others",
        why="Each signs in as themselves; you’re the only one so far.",
        takes="1 minute each",
        button="Invite someone",
        done=facts.people > 1,
        short="colleagues",
    )
    yield ToDo(
        key="texts",
        goal=Goal.VISIT,
        words="Text your first reminder",
        why="Tell Zax your gateway, then send yourself a test.",
        takes="3 minutes",
        button="Set up messages",
        done=facts.texts,
        short="messages",
    )
    yield ToDo(
        key="second",
        goal=Goal.VISIT,
        words="Your own second factor",
        why="You can change everything here, so a password alone is thin.",
        takes="1 minute",
        button="Set it up",
        done=facts.your_second,
        short="your second factor",
    )


def _payment(facts: Facts) -> Iterable[ToDo]:
    yield ToDo(
        key="fees",
        goal=Goal.PAYMENT,
        words="Your fees",
        why=(
            f"{len(facts.without_fee)} services of your visit types cost nothing yet:"
            f" {list_words(facts.without_fee, MOST)}."
            if facts.without_fee
            else "What each service costs without insurance."
        ),
        takes="10 minutes",
        button="Type the fees",
        done=facts.services > 0 and not facts.without_fee,
        short="fees",
    )
    yield ToDo(
        key="limits",
        goal=Goal.PAYMENT,
        words="Say what each role may write off",
        why="They begin at $25.00 for the front desk and $250.00 for billing.",
        takes="1 minute",
        button="Set the limits",
        done=facts.limits_set,
        short="limits",
    )
    yield ToDo(
        key="float",
        goal=Goal.PAYMENT,
        words="What is in the drawer each morning",
        why="The evening count takes it off. It begins at $150.00.",
        takes="half a minute",
        button="Say how much",
        done=facts.float_set,
        short="the drawer",
    )


def _claim(facts: Facts) -> Iterable[ToDo]:
    missing = [
        words
        for words, there in (("NPI", facts.npi), ("tax ID", facts.tax_id), ("taxonomy", facts.taxonomy))
        if not there
    ]
    yield ToDo(
        key="numbers",
        goal=Goal.CLAIM,
        words="The clinic’s numbers",
        why=f"A claim says who bills: the {list_words(missing, MOST) or 'NPI'} of the clinic.",
        takes="2 minutes",
        button="Type them in",
        done=not missing,
        short="NPI and tax ID",
    )
    if facts.providers:
        yield from _claim_providers(facts)
    yield ToDo(
        key="clearinghouse",
        goal=Goal.CLAIM,
        words="Your clearinghouse",
        why="Its ID and yours there. Until then claims can be printed.",
        takes="2 minutes",
        button="Type them in",
        done=facts.clearinghouse,
        short="clearinghouse",
    )
    yield ToDo(
        key="payers",
        goal=Goal.CLAIM,
        words="Your payers",
        why="Take them over from the clearinghouse’s list: their IDs decide whether a claim arrives.",
        takes="5 minutes",
        button="Find payers",
        done=facts.payers > 0,
        short="payers",
    )
    yield ToDo(
        key="plans",
        goal=Goal.CLAIM,
        words="Their plans",
        why="What a plan pays makes the estimate at checkout. One plan serves all its patients.",
        takes="5 minutes",
        button="Add a plan",
        done=facts.plans > 0,
        short="plans",
    )
    yield ToDo(
        key="sent",
        goal=Goal.CLAIM,
        words="Send one claim",
        why="Set the clearinghouse to test first if it offers that; it answers in minutes.",
        takes="1 minute",
        button="Look at the claims",
        done=facts.files_sent > 0,
        short="a claim",
    )


def _claim_providers(facts: Facts) -> Iterable[ToDo]:
    yield ToDo(
        key="npis",
        goal=Goal.CLAIM,
        words="NPIs of your providers",
        why=(
            "A claim says who did the work."
            f" {len(facts.providers) - len(facts.without_npi)} of {len(facts.providers)} are in."
        ),
        takes="2 minutes",
        button="Type them in",
        done=not facts.without_npi,
        short="NPIs of providers",
    )
    yield ToDo(
        key="taxonomies",
        goal=Goal.CLAIM,
        words="What your providers are",
        why=f"Payers want the taxonomy of {list_words(facts.without_taxonomy, MOST)}.",
        takes="1 minute",
        button="Choose them",
        done=not facts.without_taxonomy,
        short="taxonomies",
    )
