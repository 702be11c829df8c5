"""The picture of the mouth: two arches as one looks at the patient, drawn as SVG from what is known of every
tooth.

Each tooth is a button: what was done today is filled, planned work has a dashed ring, earlier work is
hatched, a missing tooth is a gap. `static/mouth.js` lets mouse and keys choose teeth, surfaces and areas;
without scripts the fields beside the picture do the same.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cache
from math import atan2, cos, hypot, pi, sin

from markupsafe import Markup, escape

from zax.core.charges.teeth import AREAS, SURFACE_WORDS, TEETH, Numbering, Tooth, show_tooth
from zax.desk.charges.tooth_chart import OneTooth

WIDTH, HEIGHT = 430, 352
_MIDDLE = WIDTH / 2
_UPPER, _LOWER = (_MIDDLE, 166.0), (_MIDDLE, 186.0)
_ARCH = {False: (176.0, 136.0), True: (128.0, 104.0)}
_MIDLINE = (_UPPER[1] + _LOWER[1]) / 2
_FROM, _TO = 0.03 * pi, 0.97 * pi
_SIZE = {"front": 7.0, "premolar": 8.5, "molar": 10.5}


@cache
def _places(primary: bool) -> Mapping[str, tuple[float, float, float]]:
    """By tooth: x, y and the angle that points outward, spaced evenly along each arch."""
    found: dict[str, tuple[float, float, float]] = {}
    for upper in (True, False):
        row = [t for t in TEETH.values() if t.primary == primary and (t.quadrant in {"10", "20"}) == upper]
        for tooth, (x, y, angle) in zip(row, _along(primary, upper, len(row)), strict=True):
            found[tooth.number] = (x, y, angle)
    return found


def _along(primary: bool, upper: bool, count: int) -> list[tuple[float, float, float]]:
    """`count` points at equal distances on the arch: upper from left to right as one looks, lower
    back again.
    """
    (cx, cy), (rx, ry) = (_UPPER if upper else _LOWER), _ARCH[primary]
    steps = [_TO - (_TO - _FROM) * n / 400 for n in range(401)]
    points = [(cx + rx * cos(a), cy - ry * sin(a) if upper else cy + ry * sin(a)) for a in steps]
    if not upper:
        points.reverse()
    lengths = [0.0]
    for (ax, ay), (bx, by) in zip(points, points[1:], strict=False):
        lengths.append(lengths[-1] + hypot(bx - ax, by - ay))
    made = []
    for number in range(count):
        want = lengths[-1] * (number + 0.5) / count
        at = next(n for n, length in enumerate(lengths) if length >= want)
        x, y = points[at]
        made.append((x, y, atan2((y - cy) / ry**2, (x - cx) / rx**2)))
    return made


def mouth_svg(
    states: Mapping[str, OneTooth],
    numbering: Numbering,
    chosen: str = "",
    surfaces: str = "",
    primary: bool = False,
) -> Markup:
    """The whole picture. `chosen` is a universal number; the arch that is not in use is drawn but hidden."""
    teeth = "".join(
        '<g class="arch"'
        f' data-arch="{"primary" if kind else "permanent"}"{"" if kind == primary else " hidden"}>'
        + "".join(
            _tooth(TEETH[number], place, states.get(number, OneTooth()), numbering, number == chosen)
            for number, place in _places(kind).items()
        )
        + "</g>"
        for kind in (False, True)
    )
    return Markup(
        f'<svg class="mouth" id="mouth" viewBox="0 0 {WIDTH} {HEIGHT}" role="group" aria-label="Tooth'
        f' chart, facing the patient" data-numbering="{numbering.value}"'
        f' data-chosen="{escape(chosen)}">{_areas()}{teeth}{_surfaces(surfaces)}</svg>'
    )


def _tooth(
    tooth: Tooth, place: tuple[float, float, float], state: OneTooth, numbering: Numbering, chosen: bool
) -> str:
    x, y, angle = place
    size = _SIZE[tooth.kind] - (1.5 if tooth.primary else 0)
    shown = show_tooth(tooth.number, numbering)
    marks = " ".join(
        name
        for name, on in (
            ("today", bool(state.today)),
            ("planned", state.planned),
            ("earlier", state.earlier),
            ("missing", state.missing),
            ("chosen", chosen),
        )
        if on
    )
    said = ", ".join([f"Tooth {shown}, {tooth.words}", *state.words, *(["missing"] if state.missing else [])])
    lx, ly = x + 21 * cos(angle), y + 21 * sin(angle) + 4
    return (
        f'<g class="tooth {marks}" role="button" tabindex="-1" data-tooth="{tooth.number}"'
        f' data-shown="{shown}" data-surfaces="{tooth.surfaces}" data-quadrant="{tooth.quadrant}"'
        f' data-words="{escape(tooth.words)}" aria-label="{escape(said)}"'
        f' aria-pressed="{"true" if chosen else "false"}"><title>{escape(said)}</title><circle class="hit"'
        f' cx="{x:.1f}" cy="{y:.1f}" r="14"/><circle class="ring" cx="{x:.1f}" cy="{y:.1f}"'
        f' r="{size + 4:.1f}"/><circle class="body" cx="{x:.1f}" cy="{y:.1f}"'
        f' r="{size:.1f}"/>{_dots(tooth, place, state.today, size)}<text x="{lx:.1f}"'
        f' y="{ly:.1f}">{shown}</text></g>'
    )


def _dots(tooth: Tooth, place: tuple[float, float, float], today: str, size: float) -> str:
    """The five surfaces as dots: outward cheek or lip, inward tongue, along the arch toward and away from the
    middle.
    """
    x, y, angle = place
    toward_left = x > _MIDDLE
    along = angle - pi / 2 if (y < _MIDLINE) == toward_left else angle + pi / 2
    spots = {"B": angle, "F": angle, "L": angle + pi, "M": along, "D": along + pi}
    made = []
    for letter in tooth.surfaces:
        far = 0.0 if letter in "OI" else size * 0.58
        on = today == "*" or letter in today
        px, py = x + far * cos(spots.get(letter, 0)), y + far * sin(spots.get(letter, 0))
        made.append(
            f'<circle class="s{" on" if on else ""}" cx="{px:.1f}" cy="{py:.1f}" r="{2.1 if on else 1.1}"/>'
        )
    return "".join(made)


_CORNERS = {
    "10": (4, 14, "start"),
    "20": (WIDTH - 4, 14, "end"),
    "40": (4, HEIGHT - 6, "start"),
    "30": (WIDTH - 4, HEIGHT - 6, "end"),
}


def _areas() -> str:
    """Quadrants in the corners, arches at the rims, the whole mouth is no service's area here."""
    places = {**_CORNERS, "01": (_MIDDLE, 66, "middle"), "02": (_MIDDLE, 294, "middle")}
    return "".join(
        f'<g class="area" role="button" tabindex="0" data-area="{code}" aria-label="{AREAS[code]}"'
        f' aria-pressed="false"><text x="{x:.0f}" y="{y}" text-anchor="{anchor}">{AREAS[code]}</text></g>'
        for code, (x, y, anchor) in places.items()
    )


def _surfaces(chosen: str) -> str:
    """The chosen tooth large in the middle: its surfaces as buttons, placed as one looks at it."""
    spots: Sequence[tuple[str, float, float]] = (
        ("M", -46, 0),
        ("O", 0, 0),
        ("I", 0, 0),
        ("D", 46, 0),
        ("B", 0, -42),
        ("F", 0, -42),
        ("L", 0, 42),
    )
    cy = round(_MIDLINE)
    buttons = "".join(
        f'<g class="surface" role="button" tabindex="-1" data-surface="{letter}" aria-label="{letter},'
        f' {SURFACE_WORDS[letter]}" aria-pressed="{"true" if letter in chosen else "false"}" hidden><circle'
        f' cx="{_MIDDLE + dx:.0f}" cy="{cy + dy}" r="17"/><text x="{_MIDDLE + dx:.0f}"'
        f' y="{cy + dy + 5}">{letter}</text></g>'
        for letter, dx, dy in spots
    )
    return (
        f'<g class="large"><text class="name" x="{_MIDDLE:.0f}" y="{cy - 68}"></text><text class="kind"'
        f' x="{_MIDDLE:.0f}" y="{cy + 78}">choose a tooth</text>{buttons}</g>'
    )
