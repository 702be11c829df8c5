"""The marks of what was done to a tooth, on the chart and beside its name in a list."""

from __future__ import annotations

from math import cos, pi, sin

from markupsafe import Markup

from zax.core.charges.tooth_history import Work
from zax.desk.charges.tooth_chart import OneTooth

_BODY = '<circle class="body" cx="{}" cy="8" r="{}"/>'
_PLAIN = {
    Work.MISSING: '<path class="w-gap" d="M1 8h24"/>',
    Work.FILLING: _BODY.format(13, 6.5) + '<circle class="w-fill" cx="13" cy="8" r="3"/>',
    Work.BRIDGE: '<path class="w-span" d="M4 8h18"/>',
    Work.KEPT: _BODY.format(13, 4.5) + '<circle class="s" cx="13" cy="8" r="1.2"/>',
    Work.EXTRA: _BODY.format(9, 6) + _BODY.format(19, 3.5),
}
_UP, _DOWN = -pi / 2, pi / 2
# Where the others stand in their sign: height, the way out, size.
_DRAWN = {
    Work.CROWN: (8.0, _DOWN, 6.0),
    Work.ROOT_CANAL: (11.0, _UP, 3.5),
    Work.IMPLANT: (4.0, _DOWN, 3.5),
    Work.EXTRACT: (8.0, _DOWN, 3.5),
}


def work_marks(place: tuple[float, float, float], state: OneTooth, size: float) -> str:
    """The marks of what was done: a ring for a crown, a line along the root for a root canal, a screw for an
    implant, a bar on either side for what is to come out.
    """
    x, y, angle = place
    ox, oy = cos(angle), sin(angle)
    made = ""
    if Work.CROWN in state.works:
        made += f'<circle class="w-crown" cx="{x:.1f}" cy="{y:.1f}" r="{size - 0.5:.1f}"/>'
    if Work.ROOT_CANAL in state.works and not state.missing:
        ends = (x, y, x + (size + 5) * ox, y + (size + 5) * oy)
        made += '<path class="w-root" d="M{:.1f} {:.1f} L{:.1f} {:.1f}"/>'.format(*ends)
    if Work.IMPLANT in state.works:
        made += f'<circle class="w-head" cx="{x:.1f}" cy="{y:.1f}" r="3"/>'
        for step, half in ((5, 4.5), (8, 3.2), (11, 2)):
            px, py = x + step * ox, y + step * oy
            ends = (px - half * oy, py + half * ox, px + half * oy, py - half * ox)
            made += '<path class="w-screw" d="M{:.1f} {:.1f} L{:.1f} {:.1f}"/>'.format(*ends)
    if Work.EXTRACT in state.works:
        for side in (-1, 1):
            px, py = x - side * (size + 2) * oy, y + side * (size + 2) * ox
            ends = (px - size * ox, py - size * oy, px + size * ox, py + size * oy)
            made += '<path class="w-out" d="M{:.1f} {:.1f} L{:.1f} {:.1f}"/>'.format(*ends)
    return made


def work_sign(work: Work) -> Markup:
    """The mark of a work beside its name, 26 by 16."""
    body = _PLAIN.get(work, "")
    if not body:
        y, angle, size = _DRAWN[work]
        if work in {Work.ROOT_CANAL, Work.EXTRACT}:
            body = f'<circle class="body" cx="13" cy="{y}" r="{size}"/>'
        body += work_marks((13.0, y, angle), OneTooth(works={work}), size)
    return Markup(
        f'<svg class="worksign" viewBox="0 0 26 16" width="26" height="16" aria-hidden="true">{body}</svg>'
    )
