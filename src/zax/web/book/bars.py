"""Bars and free times of the Book as finished HTML: there are hundreds on a page and most of what they carry
is numbers, so they are put together here in one go; a template would take three times as long. Everything
that people typed is escaped.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from markupsafe import Markup, escape

from zax.core.book.hours import Span
from zax.core.book.track import ON_THE_BOOK, STOP_WORDS, Stop
from zax.core.reading import plain_clock
from zax.core.wording import clock_words, past_hour, span_words
from zax.desk.book.day_columns import Bar, DayColumn, Strap
from zax.web.shell.signs import mark_sign, sign

_ROOMY_FROM, _GAP_FROM, _OUTSIDE_FROM, _TALL_FROM, _ONE_LINE_BELOW = 58, 45, 25, 40, 25
_OVER = {Stop.LEFT, Stop.SETTLED, Stop.MISSED}


_COVER = {"unchecked": "coverage not checked"}


@dataclass(frozen=True, slots=True)
class Offered:
    """A free time that is being offered, and how that goes."""

    id: int
    provider_id: int
    day: date
    start: int
    minutes: int
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Drawn:
    """How one page draws its bars: `base` is the escaped address that links keep, `chosen` and `carried` are
    visits (0: none), `types` and `people` the ids in the clinic's order, which number the marks.
    """

    base: Markup
    by: str
    mark: str
    may_book: bool
    site_id: int
    chosen: int
    carried: int
    types: Sequence[int]
    people: Sequence[int]
    offered: Sequence[Offered] = ()


def bar_title(bar: Bar) -> str:
    """Everything in words, for hover and focus, where the bar is too short to say it."""
    parts = [f"{clock_words(bar.at)} {bar.name}", bar.type_name, STOP_WORDS[bar.stop], bar.held]
    parts += [
        f"outside hours: {bar.outside}" if bar.outside else "",
        bar.gap,
        _COVER.get(bar.cover, ""),
        bar.note,
    ]
    return ", ".join(part for part in parts if part)


def bar_html(bar: Bar, drawn: Drawn, over: bool) -> Markup:
    """One visit; `over` when its day is, so that it cannot be moved anymore."""
    size = " tall" if bar.minutes >= _TALL_FROM else " one" if bar.minutes < _ONE_LINE_BELOW else ""
    size += " roomy" if bar.minutes >= _ROOMY_FROM else ""
    size += " stopped" if _troubled(bar) else ""
    share = f" x-{bar.share[0]}-{bar.share[1]}" if bar.share[1] > 1 else ""
    marks = (" sel" if bar.id == drawn.chosen else "") + (" carried" if bar.id == drawn.carried else "")
    does = ""
    if drawn.may_book and not over:
        does = (
            " data-movable"
            if bar.stop in ON_THE_BOOK
            else " data-here"
            if bar.stop in {Stop.HERE, Stop.ROOM}
            else ""
        )
    address = f"{drawn.base}&amp;visit={bar.id}"
    return Markup(
        f'<a class="v {bar.stop}{size} m-{bar.at} d-{bar.minutes}{share}{marks}" id="bar-{bar.id}" data-cell'
        f' data-id="{bar.id}" data-at="{bar.at}" data-min="{bar.minutes}" data-version="{bar.version}"'
        f' data-with="{bar.provider.id}"{does} draggable="false"'
        f' hx-get="/visits/{bar.id}/sheet?{drawn.base.split("?")[1]}" hx-push-url="{address}"'
        f' hx-target="#over" hx-swap="innerHTML" href="{address}" title="{escape(bar_title(bar))}"><span'
        f' class="l1">{_mark(bar, drawn)}<span class="nm'
        f' clip">{escape(bar.last if bar.share[1] > 1 else bar.name)}</span></span><span class="l2">'
        f'{sign(bar.stop, True)}<span class="len">{bar.minutes}′</span>{_what(bar, drawn)}{_trouble(bar)}</a>'
    )


def _mark(bar: Bar, drawn: Drawn) -> str:
    if drawn.mark == "type":
        return mark_sign(drawn.types.index(bar.type_id))
    return mark_sign(drawn.people.index(bar.provider.id)) if drawn.mark == "provider" else ""


def _what(bar: Bar, drawn: Drawn) -> str:
    """What the visit is: on a line of its own where the bar is tall enough, else beside its length."""
    words = f'<span class="t clip">{escape(_second_line(bar, drawn))}</span>'
    own_line = bar.minutes >= (_ROOMY_FROM if _troubled(bar) else _GAP_FROM)
    return f"</span>{words}" if own_line else f"{words}</span>"


def _second_line(bar: Bar, drawn: Drawn) -> str:
    if bar.stop == Stop.MISSED:
        return STOP_WORDS[Stop.MISSED]
    if bar.stop == Stop.HELD:
        return bar.held
    return bar.provider.short if drawn.by == "room" else bar.type_name


def _trouble(bar: Bar) -> str:
    """What stands in the way of this visit, where there is room to say it."""
    words = _troubled(bar)
    return f'<span class="stop clip">{escape(words)}</span>' if words else ""


def _troubled(bar: Bar) -> str:
    if bar.outside and bar.minutes >= _OUTSIDE_FROM:
        return "outside hours"
    return bar.gap if bar.gap and bar.minutes >= _GAP_FROM and bar.stop not in _OVER else ""


def strap_html(strap: Strap, drawn: Drawn, guest: bool, past: int) -> Markup:
    """A staff slot in its lane: at what minute, and who steps in (`guest`) or in whose visit. What was over
    at the minute `past` is drawn quietly.
    """
    who = (strap.provider.short if guest else strap.name).rpartition(" ")[2]
    says = f"{strap.words} by {strap.provider.name}" if guest else f"{strap.words}, {strap.name}"
    address = f"{drawn.base}&amp;visit={strap.visit_id}"
    marks = (" joins" if strap.joins else "") + (" gone" if strap.at + strap.minutes <= past else "")
    return Markup(
        f'<a class="strap m-{strap.drawn_at}{marks}" tabindex="-1" draggable="false"'
        f' data-tie="{strap.visit_id}" hx-get="/visits/{strap.visit_id}/sheet?{drawn.base.split("?")[1]}"'
        f' hx-push-url="{address}" hx-target="#over" hx-swap="innerHTML" href="{address}"'
        f' title="{clock_words(strap.at)} {escape(says)}"><b>{past_hour(strap.at)}</b>'
        f' <span class="clip">{escape(who)}</span></a>'
    )


def offers_html(day_column: DayColumn, drawn: Drawn) -> Markup:
    """The times of a provider's column that are being offered, as links to how that goes."""
    who = day_column.provider.id if day_column.provider else 0
    mine = [each for each in drawn.offered if (each.provider_id, each.day) == (who, day_column.day)]
    return Markup("").join(
        Markup(
            f'<a class="offered m-{each.start} d-{each.minutes}" data-cell href="/offers/{each.id}"'
            f' title="{clock_words(each.start)}, {span_words(each.minutes)}: {escape(each.words)}"><span'
            f' class="clip">{escape(each.words)}</span></a>'
        )
        for each in mine
    )


def gap_html(span: Span, day_column: DayColumn, drawn: Drawn, provider_id: int) -> Markup:
    """One free time, as the link that books it."""
    more = f"&amp;day={day_column.day}" if drawn.by == "week" else ""
    more += f"&amp;provider={provider_id}&amp;at={plain_clock(span.start)}"
    more += f"&amp;room_id={day_column.room.id}" if day_column.room else ""
    more += f"&amp;site_id={day_column.site_id}" if day_column.site_id != drawn.site_id else ""
    return Markup(
        f'<a class="gap m-{span.start} d-{span.minutes}" data-at="{span.start}" data-cell'
        f' href="{drawn.base}{more}">'
        f"<span>{clock_words(span.start)}, {span_words(span.minutes)} free</span></a>"
    )
