"""How replies are understood, in Setup: the words, what a reply may do by itself, and trying one out."""

from __future__ import annotations

from dataclasses import replace

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, ProblemCollector
from zax.core.messages.reply import Asked, Meaning, Reading, read_reply
from zax.core.messages.reply_words import OWN_SAYS, PHRASES
from zax.core.reading import whole_number
from zax.desk.inbox.reply_words import keep_reply_words, own_of, phrases_of
from zax.desk.notices.rules import LIMITS, habits_of, keep_habits
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
PAGE = "/setup/messages/replies"
ASKED_WORDS = {
    Asked.REMINDER: "after a reminder",
    Asked.OFFER: "after an offer of an opening",
    Asked.RECALL: "after a recall",
    Asked.NOTHING: "out of the blue",
}
MEANS = {
    Meaning.CONFIRM: "confirms the visit",
    Meaning.CANCEL: "cancels the visit, where replies may",
    Meaning.LATE: "running late: Day says so, where it says how late",
    Meaning.OTHER_TIME: "wants another time: goes to the Inbox",
    Meaning.ACCEPT: "says yes to it",
    Meaning.DECLINE: "says no to it",
    Meaning.STOP: "no more texts, at once",
    Meaning.START: "texts are on again",
    Meaning.HELP: "is told who we are and how to stop us",
    Meaning.WRONG_NUMBER: "isn’t their number: goes to the Inbox",
    Meaning.QUESTION: "asks something: goes to the Inbox",
    Meaning.UNCLEAR: "no rule is sure: goes to the Inbox",
}


@router.get(PAGE)
def show_replies(request: Request) -> Response:
    query = request.query_params
    return _page(enter(request, "setup"), query.get("try", ""), query.get("asked", ""))


def _page(
    ctx: RequestContext, tried: str = "", asked: str = "", status: int = 200, **more: object
) -> Response:
    after = Asked(asked) if asked in list(Asked) else Asked.REMINDER
    return ctx.page(
        "inbox/replies.html",
        status,
        says=OWN_SAYS,
        shipped={
            says: [" ".join(each) for each, said in PHRASES.items() if said is says] for says in OWN_SAYS
        },
        own=own_of(ctx.clinic),
        habits=habits_of(ctx.clinic),
        tried=tried,
        after=after,
        asked_words=ASKED_WORDS,
        read=_understood(read_reply(tried, after, None, phrases_of(ctx.clinic))) if tried.strip() else "",
        here=PAGE,
        screen="setup",
        **more,
    )


def _understood(reading: Reading) -> str:
    said = MEANS[reading.meaning]
    if reading.minutes:
        said += f", {reading.minutes} minutes"
    if reading.number and reading.meaning in {Meaning.ACCEPT, Meaning.DECLINE}:
        said += f", number {reading.number}"
    return f"{said}. Someone may be in pain" if reading.urgent else said


@router.post(PAGE + "/words")
def save_words(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    try:
        keep_reply_words(ctx.desk, ctx.actor, {says: form[says] for says in OWN_SAYS})
    except Mendable as error:
        return _page(ctx, status=error.status, problems=error.problems, typed=form)
    return ctx.go(PAGE, "Saved. Replies from now on are read this way.")


@router.post(PAGE + "/cancel")
def save_cancel(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """Until how many hours before a reply may cancel, by visit type; empty is as for all."""
    ctx = enter(request, "setup")
    wrong, hours = ProblemCollector(), dict(habits_of(ctx.clinic).cancel_by_type)
    for number in ctx.clinic.types:
        name = f"hours_{number}"
        if name not in form:
            continue
        text = form[name].strip()
        hours.pop(str(number), None)
        if text.lower() == "never":
            hours[str(number)] = -1
        elif text:
            found = wrong.take(whole_number, text, name, 0, LIMITS["cancel_hours"][1])
            hours[str(number)] = found or 0
    try:
        wrong.raise_if_any()
        keep_habits(ctx.desk, ctx.actor, replace(habits_of(ctx.clinic), cancel_by_type=hours))
    except Mendable as error:
        return _page(ctx, status=error.status, problems=error.problems, typed=form)
    return ctx.go(PAGE, "Saved.")
