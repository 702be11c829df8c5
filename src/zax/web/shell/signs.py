"""The line: one sign for how far along a visit is, drawn here once and used on every screen.

Six stops split by two doors (before | on the premises | after). A passed stop is a low block, the present one
a full-height post, the rest hairlines. A hollow post is not firm yet: a held request, or the last stop while
money is open. A slash cuts the line of a no-show.
"""

from __future__ import annotations

from functools import cache

from markupsafe import Markup

from zax.core.book.track import STOP_WORDS, Stop
from zax.core.claims.states import STATE_WORDS, ClaimState

_STOPS = (Stop.BOOKED, Stop.CONFIRMED, Stop.HERE, Stop.ROOM, Stop.CHECKOUT, Stop.SETTLED)
# x positions and block width of the regular (49 px) and the small (33 px) sign
_REGULAR = ((0, 7, 18, 25, 32, 43), 6, 49)
_SMALL = ((0, 5, 12, 17, 22, 29), 4, 33)


def _line(stop: Stop, xs: tuple[int, ...], width: int) -> str:
    """The whole line as one path: what a page draws a hundred times must be light to lay out."""
    if stop in {Stop.MISSED, Stop.CANCELED}:
        low = "".join(_block(x, 7, width, 5) for x in xs[:2])
        rest = "".join(_block(x, 11, width, 1) for x in xs[3:])
        slash = f"M{xs[2] - 1.8} 11.5 L{xs[2] + width - 0.8} 0 h2 L{xs[2] + 0.2} 12 h-2z"
        return low + slash + rest
    at = -1 if stop in {Stop.HELD, Stop.SHELF} else 5 if stop == Stop.LEFT else _STOPS.index(stop)
    return "".join(_stop(stop, number, at, x, width) for number, x in enumerate(xs))


def _stop(stop: Stop, number: int, at: int, x: int, width: int) -> str:
    if number < at:
        return _block(x, 7, width, 5)
    if number == at:
        return _hollow(x, width) if stop == Stop.LEFT else _block(x, 0, width, 12)
    if number == 0 and stop == Stop.HELD:
        return _hollow(x, width)
    if number == 0 and stop == Stop.SHELF:  # lifted off the line
        return _block(x, 2, width, 5) + _block(x, 11, width, 1)
    return _block(x, 11, width, 1)


def _block(x: float, y: float, width: float, height: float) -> str:
    return f"M{x:g} {y:g}h{width:g}v{height:g}h{-width:g}z"


def _hollow(x: int, width: int) -> str:
    """A frame of one and a half pixels: the inside is cut out (even-odd)."""
    return _block(x, 0, width, 12) + _block(x + 1.5, 1.5, width - 3, 9)


# Marks for visit types and providers: shapes alone tell them apart, none of them a diamond, which means
# trouble.
_MARKS = (
    '<rect x="1" y="1" width="8" height="8"/>',
    '<circle cx="5" cy="5" r="3.6" fill="none" stroke="currentColor" stroke-width="1.6"/>',
    '<path d="M5 1 9.4 9H.6z"/>',
    '<path d="M4 1h2v3h3v2H6v3H4V6H1V4h3z"/>',
    '<rect x="1.7" y="1.7" width="6.6" height="6.6" fill="none" stroke="currentColor" stroke-width="1.5"/>',
    '<circle cx="5" cy="5" r="4.2"/>',
    '<path d="M1 1h8L5 9z"/>',
    '<path d="M1 2h8v2H1zM1 6h8v2H1z"/>',
    '<path d="M2 1h2v8H2zM6 1h2v8H6z"/>',
    '<path d="M1 1h8L1 9z"/>',
    '<path d="M1 5a4 4 0 0 1 8 0z"/>',
    '<path d="M1 1h3v3H1zM6 1h3v3H6zM1 6h3v3H1zM6 6h3v3H6z"/>',
)


@cache
def mark_sign(number: int) -> Markup:
    """The shape of the visit type or provider of that number in the clinic's order; after twelve they repeat,
    and the word decides.
    """
    shape = _MARKS[number % len(_MARKS)]
    return Markup(
        '<svg class="mk" width="10" height="10" viewBox="0 0 10 10" fill="currentColor"'
        f' aria-hidden="true" data-mark="{number % len(_MARKS)}">{shape}</svg>'
    )


@cache
def sign(stop: Stop | str, small: bool = False) -> Markup:
    """The sign as it stands in a page; its words are its label."""
    words = STOP_WORDS[Stop(stop)]
    xs, width, whole = _SMALL if small else _REGULAR
    name = "sign small" if small else "sign"
    line = _line(Stop(stop), xs, width)
    return Markup(
        f'<svg class="{name}" width="{whole}" height="12" viewBox="0 0 {whole} 12" fill="currentColor"'
        f' fill-rule="evenodd" role="img" aria-label="{words}"><path d="{line}"/></svg>'
    )


# A claim's line: made | sent, accepted, with the payer | answered.
_CLAIM = ((0, 8, 13, 18, 26), 4, 30)
_CLAIM_STOPS = {
    ClaimState.HELD_BACK: 0,
    ClaimState.READY: 0,
    ClaimState.GOING: 1,
    ClaimState.SENT: 1,
    ClaimState.ACCEPTED: 3,
    ClaimState.REJECTED: 2,
    ClaimState.CLOSED: 4,
    ClaimState.DENIED: 4,
}
_CUT = frozenset({ClaimState.REJECTED, ClaimState.DENIED})


@cache
def claim_sign(state: ClaimState | str) -> Markup:
    """How far along a claim is, in the same blocks; a slash where it was turned away."""
    state = ClaimState(state)
    xs, width, whole = _CLAIM
    at = _CLAIM_STOPS[state]
    low = "".join(_block(x, 7, width, 5) for x in xs[:at])
    rest = "".join(_block(x, 11, width, 1) for x in xs[at + 1 :])
    x = xs[at]
    post = f"M{x - 1} 12L{x + width - 2} 0h2.2L{x + 1.2} 12z" if state in _CUT else _block(x, 0, width, 12)
    return Markup(
        f'<svg class="sign claimline" width="{whole}" height="12" viewBox="0 0 {whole} 12"'
        f' fill="currentColor" role="img" aria-label="{STATE_WORDS[state]}">'
        f'<path d="{low}{post}{rest}"/></svg>'
    )


@cache
def minutes_css() -> str:
    """Places in time as classes, since the page allows no inline style: `m-630` is 10:30, `d-40` forty
    minutes, `w-50` half, `x-1-2` the second of two abreast.
    """
    at = "".join(f".m-{n}{{--at:{n}}}" for n in range(1441))
    span = "".join(f".d-{n}{{--for:{n}}}" for n in range(721))
    opens = "".join(f".from-{n}{{--from:{n}}}" for n in range(0, 1441, 30))
    closes = "".join(f".span-{n}{{--span:{n}}}" for n in range(30, 1441, 30))
    share = "".join(f".w-{n}{{--w:{n}%}}" for n in range(101))
    abreast = "".join(
        f".x-{which}-{of}{{--x:{which};--of:{of}}}" for of in range(2, 7) for which in range(of)
    )
    return at + span + opens + closes + share + abreast
