"""A visit's bar on the Book as the attributes of its element, put together at once: there are hundreds on a page, and most of them are numbers."""

from __future__ import annotations

from markupsafe import Markup, escape

from zax.core.book.hours import clock_words
from zax.core.book.track import ON_THE_BOOK, STOP_WORDS, Stop
from zax.desk.lanes import Bar


def bar_title(bar: Bar) -> str:
    """Everything in words, for hover and focus, where the bar is too short to say it."""
    parts = [f"{clock_words(bar.at)} {bar.name}", bar.type_name, STOP_WORDS[bar.stop], bar.held]
    parts += [f"outside hours: {bar.outside}" if bar.outside else "", bar.gap, bar.note]
    return ", ".join(part for part in parts if part)


def bar_attributes(bar: Bar, base: Markup, may_book: bool, over: bool, chosen: int, carried: int) -> Markup:
    """`over`: its day is over; `chosen` and `carried` are visits whose sheet is open or that is in hand; `base` is the escaped address to keep."""
    size = " tall" if bar.minutes >= 40 else " one" if bar.minutes < 25 else ""
    share = f" x-{bar.share[0]}-{bar.share[1]}" if bar.share[1] > 1 else ""
    marks = (" sel" if bar.id == chosen else "") + (" lifted" if bar.id == carried else "")
    does = ""
    if may_book and not over:
        does = (
            " data-movable" if bar.stop in ON_THE_BOOK else " data-here" if bar.stop in {Stop.HERE, Stop.ROOM} else ""
        )
    address = f"{base}&amp;visit={bar.id}"
    return Markup(
        f'class="v {bar.stop}{size} m-{bar.at} d-{bar.minutes}{share}{marks}" id="bar-{bar.id}" data-cell data-id="{bar.id}" data-at="{bar.at}" '
        f'data-min="{bar.minutes}" data-version="{bar.version}" data-with="{bar.provider.id}"{does} draggable="false" '
        f'hx-get="/visits/{bar.id}/sheet?{base.split("?")[1]}" hx-push-url="{address}" hx-target="#over" hx-swap="innerHTML" href="{address}" '
        f'title="{escape(bar_title(bar))}"'
    )
