"""The line: one sign for how far along a visit is, drawn once as an SVG sprite and used on every screen.

Six stops split by two doors (before | on the premises | after). A passed stop is a low block, the present one a full-height post, the
rest hairlines. A hollow post is not firm yet: a held request, or the last stop while money is open. A slash cuts the line of somebody
who did not come.
"""

from __future__ import annotations

from functools import cache

from markupsafe import Markup

from zax.core.book.track import STOP_WORDS, Stop

_STOPS = (Stop.BOOKED, Stop.CONFIRMED, Stop.HERE, Stop.ROOM, Stop.CHECKOUT, Stop.SETTLED)
# x positions and block width of the regular (49 px) and the small (33 px) sign
_REGULAR = ((0, 7, 18, 25, 32, 43), 6, 49)
_SMALL = ((0, 5, 12, 17, 22, 29), 4, 33)


def _shapes(stop: Stop, xs: tuple[int, ...], width: int) -> str:
    if stop in {Stop.MISSED, Stop.CANCELLED}:
        low = "".join(f'<rect x="{x}" y="7" width="{width}" height="5"/>' for x in xs[:2])
        rest = "".join(f'<rect x="{x}" y="11" width="{width}" height="1"/>' for x in xs[3:])
        slash = f'<path d="M{xs[2] - 1} 12 L{xs[2] + width} 0" fill="none" stroke="currentColor" stroke-width="1.8"/>'
        return low + slash + rest
    at = -1 if stop == Stop.HELD else 5 if stop == Stop.LEFT else _STOPS.index(stop)
    parts = []
    for number, x in enumerate(xs):
        if number < at:
            parts.append(f'<rect x="{x}" y="7" width="{width}" height="5"/>')
        elif number == at and stop == Stop.LEFT:
            parts.append(_hollow(x, width))
        elif number == at:
            parts.append(f'<rect x="{x}" y="0" width="{width}" height="12"/>')
        elif number == 0 and stop == Stop.HELD:
            parts.append(_hollow(x, width))
        else:
            parts.append(f'<rect x="{x}" y="11" width="{width}" height="1"/>')
    return "".join(parts)


def _hollow(x: int, width: int) -> str:
    return f'<rect x="{x + 0.75}" y="0.75" width="{width - 1.5}" height="10.5" fill="none" stroke="currentColor" stroke-width="1.5"/>'


@cache
def sprite() -> str:
    """The whole sprite: `#booked` and, small, `#booked-s`, for every stop."""
    symbols = "".join(
        f'<symbol id="{stop}{suffix}" viewBox="0 0 {whole} 12">{_shapes(stop, xs, width)}</symbol>'
        for stop in Stop
        for suffix, (xs, width, whole) in (("", _REGULAR), ("-s", _SMALL))
    )
    return f'<svg xmlns="http://www.w3.org/2000/svg" fill="currentColor">{symbols}</svg>'


@cache
def sign(stop: Stop | str, small: bool = False) -> Markup:
    """The sign as it stands in a page; its words are its label."""
    words = STOP_WORDS[Stop(stop)]
    size = 'class="sign small" width="33"' if small else 'class="sign" width="49"'
    return Markup(
        f'<svg {size} height="12" role="img" aria-label="{words}"><use href="/static/signs.svg#{Stop(stop).value}{"-s" if small else ""}"/></svg>'
    )


@cache
def minutes_css() -> str:
    """Places in time as classes, since the page allows no inline style: `m-630` is 10:30, `d-40` forty minutes, `w-50` half."""
    at = "".join(f".m-{n}{{--at:{n}}}" for n in range(1441))
    span = "".join(f".d-{n}{{--for:{n}}}" for n in range(721))
    opens = "".join(f".from-{n}{{--from:{n}}}" for n in range(0, 1441, 30))
    closes = "".join(f".span-{n}{{--span:{n}}}" for n in range(30, 1441, 30))
    columns = "".join(f".col-{n}{{--col:{n}}}.cols-{n}{{--cols:{n}}}" for n in range(31))
    share = "".join(f".w-{n}{{--w:{n}%}}" for n in range(101))
    return at + span + opens + closes + columns + share
