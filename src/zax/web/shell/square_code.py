"""Square codes (QR, ISO/IEC 18004) that lead a phone or a reader to one of our pages."""

from __future__ import annotations

import io

import segno
from markupsafe import Markup

INK = "#12302a"


def square_code(link: str, scale: int) -> bytes:
    """An SVG picture; `scale` is the width of a square in pixels. A quarter of it may be dirty."""
    out = io.BytesIO()
    segno.make(link, error="m", micro=False).save(
        out, kind="svg", scale=scale, border=2, dark=INK, xmldecl=False
    )
    return out.getvalue()


def inline_code(link: str, scale: int = 4) -> Markup:
    """The same, to stand in a page."""
    return Markup(square_code(link, scale).decode())  # noqa: S704 - drawn here, of squares alone
