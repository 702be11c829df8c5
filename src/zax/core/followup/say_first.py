"""What to say first on the phone: one sentence a reason, as a receptionist would say it."""

from __future__ import annotations

from datetime import date

from zax.core.followup.call_sheet import Reason, Why
from zax.core.wording import day_words, dollars, weekday_day


def say_first(reason: Reason, today: date) -> str:
    """One or two short sentences; days of another year say the year."""
    day = day_words(reason.since, year=reason.since.year != today.year)
    at = weekday_day(reason.since)
    what = reason.words[:1].lower() + reason.words[1:]
    match reason.why:
        case Why.RETURN:
            when = f"It was to be done by {day}." if reason.overdue else f"It should be done by {day}."
            return f"We’d like to see you again: {what}. {when}"
        case Why.RESULT:
            return f"We have news for you: {what}."
        case Why.LOST:
            return f"Your {what} visit had to be canceled. Let’s find you another time."
        case Why.MISSED:
            return f"We missed you at your {what} visit. Shall we find another time?"
        case Why.UNCONFIRMED:
            return f"You’re booked {at}: {what}. Can you make it?"
        case Why.FORM:
            return f"Before you come {at}, there’s a form to sign: {reason.words}."
        case Why.COVERAGE:
            return f"Before you come {at}: {reason.words} told us your coverage has changed."
        case Why.RECALL:
            return f"It’s time for your {what}; it’s been due since {day}."
        case Why.PLANNED:
            return f"You agreed to {what} on {day}. Shall we find a time?"
        case Why.ESTIMATE:
            return f"Have you had a chance to look at what we planned, {what}?"
        case Why.SOONER:
            return f"You wanted to come sooner for your {what}. Does that still hold?"
        case Why.BALANCE:
            return f"There’s {dollars(reason.cents)} open since your visit on {day}."
