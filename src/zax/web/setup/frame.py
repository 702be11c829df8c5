"""The frame of the setup pages: visits that lie outside working hours on every page, and one way to carry out
a change, which lists the booked visits it would leave without their time.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import Annotated, TypeAlias

from fastapi.responses import Response

from zax.core.errors import Mendable
from zax.core.form import Form, References, a_day, a_day_or_none
from zax.core.json import Json
from zax.core.wording import WEEKDAYS
from zax.desk.setup.hours import (
    Affected,
    outside_now,
)
from zax.store.people.setup_changes import last_change_of
from zax.web.setup.subjects import acts_of, subject_of
from zax.web.shell.request_context import PostedForm, RequestContext
from zax.web.shell.screens import setup_groups

# Where a page stands among the screens, where its template is called otherwise.
PLACES = {
    "heads_ups": "/setup/headsups",
    "type": "/setup/types",
    "signed_in": "/setup/signed-in",
    "first_days": "/setup/first-days",
    "looking_back": "/setup/looking-back",
}

ChosenDay: TypeAlias = Annotated[date, a_day("Choose a day.")]
ChosenDayOrNone: TypeAlias = Annotated[date | None, a_day_or_none("Choose a day.")]


class Decision(Form):
    """What becomes of booked visits that a change leaves without hours or a room."""

    decision: str = ""


class InOrder(Form):
    """Rows in the order they stand on the page."""

    ids: References = ()


def setup_page(ctx: RequestContext, template: str, status: int = 200, **values: object) -> Response:
    here = PLACES.get(template, f"/setup/{template}")
    with ctx.read() as connection:
        outside = outside_now(connection, ctx.clinic, ctx.today)
        last_change = last_change_of(connection, acts_of(here))
    groups = setup_groups(ctx.actor.role).values()
    return ctx.page(
        f"setup/{template}.html",
        status,
        screen="setup",
        outside=outside,
        weekdays=WEEKDAYS,
        tab=template,
        here=here,
        beside=next((group for group in groups if any(each.href == here for each in group)), []),
        last_change=last_change,
        subject_of=subject_of,
        **values,
    )


def done(
    ctx: RequestContext,
    form: PostedForm,
    work: Callable[[], object],
    again: Callable[[int, Json], Response],
    to: str,
    said: str,
) -> Response:
    """Carry out a change; what is wrong, or which visits it would leave outside hours, shows on the page it
    came from.
    """
    try:
        work()
    except Affected as affected:
        return again(
            affected.status, {"affected": affected.visits, "typed": form, "problems": {"": affected.message}}
        )
    except Mendable as error:
        return again(error.status, {"typed": form, "problems": error.problems})
    return ctx.go(to, said)
