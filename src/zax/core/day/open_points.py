"""What is still open when a patient leaves, each with its reason, so that nobody has to remember it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zax.core.wording import dollars


@dataclass(frozen=True, slots=True)
class Due:
    """Cents to pay at the counter: `here` for the visit, below nothing when more was paid; `total` with what
    is paid along with it. Too much paid for the visit never lowers what the rest costs: it is a credit.
    """

    here: int
    total: int


def due_now(owed: int, asked: int, along: int) -> Due:
    """What is left of `owed` once payments that are still `asked` for come true, and with `along` on top."""
    here = owed - asked
    return Due(here, max(0, here) + along)


@dataclass(frozen=True, slots=True, kw_only=True)
class Leaving:
    """What is known at the end of a checkout. Cents. `stops` are sentences on what holds the claim back,
    `skipped` arrival steps left out, `unsigned` forms not signed.
    """

    due: int
    paying: int
    pending: int
    plan: int
    payer: str
    earlier: int
    credit: int
    stops: Sequence[str] = ()
    skipped: Sequence[str] = ()
    unsigned: Sequence[str] = ()


@dataclass(frozen=True, slots=True)
class OpenPoint:
    """`what` stays open because of `why`; `trouble` needs somebody, the rest goes its way."""

    what: str
    why: str
    trouble: bool = False


def open_points(facts: Leaving) -> list[OpenPoint]:
    """What stays open once the visit is finished with `paying` taken; what needs a person comes first."""
    found: list[OpenPoint] = []
    if facts.stops:
        found.append(OpenPoint("the claim is held back", " ".join(facts.stops), True))
    found += [
        OpenPoint(f"“{name}” isn’t signed", "ask before they go, or next time", True)
        for name in facts.unsigned
    ]
    found += [
        OpenPoint(f"“{name}” was skipped at arrival", "do it now, or next time", True)
        for name in facts.skipped
    ]
    if facts.pending:
        found.append(
            OpenPoint(
                f"{dollars(facts.pending)} by card isn’t confirmed yet",
                "the terminal hasn’t answered yet",
                True,
            )
        )
    rest = facts.due - facts.paying
    if rest > 0:
        found.append(OpenPoint(f"{dollars(rest)} for today", "not paid today; stays on the account"))
    if facts.earlier > 0:
        found.append(OpenPoint(f"{dollars(facts.earlier)} from earlier visits", "not being paid today"))
    if facts.plan > 0:
        goes = "the claim waits until that’s fixed" if facts.stops else "ready to send when you finish"
        found.append(OpenPoint(f"{dollars(facts.plan)} with {facts.payer}", goes))
    if facts.credit > 0:
        found.append(OpenPoint(f"{dollars(facts.credit)} of credit", "kept for next time"))
    return found
