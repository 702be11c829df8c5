"""Reaching many at once, some at a time: each step is an act of its own and shows how far it is. Closed in
the middle, those reached stay reached and the others are as they were, on the same list.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Refused
from zax.core.messages.channel import Channel
from zax.core.reading import reference
from zax.desk.followup.reaching import MOST_AT_ONCE, reach_many
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
AT_ONCE = 100
LIST = "/followup/recalls"


@dataclass(frozen=True, slots=True, kw_only=True)
class Run:
    """How far it is: `rest` are the recalls still to come, `left_out` whom it couldn't reach, by reason."""

    channel: Channel
    total: int
    rest: Sequence[int]
    sent: int = 0
    left_out: Mapping[str, int]
    back: str = LIST

    @property
    def done(self) -> int:
        return self.total - len(self.rest)

    @property
    def words(self) -> str:
        people = "1 person" if self.sent == 1 else f"{self.sent:,} people"
        did = {
            Channel.TEXT: f"{people} will get a text.",
            Channel.EMAIL: f"{people} will get an email.",
            Channel.LETTER: f"Noted: letters to {people}.",
        }
        left = "; ".join(f"{count} skipped: {why}" for why, count in self.left_out.items())
        return f"{did[self.channel]} {left}".strip()


def channel_in(form: PostedForm) -> Channel:
    if form["how"] not in {Channel.TEXT, Channel.EMAIL, Channel.LETTER}:
        raise Refused("Choose text, email or letter.", "how")
    return Channel(form["how"])


def go_on(ctx: RequestContext, run: Run) -> Response:
    """The next of them, then the page that goes on by itself, or back to the list with what was done."""
    done = reach_many(ctx.desk, ctx.actor, list(run.rest[:AT_ONCE]), run.channel)
    so_far = Run(
        channel=run.channel,
        total=run.total,
        rest=run.rest[AT_ONCE:],
        sent=run.sent + done.sent,
        left_out=Counter(run.left_out) + Counter(done.left_out),
        back=run.back,
    )
    if not so_far.rest:
        return ctx.go(so_far.back, so_far.words)
    return ctx.page("followup/reaching.html", run=so_far, screen="followup")


@router.post("/followup/recalls/reach/more")
def reach_more(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "book")
    rest = [number for each in form["rest"].split(",") if (number := reference(each))][:MOST_AT_ONCE]
    back = form["list"] if form["list"].startswith(LIST) else LIST
    if not rest:
        return ctx.go(back)
    left = (each.partition("|") for each in form.all.get("left", []))
    return go_on(
        ctx,
        Run(
            channel=channel_in(form),
            total=max(len(rest), min(reference(form["total"]), MOST_AT_ONCE)),
            rest=rest,
            sent=min(reference(form["sent"]), MOST_AT_ONCE),
            left_out={why[:60]: min(reference(count), MOST_AT_ONCE) for count, _, why in left if why},
            back=back,
        ),
    )
