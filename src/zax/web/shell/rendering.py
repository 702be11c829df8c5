"""Pages from templates: the Jinja environment with the one money filter, the one phone format, times and
signs.
"""

from __future__ import annotations

import re
import secrets
from collections.abc import Iterable
from datetime import date, datetime, timedelta
from functools import cache
from pathlib import Path

from jinja2 import Environment, FileSystemLoader, PrefixLoader, StrictUndefined, pass_context
from jinja2.ext import Extension
from jinja2.lexer import Token, TokenStream
from jinja2.runtime import Context
from markupsafe import Markup

from zax.clock import local
from zax.core import wording
from zax.core.arrivals.stages import WHOSE
from zax.core.book import track
from zax.core.book.cancellation import OFF
from zax.core.book.lateness import is_late
from zax.core.book.track import STOP_WORDS, Stop
from zax.core.charges.teeth import show_tooth
from zax.core.claims.states import CAN_BE_CHECKED, STATE_WORDS, ClaimState
from zax.core.messages.message import STATE_WORDS as MESSAGE_STATES
from zax.core.messages.message import State
from zax.core.money.statement import StatementState
from zax.core.money.tender import PaymentState
from zax.core.moving.job import JobState
from zax.core.patients.person import age_on
from zax.core.people.roles import may
from zax.core.reading import plain_clock, tidy_clock
from zax.web.shell import keys
from zax.web.shell.assets import assets
from zax.web.shell.links import address_of
from zax.web.shell.listing import ORDER_WORDS, query_of
from zax.web.shell.signs import claim_sign, mark_sign, sign

WEB = Path(__file__).parents[1]
_WHITE = re.compile(r"\s+")
# The named sets of stops that templates ask about.
_STOP_SETS = (
    "EXPECTED",
    "ON_THE_BOOK",
    "PRESENT",
    "NOT_IN_ROOM",
    "CHARGED",
    "PAYING",
    "FINISHED",
    "HAPPENED",
    "CALLED_OFF",
    "NOT_ARRANGED",
)


class OneSpace(Extension):
    """White space of a template reaches the page as one space: its lines and indents are for who reads it."""

    def filter_stream(self, stream: TokenStream) -> Iterable[Token]:
        for token in stream:
            plain = token.type == "data"
            yield Token(token.lineno, "data", _WHITE.sub(" ", token.value)) if plain else token


def stop_words(stop: str) -> str:
    return STOP_WORDS[Stop(stop)]


def message_state(state: str) -> str:
    return MESSAGE_STATES[State(state)]


def claim_words(state: str) -> str:
    return STATE_WORDS[ClaimState(state)]


@pass_context
def wall(context: Context, moment: datetime) -> datetime:
    """A UTC moment on the site's wall clock."""
    return local(moment, context["site"].timezone)


@pass_context
def tooth(context: Context, number: str) -> str:
    """A tooth as this clinic writes it."""
    return show_tooth(number, context["clinic"].numbering)


def areas_with(folder: str) -> list[Path]:
    """The areas' folders in which there is such a folder: a template is named `area/name.html`, a static file
    `/static/area/name`.
    """
    return sorted(path.parent for path in WEB.glob(f"*/{folder}"))


def csrf_field(token: str) -> Markup:
    """What every posted form carries: the token that this browser was given, and a key of its own, so that
    pressed twice it is done once.
    """
    fields = '<input type="hidden" name="csrf" value="{}"><input type="hidden" name="once" value="{}">'
    return Markup(fields).format(token, secrets.token_urlsafe(12))


@cache
def template_environment() -> Environment:
    """The templates of every area, for pages and papers alike; one a process, so each is compiled once."""
    environment = Environment(
        loader=PrefixLoader(
            {area.name: FileSystemLoader(area / "templates") for area in areas_with("templates")}
        ),
        autoescape=True,
        undefined=StrictUndefined,
        extensions=[OneSpace],
        trim_blocks=True,
        lstrip_blocks=True,
        auto_reload=False,
    )
    environment.filters |= {
        "money": wording.money_words,
        "balance": wording.balance_words,
        "dollars": wording.dollars,
        "phone": wording.phone_words,
        "clock": wording.clock_words,
        "visit_time": wording.visit_time,
        "hour": wording.hour_words,
        "clock_face": wording.clock_face,
        "clock_span": wording.clock_span,
        "plain_clock": plain_clock,
        "tidy_clock": tidy_clock,
        "time": wording.time_words,
        "moment": wording.moment_words,
        "day": wording.day_words,
        "full_day": wording.full_day,
        "weekday_day": wording.weekday_day,
        "weekday_time": wording.weekday_time,
        "column_day": wording.column_day,
        "from_iso": date.fromisoformat,
        "long_day": wording.long_day,
        "weekday_name": wording.weekday_name,
        "month": wording.month_words,
        "month_name": wording.month_name,
        "month_initial": wording.month_initial,
        "month_abbr": wording.month_abbr,
        "span": wording.span_words,
        "stop": stop_words,
        "claim_words": claim_words,
        "message_state": message_state,
        "wall": wall,
        "tooth": tooth,
        "address": address_of,
    }
    environment.tests["late"] = is_late
    environment.globals |= {name: getattr(track, name) for name in _STOP_SETS}
    environment.globals |= {
        "assets": assets,
        "csrf_field": csrf_field,
        "list_query": query_of,
        "order_words": ORDER_WORDS,
        "sign": sign,
        "claim_sign": claim_sign,
        "style": wording.style,
        "mark_sign": mark_sign,
        "key": keys.key_attributes,
        "cap": keys.key_cap,
        "age_on": age_on,
        "may": may,
        "Stop": Stop,
        "PaymentState": PaymentState,
        "ClaimState": ClaimState,
        "CAN_BE_CHECKED": CAN_BE_CHECKED,
        "JobState": JobState,
        "StatementState": StatementState,
        "off_reasons": {why.value: off for why, off in OFF.items()},
        "timedelta": timedelta,
        "key_groups": keys.groups,
        "whose_turn": WHOSE,
        "max": max,
        "min": min,
        "Markup": Markup,
    }
    return environment
