"""The setup's own page: its subjects in groups, each with how much there is of it, and a search over their
words.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping

from fastapi import APIRouter, Request
from fastapi.responses import Response

from zax.core.setup.first_days import GOAL_WORDS, Goal, first_days
from zax.desk.clinic.clinic import Clinic
from zax.desk.setup.first_days import facts_of
from zax.store.people.setup_changes import setup_changes
from zax.web.setup.first_days import PLACES
from zax.web.setup.frame import setup_page
from zax.web.shell.request_context import enter
from zax.web.shell.screens import setup_groups

router = APIRouter()


def _counted(number: int, one: str, many: str = "") -> str:
    return f"{number} {one if number == 1 else many or f'{one}s'}"


def _in_use(rows: Mapping[int, object]) -> int:
    return sum(bool(getattr(row, "active", True)) for row in rows.values())


MOST_CHANGES = 5
# What stands beside a subject, by its address.
AMOUNTS: Mapping[str, Callable[[Clinic], str]] = {
    "/setup/providers": lambda c: _counted(len(c.providers), "person", "people"),
    "/setup/services": lambda c: _counted(len(c.services), "service"),
    "/setup/people": lambda c: _counted(len(c.role_words), "role"),
    "/setup/sites": lambda c: _counted(len(c.sites), "site"),
    "/setup/hours": lambda c: _counted(len(c.providers), "person", "people"),
    "/setup/day": lambda c: _counted(_in_use(c.stages), "stage"),
    "/setup/types": lambda c: _counted(_in_use(c.types), "type"),
    "/setup/sets": lambda c: _counted(len(c.sets), "set"),
    "/setup/arrival": lambda c: _counted(_in_use(c.steps), "step"),
    "/setup/headsups": lambda c: _counted(_in_use(c.headsups), "heads-up", "heads-ups"),
    "/setup/flags": lambda c: _counted(_in_use(c.flags), "flag"),
    "/setup/fields": lambda c: _counted(_in_use(c.own_fields), "field"),
    "/setup/forms": lambda c: _counted(_in_use(c.forms), "form"),
    "/plans": lambda c: f"{_counted(len(c.payers), 'payer')}, {_counted(len(c.plans), 'plan')}",
}


@router.get("/setup")
def show_setup(request: Request) -> Response:
    ctx = enter(request, "setup")
    with ctx.read() as connection:
        changes = setup_changes(connection, MOST_CHANGES)
        columns = first_days(facts_of(connection, ctx.clinic, ctx.today, ctx.actor.id or 0))
    claim = next(each for each in columns if each.goal == Goal.CLAIM)
    return setup_page(
        ctx,
        "home",
        groups=setup_groups(ctx.actor.role),
        amounts={href: said(ctx.clinic) for href, said in AMOUNTS.items()},
        changes=changes,
        claim=claim,
        missing=claim.left,
        goals=GOAL_WORDS,
        places=PLACES,
    )


@router.get("/setup/hours")
def show_first_hours(request: Request) -> Response:
    """The hours of whoever comes first."""
    ctx = enter(request, "setup")
    working = ctx.clinic.working(ctx.today)
    return ctx.go(f"/setup/hours/{working[0].id}" if working else "/setup/providers")
