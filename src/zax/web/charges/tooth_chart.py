"""The picture of the mouth: two arches as one looks at the patient, drawn as SVG from what is known of every
tooth.

Each tooth is a button: what was done today is filled, planned work has a dashed ring, earlier work is
drawn by its kind, a missing tooth is a gap. `static/tooth_chart.js` lets mouse and keys choose teeth,
surfaces and areas; without scripts the fields beside the picture do the same.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from math import atan2, cos, hypot, pi, sin

from markupsafe import Markup, escape

from zax.core.charges.teeth import AREAS, SURFACE_WORDS, TEETH, Numbering, Tooth, show_tooth
from zax.core.charges.tooth_history import Work
from zax.desk.charges.tooth_chart import OneTooth
from zax.web.charges.tooth_marks import work_marks

_FROM, _TO = 0.03 * pi, 0.97 * pi
_SIZE = {"front": 7.0, "premolar": 8.5, "molar": 10.5}
_ASIDE = 19  # from a tooth's middle in to the extra one beside it


@dataclass(frozen=True, slots=True)
class Frame:
    """How large the picture is: `upper` and `lower` are the heights of the arches' middles, `arch` and
    `primary` their half axes. `name` is its id, by which scripts know what it is for.
    """

    name: str
    width: int
    height: int
    upper: float
    lower: float
    arch: tuple[float, float]
    primary: tuple[float, float]
    label: float = 21  # from a tooth's middle out to its number

    @property
    def middle(self) -> float:
        return self.width / 2

    @property
    def midline(self) -> float:
        return (self.upper + self.lower) / 2


BESIDE = Frame("mouth", 430, 352, 166.0, 186.0, (176.0, 136.0), (128.0, 104.0))
WHOLE = Frame("teeth", 420, 560, 248.0, 312.0, (168.0, 196.0), (122.0, 150.0), 24)


@cache
def _places(frame: Frame, primary: bool) -> Mapping[str, tuple[float, float, float]]:
    """By tooth: x, y and the angle that points outward, spaced evenly along each arch; extra teeth stand
    inside of their neighbors.
    """
    found: dict[str, tuple[float, float, float]] = {}
    for upper in (True, False):
        all_teeth = [each for each in TEETH.values() if each.primary == primary and each.upper == upper]
        row = [each for each in all_teeth if not each.extra]
        for tooth, spot in zip(row, _along(frame, primary, upper, len(row)), strict=True):
            found[tooth.number] = spot
        for tooth in all_teeth:
            if tooth.extra:
                x, y, angle = found[tooth.neighbor]
                found[tooth.number] = (x - _ASIDE * cos(angle), y - _ASIDE * sin(angle), angle)
    return found


def _along(frame: Frame, primary: bool, upper: bool, count: int) -> list[tuple[float, float, float]]:
    """`count` points at equal distances on the arch: upper from left to right as one looks, lower
    back again.
    """
    cx, cy = frame.middle, frame.upper if upper else frame.lower
    rx, ry = frame.primary if primary else frame.arch
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
    frame: Frame = BESIDE,
) -> Markup:
    """The whole picture. `chosen` is a universal number; the arch that is not in use is drawn but hidden, and
    primary teeth that were kept and extra teeth stand in the permanent one, too.
    """
    teeth = "".join(
        '<g class="arch"'
        f' data-arch="{"primary" if kind else "permanent"}"{"" if kind == primary else " hidden"}>'
        + _bridges(frame, kind, states)
        + "".join(
            _tooth(frame, TEETH[number], place, states.get(number, OneTooth()), numbering, number == chosen)
            for number, place in _drawn(frame, kind, states)
        )
        + "</g>"
        for kind in (False, True)
    )
    middle = _surfaces(frame, surfaces) if frame is BESIDE else ""
    areas = _areas(frame)
    return Markup(
        f'<svg class="mouth" id="{frame.name}" viewBox="0 0 {frame.width} {frame.height}" role="group"'
        f' aria-label="Tooth chart, facing the patient" data-numbering="{numbering.value}"'
        f' data-chosen="{escape(chosen)}">{areas}{teeth}{middle}</svg>'
    )


def _drawn(
    frame: Frame, primary: bool, states: Mapping[str, OneTooth]
) -> Iterator[tuple[str, tuple[float, float, float]]]:
    """The teeth of one arch and where; of extra teeth those that are on the chart."""
    for number, place in _places(frame, primary).items():
        if not TEETH[number].extra or number in states:
            yield number, place
    if not primary:
        for number, place in _places(frame, True).items():
            if number in states and Work.KEPT in states[number].works:
                yield number, place


def _bridges(frame: Frame, primary: bool, states: Mapping[str, OneTooth]) -> str:
    """Each bridge as a band under its teeth."""
    places = _places(frame, primary)
    spans = {state.bridge for number, state in states.items() if state.bridge and number in places}
    return "".join(
        f'<path class="w-span" d="M{" L".join(f"{places[n][0]:.1f} {places[n][1]:.1f}" for n in span)}"/>'
        for span in sorted(spans)
    )


def _tooth(
    frame: Frame,
    tooth: Tooth,
    place: tuple[float, float, float],
    state: OneTooth,
    numbering: Numbering,
    chosen: bool,
) -> str:
    x, y, angle = place
    size = _SIZE[tooth.kind] - (1.5 if tooth.primary or tooth.extra else 0)
    shown = show_tooth(tooth.number, numbering)
    marks = " ".join(
        name
        for name, on in (
            ("today", bool(state.today)),
            ("planned", state.planned),
            ("earlier", state.earlier),
            ("missing", state.missing),
            ("chosen", chosen),
            *((work.value, True) for work in sorted(state.works)),
        )
        if on
    )
    said = ", ".join([f"Tooth {shown}, {tooth.words}", *state.words, *(["missing"] if state.missing else [])])
    out = -17 if tooth.extra else frame.label
    lx, ly = x + out * cos(angle), y + out * sin(angle) + 4
    return (
        f'<g class="tooth {marks}" role="button" tabindex="-1" data-tooth="{tooth.number}"'
        f' data-shown="{shown}" data-surfaces="{tooth.surfaces}" data-quadrant="{tooth.quadrant}"'
        f' data-words="{escape(tooth.words)}" aria-label="{escape(said)}"'
        f' aria-pressed="{"true" if chosen else "false"}"><title>{escape(said)}</title><circle class="hit"'
        f' cx="{x:.1f}" cy="{y:.1f}" r="14"/><circle class="ring" cx="{x:.1f}" cy="{y:.1f}"'
        f' r="{size + 4:.1f}"/><circle class="body" cx="{x:.1f}" cy="{y:.1f}"'
        f' r="{size:.1f}"/>{_dots(frame, tooth, place, state, size)}{work_marks(place, state, size)}<text'
        f' x="{lx:.1f}" y="{ly:.1f}">{shown}</text></g>'
    )


def _dots(frame: Frame, tooth: Tooth, place: tuple[float, float, float], state: OneTooth, size: float) -> str:
    """The five surfaces as dots: outward cheek or lip, inward tongue, along the arch toward and away from the
    middle.
    """
    x, y, angle = place
    toward_left = x > frame.middle
    along = angle - pi / 2 if (y < frame.midline) == toward_left else angle + pi / 2
    spots = {"B": angle, "F": angle, "L": angle + pi, "M": along, "D": along + pi}
    made = []
    for letter in tooth.surfaces:
        far = 0.0 if letter in "OI" else size * 0.58
        on = state.today == "*" or letter in state.today
        filled = letter in state.filled and not state.missing
        px, py = x + far * cos(spots.get(letter, 0)), y + far * sin(spots.get(letter, 0))
        made.append(
            f'<circle class="s{" on" if on else " w-fill" if filled else ""}" cx="{px:.1f}" cy="{py:.1f}"'
            f' r="{2.1 if on else 2.8 if filled else 1.1}"/>'
        )
    return "".join(made)


def _areas(frame: Frame) -> str:
    """Quadrants in the corners, arches at the rims, the whole mouth is no service's area here. Only a picture
    beside a list of services asks for them.
    """
    right, bottom = frame.width - 4, frame.height - 6
    corners = {"10": (4, 14, "start"), "20": (right, 14, "end"), "40": (4, bottom, "start")}
    corners["30"] = (right, bottom, "end")
    if frame is not BESIDE:
        return "".join(
            f'<text class="corner" x="{x}" y="{y}" text-anchor="{anchor}">{AREAS[code]}</text>'
            for code, (x, y, anchor) in corners.items()
        )
    rims = {"01": (int(frame.middle), 66, "middle"), "02": (int(frame.middle), 294, "middle")}
    return "".join(
        f'<g class="area" role="button" tabindex="0" data-area="{code}" aria-label="{AREAS[code]}"'
        f' aria-pressed="false"><text x="{x}" y="{y}" text-anchor="{anchor}">{AREAS[code]}</text></g>'
        for code, (x, y, anchor) in {**corners, **rims}.items()
    )


def _surfaces(frame: Frame, chosen: str) -> str:
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
    cy, cx = round(frame.midline), frame.middle
    buttons = "".join(
        f'<g class="surface" role="button" tabindex="-1" data-surface="{letter}" aria-label="{letter},'
        f' {SURFACE_WORDS[letter]}" aria-pressed="{"true" if letter in chosen else "false"}" hidden><circle'
        f' cx="{cx + dx:.0f}" cy="{cy + dy}" r="17"/><text x="{cx + dx:.0f}"'
        f' y="{cy + dy + 5}">{letter}</text></g>'
        for letter, dx, dy in spots
    )
    return (
        f'<g class="large"><text class="name" x="{cx:.0f}" y="{cy - 68}"></text><text class="kind"'
        f' x="{cx:.0f}" y="{cy + 78}">choose a tooth</text>{buttons}</g>'
    )
